//! Batteries: how a bank shares, what a short drives, what a charger loop costs.

use super::cables::COPPER_OHM;
use super::{Calculation, Curve, Inputs, Takes, Trouble, Worked, field};
use crate::network::{Resistor, solve};
use crate::profiles::resistance_ohm_per_m;
use crate::units::{Dimension, short};

const RESISTANCE: Takes = Takes::Quantity(Dimension::Resistance);
const CURRENT: Takes = Takes::Quantity(Dimension::Current);
const VOLTAGE: Takes = Takes::Quantity(Dimension::Voltage);
const SHARE: Takes = Takes::Quantity(Dimension::Ratio);

pub(super) const SHARING: Calculation = Calculation {
    key: "sharing",
    title: "Sharing in a bank",
    when: "What each of some batteries in parallel gives, by where the leads are taken off.",
    fields: &[
        field("count", "Batteries in parallel", Takes::Quantity(Dimension::Count), "x4"),
        field("internal", "Inside resistance of each", RESISTANCE, "2mohm"),
        field("link", "Each link with its two joints", RESISTANCE, "0.3mohm"),
        field("take", "Leads taken off", Takes::Word(&["same-end", "opposite-ends"]), "same-end"),
        field("current", "Load", CURRENT, "200A"),
    ],
    run: sharing,
};

pub(super) const FAULT: Calculation = Calculation {
    key: "fault",
    title: "Prospective current",
    when: "What a short at the end of a cable drives, and what a device there must break.",
    fields: &[
        field("voltage", "Battery, full", VOLTAGE, "13.7V"),
        field("internal", "Its inside resistance, least", RESISTANCE, "1mohm"),
        field("size", "Conductor", Takes::Quantity(Dimension::Area), "70mm2"),
        field("length", "One way", Takes::Quantity(Dimension::Length), "0.5m"),
    ],
    run: fault,
};

pub(super) const LOOP: Calculation = Calculation {
    key: "loop",
    title: "Charger loop",
    when: "What a charger fed by its own battery loses, and how soon the battery is flat.",
    fields: &[
        field("current", "Charger", CURRENT, "30A"),
        field("voltage", "At", VOLTAGE, "13.6V"),
        field("charger", "Efficiency of the charger", SHARE, "85%"),
        field("inverter", "Efficiency of the inverter", SHARE, "88%"),
        field("idle", "Inverter, idle", Takes::Quantity(Dimension::Power), "20W"),
        field("capacity", "Battery", Takes::Quantity(Dimension::Charge), "200Ah"),
        field("battery", "Its voltage", VOLTAGE, "12.8V"),
        field("usable", "Usable part", SHARE, "80%"),
    ],
    run: charger_loop,
};

/// Current of each battery. All have one voltage, so by superposition it drops out: what is left of each battery is its
/// inside resistance between its posts, and the load drives the currents.
fn shares(count: usize, internal: f64, link: f64, same_end: bool, amps: f64) -> Option<Vec<f64>> {
    let (plus, minus) = (|n: usize| 2 * n, |n: usize| 2 * n + 1);
    let mut resistors = Vec::new();
    for n in 0..count {
        resistors.push(Resistor { a: plus(n), b: minus(n), ohm: internal });
        if n + 1 < count {
            resistors.push(Resistor { a: plus(n), b: plus(n + 1), ohm: link });
            resistors.push(Resistor { a: minus(n), b: minus(n + 1), ohm: link });
        }
    }
    let back = if same_end { minus(0) } else { minus(count - 1) };
    let solution = solve(2 * count, &resistors, &[(minus(0), 0.0)], &[(plus(0), amps), (back, -amps)]).ok()?;
    Some((0..count).map(|n| (solution.volts[minus(n)] - solution.volts[plus(n)]) / internal).collect())
}

fn sharing(inputs: &Inputs) -> Result<Worked, Trouble> {
    let count = inputs.positive("count")?;
    if !(2.0..=16.0).contains(&count) {
        return Err(inputs.trouble("count", "from x2 to x16"));
    }
    let (internal, link, amps) = (inputs.positive("internal")?, inputs.positive("link")?, inputs.positive("current")?);
    let same_end = inputs.word("take")? == "same-end";
    let list = shares(count as usize, internal, link, same_end, amps)
        .ok_or_else(|| inputs.trouble("internal", "the bank cannot be worked out with these resistances"))?;
    let (most, least) = (list.iter().copied().fold(0.0, f64::max), list.iter().copied().fold(f64::INFINITY, f64::min));
    let mut lines: Vec<String> = list
        .iter()
        .enumerate()
        .map(|(n, a)| format!("Battery {}: {} A, {} %.", n + 1, short(*a), short(a / amps * 100.0)))
        .collect();
    lines.push(format!("Equal would be {} A each.", short(amps / count)));
    lines.push("Each link and each battery is a resistance; the currents follow from Kirchhoff's laws, all batteries at one voltage.".to_owned());
    Ok(Worked {
        answer: format!("{} A to {} A, {} times the least.", short(least), short(most), short(most / least)),
        bad: most / least > 1.5,
        lines,
        source: "Ohm's and Kirchhoff's laws; 1.5 times as a limit: common practice, no source".to_owned(),
        curve: Some(Curve {
            along: "battery".to_owned(),
            up: "current, A".to_owned(),
            points: list.iter().enumerate().map(|(n, a)| (n as f64 + 1.0, *a)).collect(),
            limit: Some(amps / count),
            mark: None,
        }),
    })
}

fn fault(inputs: &Inputs) -> Result<Worked, Trouble> {
    let (volts, internal) = (inputs.positive("voltage")?, inputs.positive("internal")?);
    let (area, metres) = (inputs.positive("size")?, inputs.positive("length")?);
    // Cold and of nominal area: the greatest current.
    let per_m = COPPER_OHM / area;
    let ohm = |m: f64| internal + 2.0 * m * per_m;
    let amps = volts / ohm(metres);
    let hot = volts * 0.9 / (internal * 1.5 + 2.0 * metres * resistance_ohm_per_m(area, false));
    Ok(Worked {
        answer: format!("{} A at the most.", short(amps)),
        bad: false,
        lines: vec![
            format!(
                "Conductors, cold, nominal area: 2 × {} m × 0.017241 / {} mm² = {} mohm.",
                short(metres),
                short(area),
                short(2.0 * metres * per_m * 1000.0)
            ),
            format!("{} V / ({} + {}) mohm = {} A.", short(volts), short(internal * 1000.0), short(2.0 * metres * per_m * 1000.0), short(amps)),
            format!("At the least, low battery and hot conductors, about {} A: that must still open the device.", short(hot)),
        ],
        source: "Ohm's law; resistivity, IEC 60028; the least by 0.9 of the voltage and half more inside, common practice, no source".to_owned(),
        curve: Some(Curve {
            along: "one way, m".to_owned(),
            up: "prospective current, A".to_owned(),
            points: (0..=24).map(|n| f64::from(n) / 12.0 * metres).map(|m| (m, volts / ohm(m))).collect(),
            limit: None,
            mark: Some((metres, amps)),
        }),
    })
}

fn charger_loop(inputs: &Inputs) -> Result<Worked, Trouble> {
    let (amps, volts) = (inputs.positive("current")?, inputs.positive("voltage")?);
    let (charger, inverter) = (inputs.positive("charger")?, inputs.positive("inverter")?);
    for (key, share) in [("charger", charger), ("inverter", inverter)] {
        if share > 1.0 {
            return Err(inputs.trouble(key, "no device gives more than it takes: at most 100%"));
        }
    }
    let idle = inputs.si("idle")?;
    let (ah, battery, usable) = (inputs.positive("capacity")?, inputs.positive("battery")?, inputs.positive("usable")?);
    let back = amps * volts;
    let out = |charger: f64| back / charger / inverter + idle;
    let lost = out(charger) - back;
    let wh = ah * battery * usable;
    Ok(Worked {
        answer: format!("{} W lost; flat after {} h.", short(lost), short(wh / lost)),
        bad: true,
        lines: vec![
            format!("Back into the battery: {} A × {} V = {} W.", short(amps), short(volts), short(back)),
            format!(
                "Out of it: {} W / {} / {} + {} W = {} W, {} A at {} V.",
                short(back),
                short(charger),
                short(inverter),
                short(idle),
                short(out(charger)),
                short(out(charger) / battery),
                short(battery)
            ),
            format!("Lost: {} W − {} W = {} W.", short(out(charger)), short(back), short(lost)),
            format!(
                "{} Ah × {} V × {} = {} Wh; / {} W = {} h.",
                short(ah),
                short(battery),
                short(usable),
                short(wh),
                short(lost),
                short(wh / lost)
            ),
        ],
        source: "conservation of energy; efficiencies are the makers'".to_owned(),
        curve: Some(Curve {
            along: "efficiency of the charger, %".to_owned(),
            up: "lost, W".to_owned(),
            points: (60..=100).step_by(2).map(|p| (f64::from(p), out(f64::from(p) / 100.0) - back)).collect(),
            limit: None,
            mark: Some((charger * 100.0, lost)),
        }),
    })
}
