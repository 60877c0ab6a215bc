//! Conductors: what carries a load, what one may carry, whether it is the copper it says.

use super::{Calculation, Curve, Field, Inputs, Takes, Trouble, Worked, field};
use crate::profiles::{Ampacity, Duty, Laid, ampacity, resistance_ohm_per_m};
use crate::units::{Dimension, Quantity, awg_at_most, awg_name, short};

const CURRENT: Takes = Takes::Quantity(Dimension::Current);
const LENGTH: Takes = Takes::Quantity(Dimension::Length);
const AREA: Takes = Takes::Quantity(Dimension::Area);
const VOLTAGE: Takes = Takes::Quantity(Dimension::Voltage);
const TEMPERATURE: Takes = Takes::Quantity(Dimension::Temperature);
const COUNT: Takes = Takes::Quantity(Dimension::Count);
const DUTY: Field = field("duty", "Current", Takes::Word(&["dc", "ac"]), "dc");
const AIR: Field = field("air", "Hottest air along it, empty for the usual", TEMPERATURE, "");
const INSULATION: Field = field("insulation", "Insulation rated, empty where not marked", TEMPERATURE, "");
const BUNDLE: Field = field("bundle", "Loaded conductors together", COUNT, "x1");

pub(super) const FOR_LOAD: Calculation = Calculation {
    key: "cable",
    title: "Cable for a load",
    when: "The smallest standard size that carries a load and loses no more than allowed.",
    fields: &[
        field("current", "Load", CURRENT, "20A"),
        field("voltage", "System", VOLTAGE, "12.8V"),
        field("length", "One way", LENGTH, "5m"),
        field("drop", "Drop allowed, supply and return", Takes::Quantity(Dimension::Ratio), "3%"),
        DUTY,
        AIR,
        INSULATION,
        BUNDLE,
    ],
    run: for_load,
};

pub(super) const AMPACITY: Calculation = Calculation {
    key: "ampacity",
    title: "Ampacity",
    when: "What a conductor may carry as it lies.",
    fields: &[field("size", "Size", AREA, "10mm2"), DUTY, AIR, INSULATION, BUNDLE],
    run: one_ampacity,
};

pub(super) const DEVICE: Calculation = Calculation {
    key: "device",
    title: "Device for a cable",
    when: "The largest standard fuse or breaker that a conductor allows.",
    fields: &[
        field("size", "Thinnest conductor after it", AREA, "10mm2"),
        DUTY,
        AIR,
        INSULATION,
        BUNDLE,
        field("current", "Load, empty where unknown", CURRENT, ""),
    ],
    run: device,
};

pub(super) const COPPER_BY_WEIGHT: Calculation = Calculation {
    key: "weight",
    title: "Copper by weight",
    when: "Whether a cable has the copper that is printed on it, from a stripped piece on a scale.",
    fields: &[
        field("marked", "Size as marked", AREA, "2/0AWG"),
        field("length", "Length of the stripped piece", LENGTH, "1ft"),
        field("weight", "Its weight", Takes::Weight, "0.41lb"),
    ],
    run: by_weight,
};

pub(super) const COPPER_BY_RESISTANCE: Calculation = Calculation {
    key: "resistance",
    title: "Copper by resistance",
    when: "The same from a four-wire reading, or from a voltage over a known current.",
    fields: &[
        field("marked", "Size as marked", AREA, "10mm2"),
        field("length", "Length measured over", LENGTH, "5m"),
        field("resistance", "Resistance", Takes::Quantity(Dimension::Resistance), "9.4mohm"),
        field("temperature", "Temperature of the copper", TEMPERATURE, "20C"),
    ],
    run: by_resistance,
};

fn duty(inputs: &Inputs) -> Result<Duty, Trouble> {
    Ok(if inputs.word("duty")? == "ac" { Duty::Ac } else { Duty::Dc })
}

fn laid(inputs: &Inputs, area_mm2: f64) -> Result<Laid, Trouble> {
    let bundle = inputs.some("bundle")?.unwrap_or(1.0).max(1.0);
    Ok(Laid {
        ambient_c: inputs.some("air")?,
        insulation_c: inputs.some("insulation")?,
        bundle,
        ..Laid::plain(area_mm2)
    })
}

fn standard<'a>(inputs: &'a Inputs) -> Vec<(&'a str, f64, bool)> {
    let sizes = inputs.profile.on_sale();
    sizes.filter_map(|s| Quantity::parse(s).ok().map(|q| (s, q.si, q.is_gauge()))).collect()
}

fn for_load(inputs: &Inputs) -> Result<Worked, Trouble> {
    let (amps, volts) = (inputs.positive("current")?, inputs.positive("voltage")?);
    let (metres, share) = (inputs.positive("length")?, inputs.positive("drop")?);
    let duty = duty(inputs)?;
    let lost = |area: f64, gauge: bool| amps * 2.0 * metres * resistance_ohm_per_m(area, gauge);
    let mut points = Vec::new();
    let mut chosen: Option<(&str, f64, f64, Ampacity)> = None;
    let mut thin = (None, None);
    for (name, area, gauge) in standard(inputs) {
        let amp = ampacity(inputs.profile, duty, &laid(inputs, area)?);
        let drop = lost(area, gauge);
        points.push((area, drop / volts * 100.0));
        let (carries, holds) = (amp.iz_a >= amps, drop <= volts * share);
        if !carries {
            thin.0 = Some(name);
        }
        if !holds {
            thin.1 = Some(name);
        }
        if carries && holds && chosen.is_none() {
            chosen = Some((name, area, drop, amp));
        }
    }
    let curve = |mark| {
        let (along, up) = ("conductor, mm²".to_owned(), "drop, %".to_owned());
        Some(Curve { along, up, points: points.clone(), limit: Some(share * 100.0), mark })
    };
    let Some((name, area, drop, amp)) = chosen else {
        return Ok(Worked {
            answer: "No standard size is enough: put conductors in parallel, shorten the way, or raise the voltage."
                .to_owned(),
            bad: true,
            lines: vec![format!("{} A over {} m one way at {} V.", short(amps), short(metres), short(volts))],
            source: "the profile's ampacity and resistance tables".to_owned(),
            curve: curve(None),
        });
    };
    let mut lines = amp.steps.clone();
    lines.push(format!("{} A ≥ {} A: it carries the load.", short(amp.iz_a), short(amps)));
    lines.push(format!(
        "{} A × 2 × {} m × {} mohm/m = {} V, {} % of {} V; {} % allowed.",
        short(amps),
        short(metres),
        short(drop / amps / 2.0 / metres * 1000.0),
        short(drop),
        short(drop / volts * 100.0),
        short(volts),
        short(share * 100.0)
    ));
    if let (Some(a), b) | (None, b @ Some(a)) = thin {
        let by = if b == Some(a) { "loses too much" } else { "may not carry it" };
        lines.push(format!("The next smaller, {a}, {by}."));
    }
    Ok(Worked {
        answer: format!("{name}, with a device of at most {} A.", short(amp.device_a)),
        bad: false,
        lines,
        source: format!("{}; drop by Ohm's law, conductor hot", amp.source),
        curve: curve(Some((area, drop / volts * 100.0))),
    })
}

fn ampacities(inputs: &Inputs, duty: Duty) -> Result<Vec<(f64, f64)>, Trouble> {
    let one = |(_, area, _): (&str, f64, bool)| Ok((area, ampacity(inputs.profile, duty, &laid(inputs, area)?).iz_a));
    standard(inputs).into_iter().map(one).collect()
}

fn one_ampacity(inputs: &Inputs) -> Result<Worked, Trouble> {
    let area = inputs.positive("size")?;
    let duty = duty(inputs)?;
    let amp = ampacity(inputs.profile, duty, &laid(inputs, area)?);
    let mut lines = amp.steps.clone();
    lines.push(format!("Largest device: {} A.", short(amp.device_a)));
    Ok(Worked {
        answer: format!("{} A.", short(amp.iz_a)),
        bad: amp.iz_a <= 0.0,
        lines,
        source: amp.source.clone(),
        curve: Some(Curve {
            along: "conductor, mm²".to_owned(),
            up: "ampacity, A".to_owned(),
            points: ampacities(inputs, duty)?,
            limit: None,
            mark: Some((area, amp.iz_a)),
        }),
    })
}

fn device(inputs: &Inputs) -> Result<Worked, Trouble> {
    let area = inputs.positive("size")?;
    let duty = duty(inputs)?;
    let amp = ampacity(inputs.profile, duty, &laid(inputs, area)?);
    let load = inputs.some("current")?;
    let ratings: Vec<f64> = inputs.profile.ratings().values().collect();
    let largest = ratings.iter().copied().rfind(|r| *r <= amp.device_a * (1.0 + 1e-9));
    let mut lines = amp.steps.clone();
    lines.push(format!("Largest device allowed: {} A.", short(amp.device_a)));
    let (answer, bad) = match (largest, load) {
        (None, _) => ("No standard device is small enough for it.".to_owned(), true),
        (Some(r), Some(load)) if load > r => {
            lines.push(format!("The load of {} A would open it.", short(load)));
            (
                format!("{} A at the most, too little for {} A: a thicker conductor is needed.", short(r), short(load)),
                true,
            )
        }
        (Some(r), Some(load)) => {
            let least = ratings.iter().copied().find(|r| *r >= load).unwrap_or(r);
            (format!("{} A to {} A.", short(least), short(r)), false)
        }
        (Some(r), None) => (format!("{} A at the most.", short(r)), false),
    };
    let curve = Curve {
        along: "conductor, mm²".to_owned(),
        up: "ampacity, A".to_owned(),
        points: ampacities(inputs, duty)?,
        limit: load,
        mark: Some((area, amp.iz_a)),
    };
    Ok(Worked { answer, bad, lines, source: amp.source.clone(), curve: Some(curve) })
}

/// Density of copper, g/cm³ (IEC 60028).
const COPPER_G_CM3: f64 = 8.89;
/// Resistivity of copper at 20 C, ohm mm²/m, and its rise with temperature, /K (IEC 60028).
pub(super) const COPPER_OHM: f64 = 0.017_241;
const COPPER_ALPHA: f64 = 0.003_93;
/// Below this share of the marked copper a cable is suspect: strands are laid with 2 to 5 % more than the straight length,
/// and vehicle gauges honestly have up to a tenth less.
const SUSPECT: f64 = 0.97;

fn gauge_words(area: f64) -> String {
    awg_at_most(area).map_or_else(String::new, |n| format!(", as {} AWG has or a little more", awg_name(n)))
}

fn copper(marked: f64, found: f64, lines: Vec<String>, source: &str) -> Worked {
    let share = found / marked;
    let bad = share < SUSPECT;
    let answer = if bad {
        format!("{} % of the copper it is marked as: {} mm²{}.", short(share * 100.0), short(found), gauge_words(found))
    } else {
        format!("It has the copper it is marked as: {} mm² of {} mm².", short(found), short(marked))
    };
    let points = (1..=20).map(|n| (marked * f64::from(n) / 16.0, f64::from(n) / 16.0 * 100.0)).collect();
    let curve = Curve {
        along: "copper found, mm²".to_owned(),
        up: "of the marked size, %".to_owned(),
        points,
        limit: Some(SUSPECT * 100.0),
        mark: Some((found, share * 100.0)),
    };
    Worked { answer, bad, lines, source: source.to_owned(), curve: Some(curve) }
}

fn by_weight(inputs: &Inputs) -> Result<Worked, Trouble> {
    let (marked, metres, grams) = (inputs.positive("marked")?, inputs.positive("length")?, inputs.grams("weight")?);
    let found = grams / (COPPER_G_CM3 * metres);
    let lines = vec![
        format!("{} g / ({COPPER_G_CM3} g/cm³ × {} m) = {} mm².", short(grams), short(metres), short(found)),
        format!("{} mm² / {} mm² = {} %.", short(found), short(marked), short(found / marked * 100.0)),
        "The lay of the strands adds 2 to 5 % to the weight; copper-clad aluminium weighs 37 to 41 % of copper."
            .to_owned(),
    ];
    Ok(copper(marked, found, lines, "density of copper, IEC 60028; limit common practice, no source"))
}

fn by_resistance(inputs: &Inputs) -> Result<Worked, Trouble> {
    let (marked, metres, ohm) =
        (inputs.positive("marked")?, inputs.positive("length")?, inputs.positive("resistance")?);
    let celsius = inputs.si("temperature")?;
    let at_20 = ohm / (1.0 + COPPER_ALPHA * (celsius - 20.0));
    let found = COPPER_OHM * metres / at_20;
    // IEC 60228 allows a class 5 conductor its greatest resistance, at which it has 86 to 91 % of its nominal area.
    let most = crate::tables::table("iec60228-class5").between(marked, 0).map(|per_km| per_km * metres / 1000.0);
    let mut lines = vec![
        format!("{} mohm at {} C are {} mohm at 20 C.", short(ohm * 1000.0), short(celsius), short(at_20 * 1000.0)),
        format!(
            "{COPPER_OHM} ohm mm²/m × {} m / {} mohm = {} mm².",
            short(metres),
            short(at_20 * 1000.0),
            short(found)
        ),
    ];
    let mut worked = copper(
        marked,
        found,
        Vec::new(),
        "resistivity of copper, IEC 60028; greatest resistance, IEC 60228 class 5 (recalled)",
    );
    if let Some(most) = most {
        lines.push(format!("IEC 60228 class 5 allows {} mohm at 20 C.", short(most * 1000.0)));
        worked.bad = at_20 > most * (1.0 + 1e-9);
        worked.answer = if worked.bad {
            format!(
                "{} mohm is more than the {} mohm that a sound cable may have: as {} mm² would.",
                short(at_20 * 1000.0),
                short(most * 1000.0),
                short(found)
            )
        } else {
            format!(
                "{} mohm is within the {} mohm that a sound cable may have.",
                short(at_20 * 1000.0),
                short(most * 1000.0)
            )
        };
        if let Some(curve) = &mut worked.curve {
            curve.limit = Some(COPPER_OHM * metres / most / marked * 100.0);
        }
    }
    lines.push("Copper-clad aluminium has 1.50 to 1.54 times the resistance of copper.".to_owned());
    worked.lines = lines;
    Ok(worked)
}
