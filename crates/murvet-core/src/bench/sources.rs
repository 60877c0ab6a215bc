//! Arrays on a cold morning, residual-current devices, torque and units.

use super::{Calculation, Curve, Inputs, Takes, Trouble, Worked, field};
use crate::tables::{cold_array_factor, table};
use crate::units::{Dimension, Quantity, awg_area_mm2, awg_at_most, awg_name, short};

pub(super) const COLD_ARRAY: Calculation = Calculation {
    key: "cold-array",
    title: "Array on a cold morning",
    when: "What an array reaches on the coldest morning, beside what its controller stands.",
    fields: &[
        field("voc", "Open-circuit voltage of one panel", Takes::Quantity(Dimension::Voltage), "41V"),
        field("count", "Panels in series", Takes::Quantity(Dimension::Count), "x2"),
        field("coldest", "Coldest air where it is used", Takes::Quantity(Dimension::Temperature), "-10C"),
        field("controller", "Controller stands", Takes::Quantity(Dimension::Voltage), "100V"),
        field("isc", "Short-circuit current, empty to leave it", Takes::Quantity(Dimension::Current), "10A"),
    ],
    run: cold_array,
};

pub(super) const RESIDUAL: Calculation = Calculation {
    key: "residual",
    title: "Residual-current device",
    when: "How soon a device must open at a test current.",
    fields: &[
        field("kind", "Kind", Takes::Word(&["rcd", "gfci"]), "rcd"),
        field("rating", "Residual operating current of an RCD", Takes::Quantity(Dimension::Current), "30mA"),
        field("test", "Test current", Takes::Quantity(Dimension::Current), "30mA"),
        field("time", "Time read, empty before the test", Takes::Quantity(Dimension::Time), ""),
    ],
    run: residual,
};

pub(super) const TORQUE: Calculation = Calculation {
    key: "torque",
    title: "Torque",
    when: "A maker's figure in the units of the wrench at hand. The figure itself is the maker's only.",
    fields: &[
        field("value", "Torque, a number", Takes::Any, "50"),
        field("unit", "In", Takes::Word(&["in-lb", "ft-lb", "N m"]), "in-lb"),
    ],
    run: torque,
};

pub(super) const UNITS: Calculation = Calculation {
    key: "units",
    title: "Units and gauges",
    when: "Any value in the other system.",
    fields: &[field("value", "Value with its unit", Takes::Any, "2/0AWG")],
    run: units,
};

fn cold_array(inputs: &Inputs) -> Result<Worked, Trouble> {
    let (voc, count) = (inputs.positive("voc")?, inputs.positive("count")?);
    let (coldest, most) = (inputs.si("coldest")?, inputs.positive("controller")?);
    let factor = cold_array_factor(coldest);
    let volts = voc * count * factor;
    let mut lines = vec![
        format!("{} V × {} × {factor} at {} C = {} V.", short(voc), short(count), short(coldest), short(volts)),
        format!("{} V {} {} V.", short(volts), if volts > most { ">" } else { "≤" }, short(most)),
    ];
    if let Some(isc) = inputs.some("isc")? {
        lines.push(format!(
            "Conductors: {} A × 1.25 × 1.25 = {} A (NFPA 70 section 690.8, recalled).",
            short(isc),
            short(isc * 1.5625)
        ));
    }
    let answer = if volts > most {
        format!(
            "{} V: the controller is destroyed. {} in series at the most.",
            short(volts),
            short((most / voc / factor).floor())
        )
    } else {
        format!("{} V: the controller stands it.", short(volts))
    };
    Ok(Worked {
        answer,
        bad: volts > most,
        lines,
        source: table("array-cold").cite(),
        curve: Some(Curve {
            along: "air, C".to_owned(),
            up: "open-circuit voltage, V".to_owned(),
            points: (-40..=30)
                .step_by(1)
                .map(|t| (f64::from(t), voc * count * cold_array_factor(f64::from(t))))
                .collect(),
            limit: Some(most),
            mark: Some((coldest, volts)),
        }),
    })
}

/// Longest time at a residual current, s; nothing where it must not or need not open.
fn longest(gfci: bool, rating: f64, amps: f64) -> Option<f64> {
    if gfci {
        // Class A: opens from 6 mA on, in (20 / I)^1.43 s with I in mA.
        return (amps >= 0.006 * (1.0 - 1e-9)).then(|| (20.0 / (amps * 1000.0)).powf(1.43));
    }
    match amps / rating * (1.0 + 1e-9) {
        x if x >= 5.0 => Some(0.04),
        x if x >= 2.0 => Some(0.15),
        x if x >= 1.0 => Some(0.3),
        _ => None,
    }
}

fn residual(inputs: &Inputs) -> Result<Worked, Trouble> {
    let gfci = inputs.word("kind")? == "gfci";
    let (rating, test) = (inputs.positive("rating")?, inputs.positive("test")?);
    let rating = if gfci { 0.005 } else { rating };
    let most = longest(gfci, rating, test);
    let holds = if gfci { test < 0.004 } else { test <= rating * 0.5 * (1.0 + 1e-9) };
    let time = inputs.some("time")?;
    let ms = |s: f64| format!("{} ms", short(s * 1000.0));
    let mut lines = vec![match most {
        Some(s) if gfci => format!("(20 / {})^1.43 = {} s.", short(test * 1000.0), short(s)),
        Some(s) => format!(
            "{} mA is {} times {} mA: within {}.",
            short(test * 1000.0),
            short(test / rating),
            short(rating * 1000.0),
            ms(s)
        ),
        None if holds => "At this current it must not open.".to_owned(),
        None => "At this current it may open and need not.".to_owned(),
    }];
    let (answer, bad) = match (most, time) {
        (Some(s), Some(t)) if t > s => (format!("{} is too long: within {}.", ms(t), ms(s)), true),
        (Some(s), Some(t)) => (format!("{} is within {}.", ms(t), ms(s)), false),
        (Some(s), None) => (format!("It must open within {}.", ms(s)), false),
        (None, Some(_)) if holds => {
            ("It opened below half its current: a leak is there already, or it is too keen.".to_owned(), true)
        }
        (None, _) if holds => ("It must hold.".to_owned(), false),
        (None, _) => ("It may open and need not.".to_owned(), false),
    };
    lines.push(
        "Test it at the outlet, in each state of the supply, by earth leakage and not by its button alone.".to_owned(),
    );
    let top = if gfci { 0.3 } else { rating * 6.0 };
    let points = (1..=120).filter_map(|n| {
        let amps = top * f64::from(n) / 120.0;
        longest(gfci, rating, amps).map(|s| (amps * 1000.0, s * 1000.0))
    });
    Ok(Worked {
        answer,
        bad,
        lines,
        source: if gfci {
            "UL 943, class A (recalled)"
        } else {
            "IEC 61008-1: 300 ms at its current, 150 at twice, 40 at five times (recalled)"
        }
        .to_owned(),
        curve: Some(Curve {
            along: "test current, mA".to_owned(),
            up: "longest time, ms".to_owned(),
            points: points.collect(),
            limit: None,
            mark: time.map(|t| (test * 1000.0, t * 1000.0)).or(most.map(|s| (test * 1000.0, s * 1000.0))),
        }),
    })
}

/// Newton metres in an inch-pound and a foot-pound, exact by definition.
const IN_LB: f64 = 0.112_984_829_027_616_7;
const FT_LB: f64 = 12.0 * IN_LB;

fn torque(inputs: &Inputs) -> Result<Worked, Trouble> {
    let text = inputs.text("value");
    let number: f64 = text.parse().map_err(|_| inputs.trouble("value", format!("\"{text}\" is not a number")))?;
    if !(number > 0.0 && number < 1e6) {
        return Err(inputs.trouble("value", "more than 0 and less than a million"));
    }
    let unit = inputs.word("unit")?;
    let newton = match unit {
        "in-lb" => number * IN_LB,
        "ft-lb" => number * FT_LB,
        _ => number,
    };
    Ok(Worked {
        answer: format!("{} N m, {} in-lb, {} ft-lb.", short(newton), short(newton / IN_LB), short(newton / FT_LB)),
        bad: false,
        lines: vec![
            "1 in-lb = 0.112985 N m; 1 ft-lb = 12 in-lb.".to_owned(),
            "The torque of a terminal is the maker's figure only; note document and page.".to_owned(),
        ],
        source: "definition of the units".to_owned(),
        curve: None,
    })
}

fn units(inputs: &Inputs) -> Result<Worked, Trouble> {
    let text = inputs.text("value");
    let q: Quantity = inputs.quantity("value", text)?;
    let si = q.si;
    let lines = match q.dimension {
        Dimension::Length => {
            vec![format!("{} m", short(si)), format!("{} ft", short(si / 0.3048)), format!("{} in", short(si / 0.0254))]
        }
        Dimension::Area => {
            let below = awg_at_most(si).map(|n| format!("{} AWG has {} mm²", awg_name(n), short(awg_area_mm2(n))));
            let above = awg_at_most(si).filter(|n| awg_area_mm2(*n) < si * 0.999);
            let above = above
                .map(|n| format!("{} AWG, the next larger, has {} mm²", awg_name(n - 1), short(awg_area_mm2(n - 1))));
            let first = [format!("{} mm²", short(si)), format!("{} kcmil", short(si / 0.506_707_479))];
            first.into_iter().chain(below).chain(above).collect()
        }
        Dimension::Temperature => vec![format!("{} C", short(si)), format!("{} F", short(si * 1.8 + 32.0))],
        Dimension::Current => vec![format!("{} A", short(si)), format!("{} mA", short(si * 1000.0))],
        Dimension::Voltage => vec![format!("{} V", short(si)), format!("{} mV", short(si * 1000.0))],
        Dimension::Power => vec![format!("{} W", short(si)), format!("{} kW", short(si / 1000.0))],
        Dimension::Resistance => vec![format!("{} ohm", short(si)), format!("{} mohm", short(si * 1000.0))],
        Dimension::Torque => vec![format!("{} Nm", short(si)), format!("{} inlb", short(si / 0.112_984_83))],
        Dimension::Time => vec![format!("{} s", short(si)), format!("{} ms", short(si * 1000.0))],
        Dimension::Charge => vec![format!("{} Ah", short(si))],
        Dimension::Ratio => vec![format!("{} %", short(si * 100.0)), short(si)],
        Dimension::Count => vec![short(si)],
    };
    Ok(Worked {
        answer: format!("{text} = {}.", lines.join(" = ")),
        bad: false,
        lines,
        source: "definitions; AWG by ASTM B258, d = 0.127 mm × 92^((36 − n) / 39)".to_owned(),
        curve: None,
    })
}
