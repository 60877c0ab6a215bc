//! A load test foretold: the volts at a bank and at what draws from it by time, when it warns and cuts off, and the joint that
//! gets hottest.

use super::running_in;
use crate::audit::Audit;
use crate::catalogue::SourceKind;
use crate::measure::{Fault, Function, Probe, TestSetup, World};
use crate::network::{battery_volts, nominal_system};
use crate::rig::Component;
use crate::states::State;
use crate::tables::table;
use crate::units::{Dimension, short};
use std::fmt::Write;

/// How long a load test takes where no complaint says longer, min: common practice, no source.
pub const HALF_HOUR: f64 = 30.0;
/// Air in which joints are foretold, C.
const AIR_C: f64 = 21.0;
/// Halvings of the time in which a threshold is looked for: to a thousandth of it.
const HALVINGS: usize = 10;

/// One moment of a load test.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Moment {
    /// Minutes from the start.
    pub minutes: f64,
    /// Volts at the posts of the bank.
    pub bank_v: f64,
    /// Volts at the input of the inverter; at the bank where there is none.
    pub at_v: f64,
}

/// A threshold with the time at which it is reached.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Reached {
    /// Volts.
    pub volts: f64,
    /// Minutes from a full bank; nothing where the bank is empty before.
    pub minutes: Option<f64>,
}

/// What a load test of some appliances should show on the rig as traced, from a full bank.
#[derive(Debug, Clone, PartialEq)]
pub struct Course {
    /// The bank, by name.
    pub bank: String,
    /// The inverter that draws from it, by name; nothing where all are on direct current.
    pub inverter: Option<String>,
    /// Current out of the bank at the start, A.
    pub amps: f64,
    /// At the start, at a third and two thirds of the time, and at its end.
    pub moments: Vec<Moment>,
    /// Where the inverter warns.
    pub warns: Option<Reached>,
    /// Where it cuts off.
    pub cuts_off: Option<Reached>,
    /// The terminal that gets hottest and its temperature in air of 21 C, C.
    pub hottest: Option<(String, f64)>,
}

/// What such a test says nothing of.
pub const PROVES_NOT: &str = "It does not prove a motor's start, a longer run, a hotter day, a colder bank, or anything with other \
                              appliances on.";

/// Resting volts of a bank full and with its usable part gone.
fn rests(p: &Component) -> (f64, f64) {
    let chemistry = p.word("chemistry").unwrap_or("lifepo4");
    let volts = battery_volts(p);
    let base = if matches!(chemistry, "lifepo4" | "nickel-lithium") { volts } else { nominal_system(volts) };
    let t = table("chemistry");
    (base * t.get(chemistry, 2).unwrap_or(1.07), base * t.get(chemistry, 1).unwrap_or(1.0))
}

/// What happens by time with these appliances on in a state without sun; nothing where no bank gives current.
///
/// The resting voltage falls in a straight line from full to the end of the usable part within the hours that the bank lasts
/// (common practice, no source: lithium stays higher and falls at the end); what is lost inside the bank and on the way is solved
/// at every moment. Volts only fall, so the time of a threshold is found by halving.
///
/// Complexity: some thirty solves of the network.
pub fn course(audit: &Audit, state: &State, on: &[&str], minutes: f64) -> Option<Course> {
    let net = &audit.net;
    let rig = &audit.assumed;
    let lasting = running_in(audit, state, on, false).banks.into_iter().filter(|b| b.hours.is_some());
    let lasting = lasting.max_by(|a, b| a.amps.total_cmp(&b.amps))?;
    let bank = net.sources.iter().find(|s| s.kind == SourceKind::Battery && s.component == lasting.component)?;
    let whole = 60.0 * lasting.hours?;
    let component = &rig.components[bank.component];
    let (full, empty) = rests(component);
    let setup = TestSetup {
        controls: state.setting.controls.clone(),
        on: on.iter().map(|s| (*s).to_owned()).collect(),
        dark: true,
        ..TestSetup::default()
    };
    let feeds_mains = |s: &&crate::network::Source| {
        s.kind == SourceKind::Inverter
            && !s.opposite
            && s.input.is_some_and(|(p, _)| state.live.part[p] == state.live.part[bank.plus])
    };
    let mains = |id: &str| net.consumers.iter().any(|c| c.ac && rig.components[c.component].id == *id);
    let inverter = net
        .sources
        .iter()
        .enumerate()
        .find(|(i, s)| state.live.active[*i] && feeds_mains(s) && on.iter().any(|id| mains(id)));
    let at = inverter.and_then(|(_, s)| s.input).unwrap_or((bank.plus, bank.minus));
    let name = |n: usize| net.nodes[n].name.clone();
    let volts = |world: &World, (a, b): (usize, usize)| {
        world.read(&Probe::between(Function::DcVolts, &name(a), &name(b), setup.clone()))
    };
    // A bank that has given for so long is one that rests lower.
    let half_full = {
        let world = World::new(audit, &[]);
        let quiet = TestSetup { on: Vec::new(), dark: true, ..TestSetup::default() };
        world.read(&Probe::between(Function::DcVolts, &name(bank.plus), &name(bank.minus), quiet))?
    };
    let world_at = |t: f64| {
        let rest = full - (full - empty) * (t / whole).min(1.0);
        World::new(audit, &[Fault::Flat { component: component.id.clone(), share: rest / half_full }])
    };
    let moment = |t: f64| {
        let world = world_at(t);
        Some(Moment { minutes: t, bank_v: volts(&world, (bank.plus, bank.minus))?, at_v: volts(&world, at)? })
    };
    let end = minutes.min(whole);
    let moments: Vec<Moment> = [0.0, end / 3.0, 2.0 * end / 3.0, end].into_iter().filter_map(moment).collect();
    let reached = |key: &str| {
        let (_, s) = inverter?;
        let limit = rig.components[s.component].si(key, Dimension::Voltage)?;
        let below = |t: f64| moment(t).is_some_and(|m| m.at_v <= limit);
        if !below(whole) {
            return Some(Reached { volts: limit, minutes: None });
        }
        let (mut low, mut high) = (0.0, whole);
        if below(0.0) {
            high = 0.0;
        }
        for _ in 0..HALVINGS {
            let middle = 0.5 * (low + high);
            if below(middle) { high = middle } else { low = middle }
        }
        Some(Reached { volts: limit, minutes: Some(high) })
    };
    let world = world_at(0.0);
    let joints = net.wire_ends_once();
    let celsius =
        |n: usize| Some((name(n), world.read(&Probe::between(Function::Celsius, &name(n), &name(n), setup.clone()))?));
    let hottest = joints.into_iter().filter_map(celsius).max_by(|a, b| a.1.total_cmp(&b.1));
    Some(Course {
        bank: component.title().to_owned(),
        inverter: inverter.map(|(_, s)| rig.components[s.component].title().to_owned()),
        amps: lasting.amps,
        moments,
        warns: reached("warning"),
        cuts_off: reached("cut-off"),
        hottest,
    })
}

impl Reached {
    /// When, in words.
    pub fn words(&self) -> String {
        match self.minutes {
            None => format!("{} V is not reached before the bank is empty", short(self.volts)),
            Some(m) if m < 0.5 => format!("{} V at once", short(self.volts)),
            Some(m) => format!("{} V after {} min", short(self.volts), short(m)),
        }
    }
}

impl Course {
    /// What the joints should do, in words.
    pub fn joints(&self) -> String {
        match &self.hottest {
            Some((at, c)) if *c > AIR_C + 1.0 => format!("Hottest joint: {at}, {c:.0} C in air of {AIR_C:.0} C."),
            _ => "As traced no joint warms: one that does has resistance.".to_owned(),
        }
    }

    /// Volts by time, a line each.
    pub fn lines(&self) -> Vec<String> {
        let one = |m: &Moment| {
            let first = format!("After {} min: {:.2} V at {}", short(m.minutes), m.bank_v, self.bank);
            self.inverter
                .as_ref()
                .map_or_else(|| format!("{first}."), |id| format!("{first}, {:.2} V at {id}.", m.at_v))
        };
        let limits = [("Warns at", &self.warns), ("Cuts off at", &self.cuts_off)];
        let limits = limits.into_iter().filter_map(|(what, r)| Some(format!("{what} {}.", r.as_ref()?.words())));
        self.moments.iter().map(one).chain(limits).collect()
    }

    /// In lines for a person.
    pub fn text(&self) -> String {
        let mut out = format!("{} gives {} A.\n", self.bank, short(self.amps));
        for line in self.lines() {
            let _ = writeln!(out, "{line}");
        }
        let _ = writeln!(out, "{}", self.joints());
        out.push_str(PROVES_NOT);
        out.push('\n');
        out
    }
}
