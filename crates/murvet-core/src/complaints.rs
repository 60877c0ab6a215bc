//! What somebody complains of: what it is about, which tests reproduce it, and what it says to the diagnosis.

use crate::audit::Audit;
use crate::catalogue::{Kind, SourceKind};
use crate::diagnosis::Observed;
use crate::measure::{Function, Probe, TestSetup};
use crate::network::nominal_system;
use crate::readings::{Test, TestKind};
use crate::units::Dimension;

/// What kind of complaint it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Symptom {
    /// It does nothing.
    Dead,
    /// It works.
    Works,
    /// It is weak or slow.
    Weak,
    /// It is dim or flickers.
    Dim,
    /// It stops by itself after a while, and comes back.
    ShutsDown,
    /// It opens by itself.
    Trips,
    /// The bank falls although it should charge.
    Falls,
    /// The bank is flat in the morning.
    FlatByMorning,
    /// Something tingles.
    Tingles,
    /// Something gets hot.
    Hot,
    /// Something smells of burning.
    Smells,
    /// Anything else, in words.
    Other,
}

impl Symptom {
    /// All of them, in the order in which they are offered.
    pub const ALL: [Symptom; 12] = [
        Symptom::Dead,
        Symptom::Weak,
        Symptom::Dim,
        Symptom::ShutsDown,
        Symptom::Trips,
        Symptom::Falls,
        Symptom::FlatByMorning,
        Symptom::Tingles,
        Symptom::Hot,
        Symptom::Smells,
        Symptom::Works,
        Symptom::Other,
    ];

    /// Its name in forms and records.
    pub fn word(self) -> &'static str {
        match self {
            Symptom::Dead => "dead",
            Symptom::Works => "works",
            Symptom::Weak => "weak",
            Symptom::Dim => "dim",
            Symptom::ShutsDown => "shuts-down",
            Symptom::FlatByMorning => "flat",
            Symptom::Smells => "smells",
            Symptom::Trips => "trips",
            Symptom::Falls => "falls",
            Symptom::Tingles => "tingles",
            Symptom::Hot => "hot",
            Symptom::Other => "other",
        }
    }

    /// The symptom of a name.
    pub fn parse(word: &str) -> Option<Symptom> {
        Symptom::ALL.into_iter().find(|s| s.word() == word)
    }

    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Symptom::Dead => "is dead",
            Symptom::Works => "works",
            Symptom::Weak => "is weak or slow",
            Symptom::Dim => "is dim or flickers",
            Symptom::ShutsDown => "stops by itself after a while",
            Symptom::FlatByMorning => "is flat by morning",
            Symptom::Smells => "smells of burning",
            Symptom::Trips => "opens by itself",
            Symptom::Falls => "falls although it should charge",
            Symptom::Tingles => "tingles",
            Symptom::Hot => "gets hot",
            Symptom::Other => "something else",
        }
    }
}

/// A complaint as far as the model understands it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Complaint {
    /// What kind.
    pub symptom: Symptom,
    /// The component it is about.
    pub about: Option<String>,
    /// The source it was on then.
    pub on: Option<String>,
    /// After how many minutes it shows, where that was told.
    pub delay_min: Option<u32>,
}

impl Complaint {
    /// How long a load test for it takes, min: half as long again as it takes to appear, half an hour where nobody knows
    /// (common practice, no source).
    ///
    /// ```
    /// use murvet_core::complaints::{Complaint, Symptom};
    /// let c = |delay_min| Complaint { symptom: Symptom::ShutsDown, about: None, on: None, delay_min };
    /// assert_eq!((c(None).load_min(), c(Some(15)).load_min(), c(Some(60)).load_min()), (30, 30, 90));
    /// ```
    pub fn load_min(&self) -> u32 {
        self.delay_min.map_or(30, |d| (d + d.div_ceil(2)).max(30))
    }
}

/// What is done about it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Standing {
    /// Nobody looked yet.
    Open,
    /// A test shows it.
    Confirmed,
    /// The test that would show it passes.
    NotFound,
    /// It showed, was put right, and the same test passes now.
    Done,
    /// It was left, and why.
    NotReached,
}

impl Standing {
    /// How a complaint ends, in the order in which it is offered.
    pub const ENDS: [Standing; 4] = [Standing::Confirmed, Standing::NotFound, Standing::Done, Standing::NotReached];

    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Standing::Open => "open",
            Standing::Confirmed => "confirmed",
            Standing::NotFound => "not found",
            Standing::Done => "done",
            Standing::NotReached => "not reached",
        }
    }

    /// Its stable code, as it is kept.
    pub fn code(self) -> &'static str {
        match self {
            Standing::Open => "open",
            Standing::Confirmed => "confirmed",
            Standing::NotFound => "not-found",
            Standing::Done => "done",
            Standing::NotReached => "not-reached",
        }
    }

    /// The standing of a code; an unknown one is nothing.
    pub fn of(code: &str) -> Option<Standing> {
        Standing::ENDS.into_iter().find(|s| s.code() == code)
    }

    /// Why a complaint may not end so, in words; nothing where it may. `shown` are the outcomes of the readings of the test
    /// that reproduces it, in order: whether each cleared. A complaint ends by a test that shows it, not by a promise.
    ///
    /// ```
    /// use murvet_core::complaints::Standing;
    /// assert!(Standing::Done.refused(Some(&[true])).is_some(), "it never showed");
    /// assert!(Standing::Done.refused(Some(&[false, true])).is_none());
    /// assert!(Standing::NotFound.refused(Some(&[true, false])).is_some(), "it shows now");
    /// ```
    pub fn refused(self, shown: Option<&[bool]>) -> Option<&'static str> {
        let last = shown.and_then(|s| s.last().copied());
        match self {
            Standing::Open => Some("It is open until it ends."),
            Standing::NotReached => None,
            _ if last.is_none() => Some("Name the test that would show it, and take its reading first."),
            Standing::Confirmed if last == Some(true) => Some(
                "That test passes: it is not confirmed by it. Take it in the state of the complaint, or say not found.",
            ),
            Standing::NotFound if last == Some(false) => Some("That test shows it: it is confirmed, not absent."),
            Standing::Done if last == Some(false) => Some("That test still shows it: it is not done."),
            Standing::Done if shown.is_none_or(|s| !s.contains(&false)) => {
                Some("It never showed in that test, so nothing proves that it was put right: say not found.")
            }
            _ => None,
        }
    }
}

/// Whether a test is of one of these kinds, and its source or its subject is the component.
fn is_of(test: &Test, kinds: &[TestKind], component: Option<&str>) -> bool {
    kinds.contains(&test.id.kind)
        && component.is_none_or(|p| test.id.names().any(|x| x == p || x.split('.').next() == Some(p)))
}

/// The tests that would show a complaint, the most telling first.
pub fn reproduced_by<'a>(tests: &'a [Test], complaint: &Complaint) -> Vec<&'a Test> {
    let about = complaint.about.as_deref();
    let anywhere: (&[TestKind], bool) = match complaint.symptom {
        Symptom::Dead | Symptom::Works => (
            &[
                TestKind::Outlet,
                TestKind::Appliance,
                TestKind::Census,
                TestKind::Fed,
                TestKind::Loop,
                TestKind::Drop,
                TestKind::Live,
                TestKind::ChargeAmps,
                TestKind::ChargeVolts,
                TestKind::Path,
            ],
            true,
        ),
        Symptom::Weak => (
            &[TestKind::Drop, TestKind::Path, TestKind::Sag, TestKind::Outlet, TestKind::Appliance, TestKind::Rest],
            true,
        ),
        Symptom::Trips => (
            &[
                TestKind::Insulation,
                TestKind::RcdHalf,
                TestKind::Stray,
                TestKind::Rcd,
                TestKind::Short,
                TestKind::Button,
            ],
            false,
        ),
        Symptom::Falls => (
            &[
                TestKind::Into,
                TestKind::Loop,
                TestKind::ChargeAmps,
                TestKind::Balance,
                TestKind::Idle,
                TestKind::Parasitic,
            ],
            false,
        ),
        Symptom::Tingles => (
            &[
                TestKind::Skin,
                TestKind::Earth,
                TestKind::Bonding,
                TestKind::OutletNe,
                TestKind::SupplyNe,
                TestKind::NeutralEarth,
                TestKind::Pins,
                TestKind::Stray,
            ],
            false,
        ),
        Symptom::Dim => (&[TestKind::Drop, TestKind::Live, TestKind::Sag, TestKind::Path, TestKind::Rest], true),
        Symptom::ShutsDown => (
            &[TestKind::Held, TestKind::Path, TestKind::Heat, TestKind::Loaded, TestKind::Sag, TestKind::Torque],
            false,
        ),
        Symptom::FlatByMorning => (
            &[
                TestKind::Parasitic,
                TestKind::Rest,
                TestKind::Idle,
                TestKind::Loop,
                TestKind::Moves,
                TestKind::ChargeAmps,
            ],
            false,
        ),
        Symptom::Smells => {
            (&[TestKind::Heat, TestKind::Torque, TestKind::Path, TestKind::Look, TestKind::Strands], false)
        }
        Symptom::Hot => (&[TestKind::Torque, TestKind::Heat, TestKind::Drop, TestKind::Path, TestKind::Strands], false),
        // What no measurement shows is looked at.
        Symptom::Other => (
            &[TestKind::Look, TestKind::Torque, TestKind::Strands, TestKind::Signal, TestKind::Shunt, TestKind::Button],
            false,
        ),
    };
    let (kinds, own) = anywhere;
    let on = |t: &&Test| complaint.on.as_deref().is_none_or(|s| t.id.names().any(|p| p == s));
    let own_first = |t: &&Test| {
        let kind = kinds.iter().position(|k| *k == t.id.kind).unwrap_or(kinds.len());
        (!is_of(t, kinds, about), !on(t), kind)
    };
    // What a dead outlet is about is that outlet; what trips or falls may show elsewhere.
    let mut list: Vec<&Test> = tests.iter().filter(|t| is_of(t, kinds, about.filter(|_| own))).collect();
    list.sort_by_key(own_first);
    list
}

/// What a complaint says to the diagnosis, as a reading that was told; nothing where the model has no such reading.
pub fn as_observed(audit: &Audit, tests: &[Test], complaint: &Complaint) -> Option<Observed> {
    // What takes mains and has electronics on a DC circuit needs both.
    let control =
        complaint.about.as_deref().and_then(|id| audit.assumed.component(id)?.word("control").map(str::to_owned));
    let needs: Vec<Probe> = control.iter().filter_map(|at| fed_from(audit, at)).collect();
    let told = |probe: Probe, value: f64| Some(Observed { probe, value, told: true, needs: needs.clone() });
    let of = |kinds: &[TestKind]| {
        let mut list = reproduced_by(tests, complaint);
        list.retain(|t| is_of(t, kinds, complaint.about.as_deref()));
        list.into_iter().find_map(|t| Some((t, t.probe.clone()?)))
    };
    let middle = |t: &Test| t.predicted.as_ref().map(|p| 0.5 * (p.low + p.high)).filter(|v| v.is_finite());
    match complaint.symptom {
        Symptom::Dead | Symptom::Works => {
            let works = complaint.symptom == Symptom::Works;
            // A charger that is dead gives nothing, whatever stands at its input.
            if let Some((t, probe)) = of(&[TestKind::ChargeAmps]) {
                return told(probe, if works { middle(t)? } else { 0.0 });
            }
            if let Some((t, probe)) =
                of(&[TestKind::Outlet, TestKind::Appliance, TestKind::Fed, TestKind::Census, TestKind::Loop])
            {
                let supply = &audit.net.sources;
                let volts = || supply.iter().find(|s| s.kind.is_ac()).map(|s| s.volts);
                let live = middle(t).filter(|v| *v > 50.0).or_else(volts)?;
                return told(probe, if works { live } else { 0.0 });
            }
            let id = complaint.about.as_deref()?;
            let component = audit.assumed.component(id).filter(|p| p.kind == Kind::DcLoad && p.status.present())?;
            let bank = audit.net.sources.iter().find(|s| s.kind == SourceKind::Battery)?;
            let setup = TestSetup { on: vec![component.id.clone()], dark: true, ..TestSetup::default() };
            let probe = Probe::between(Function::DcVolts, &format!("{id}.+"), &format!("{id}.-"), setup);
            told(probe, if works { bank.volts } else { 0.0 })
        }
        Symptom::Weak | Symptom::Dim => {
            let (t, probe) = of(&[TestKind::Drop])?;
            told(probe, 1.2 * t.limit.high)
        }
        Symptom::ShutsDown => stopped(audit, complaint.about.as_deref()?).and_then(|(probe, volts)| told(probe, volts)),
        // A bank that gave its usable part by morning: between flat and its cut-off.
        Symptom::FlatByMorning => {
            let about = Complaint { about: None, ..complaint.clone() };
            let rest = reproduced_by(tests, &about).into_iter().find(|t| is_of(t, &[TestKind::Rest], None))?;
            told(rest.probe.clone()?, 0.97 * rest.limit.low)
        }
        Symptom::Hot | Symptom::Smells => warm(audit, complaint.about.as_deref()?).and_then(|p| told(p, WARM_C)),
        // What lets a device of tens of milliamperes open is about ten kilohm.
        Symptom::Trips => of(&[TestKind::Insulation]).and_then(|(_, probe)| told(probe, 1e4)),
        Symptom::Falls => {
            let about = Complaint { about: None, ..complaint.clone() };
            let into = reproduced_by(tests, &about).into_iter().find(|t| is_of(t, &[TestKind::Into], None))?;
            told(into.probe.clone()?, -2.0)
        }
        Symptom::Tingles | Symptom::Other => None,
    }
}

/// What one calls hot, C: a hand stays on it for seconds only (common practice, no source).
const WARM_C: f64 = 75.0;
/// Where nobody set a cut-off, at what share of its voltage a device gives up (common practice, no source).
const GIVES_UP: f64 = 0.875;

/// What stands at the input of a device when it stops: of an inverter, or of the one that feeds an appliance, its cut-off.
fn stopped(audit: &Audit, about: &str) -> Option<(Probe, f64)> {
    let net = &audit.net;
    let rig = &audit.assumed;
    let component = rig.component(about)?;
    let inverter = |s: &&crate::network::Source| s.kind == SourceKind::Inverter && !s.opposite;
    let own = net.sources.iter().filter(inverter).find(|s| rig.components[s.component].id == about);
    let s = own.or_else(|| net.sources.iter().find(inverter))?;
    let (plus, minus) = s.input?;
    let index = net.sources.iter().position(|o| std::ptr::eq(o, s))?;
    let state = audit.states.states.iter().find(|x| x.live.active[index])?;
    let device = &rig.components[s.component];
    let volts = device
        .si("cut-off", Dimension::Voltage)
        .or_else(|| Some(GIVES_UP * nominal_system(device.si("dc", Dimension::Voltage)?)))?;
    let loads = net.consumers.iter().filter(|c| c.ac && rig.components[c.component].kind == Kind::AcLoad);
    let on: Vec<String> = match component.kind {
        Kind::AcLoad => vec![about.to_owned()],
        _ => loads.map(|c| rig.components[c.component].id.clone()).collect(),
    };
    let setup = TestSetup { controls: state.setting.controls.clone(), on, dark: true, ..TestSetup::default() };
    Some((Probe::between(Function::DcVolts, &net.nodes[plus].name, &net.nodes[minus].name, setup), volts))
}

/// The hottest terminal of a component with every appliance on direct current on.
fn warm(audit: &Audit, about: &str) -> Option<Probe> {
    let net = &audit.net;
    let rig = &audit.assumed;
    let index = rig.components.iter().position(|p| p.id == about)?;
    let own = net.nodes.iter().filter(|n| n.component == Some(index)).map(|n| (n.name.clone(), n.name.clone()));
    let leads: Vec<(String, String)> = own.collect();
    let dc = net.consumers.iter().filter(|c| !c.ac && rig.components[c.component].kind == Kind::DcLoad);
    let on = dc.map(|c| rig.components[c.component].id.clone()).collect();
    (!leads.is_empty()).then_some(Probe {
        function: Function::Celsius,
        leads,
        setup: TestSetup { on, dark: true, ..TestSetup::default() },
    })
}

/// The voltage of a DC terminal against the negative of the bank that it hangs on, on the battery alone.
fn fed_from(audit: &Audit, terminal: &str) -> Option<Probe> {
    let net = &audit.net;
    let node = net.nodes.iter().find(|n| n.name == terminal)?;
    let bank = net.sources.iter().find(|s| s.kind == SourceKind::Battery)?;
    let minus = &net.nodes[bank.minus].name;
    Some(Probe::between(Function::DcVolts, &node.name, minus, TestSetup { dark: true, ..TestSetup::default() }))
}
