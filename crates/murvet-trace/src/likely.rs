//! Where the conductor on an end is likely to go. An order of offers, which saves taps and decides nothing; common practice, no
//! source.

use crate::ends::{End, Takes};
use crate::usual::Follower;
use murvet_core::catalogue::{Kind, PortUse, Role};
use murvet_core::meaning::{HopEnd, walk};
use murvet_core::rig::{Conductor, Rig};
use murvet_core::terminals::anatomy;

/// An end where a conductor may go.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Far {
    /// The end.
    pub end: End,
    /// Polarity fits and there is room: offered first.
    pub likely: bool,
}

/// Every end that what hangs on `from` could reach, the likely ones first and of those the nearest. `all` is what
/// [`ends`](crate::ends) gives for the rig.
///
/// ```
/// use murvet_trace::{ends, far_ends};
/// let rig = murvet_core::notation::parse("battery b: agm 12V 90Ah\nbus neg\nshunt s\nrun neg : 1m 16mm2, chassis c\n").unwrap();
/// let all = ends(&rig);
/// let minus = all.iter().find(|e| e.address() == "b.-").unwrap();
/// assert_eq!(far_ends(&rig, &all, minus)[0].end.component, "neg");
/// ```
pub fn far_ends(rig: &Rig, all: &[End], from: &End) -> Vec<Far> {
    let fellow = fellow(rig, from).map(|(end, _)| end);
    // What is behind a way's own device goes to an appliance, not to a bar that something else feeds.
    let way = rig.component(&from.component).is_some_and(|c| c.ways.iter().any(|w| w.id == from.name));
    let mut list: Vec<(i32, Far)> = Vec::new();
    for end in all.iter().filter(|e| e.component != from.component && meets(from.takes, e.takes)) {
        let likely = fits(from, end) && has_room(rig, end) && !(way && end.landed > 0);
        let mut points = if likely { 1000 } else { 0 };
        if fellow.as_ref().is_some_and(|f| f.0 == end.component && f.1 == end.name) {
            points += 2000;
        }
        points += closeness(rig, from, end);
        list.push((points, Far { end: end.clone(), likely: likely || points >= 2000 }));
    }
    // Stable: of equals the later entered comes first, which is what was traced last.
    list.reverse();
    list.sort_by_key(|(points, _)| std::cmp::Reverse(*points));
    list.into_iter().map(|(_, far)| far).collect()
}

/// What two ends take must have something in common, and two ends of cables must not both be starts.
fn meets(a: Takes, b: Takes) -> bool {
    match (a, b) {
        (Takes::Conductor, Takes::Cable(_)) | (Takes::Cable(_), Takes::Conductor) => false,
        (Takes::Cable(a), Takes::Cable(b)) => a != b || a == PortUse::Both,
        _ => true,
    }
}

/// Whether the polarities fit.
fn fits(from: &End, to: &End) -> bool {
    if from.sun != to.sun && from.role == Role::Plus && to.role == Role::Plus {
        return false;
    }
    match (from.role, to.role) {
        (a, b) if a == b => true,
        (Role::Any, _) | (_, Role::Any) => true,
        // A negative bar is bonded to the chassis, and a chassis is a negative in many a rig.
        (Role::Minus, Role::Earth) | (Role::Earth, Role::Minus) => true,
        _ => false,
    }
}

/// Whether another conductor has its place there: on bars, posts and the bars of a block always, else while nothing is landed.
fn has_room(rig: &Rig, end: &End) -> bool {
    let kind = rig.component(&end.component).map(|c| c.kind);
    let bar = match kind {
        Some(Kind::FuseBlock) => end.name == "-",
        Some(Kind::Panel) => end.name == "PE",
        Some(kind) => kind.is_node() || kind == Kind::Battery,
        None => false,
    };
    bar || end.landed == 0 || end.takes == Takes::Cable(PortUse::Both)
}

fn closeness(rig: &Rig, from: &End, to: &End) -> i32 {
    let (Some(a), Some(b)) = (rig.component(&from.component), rig.component(&to.component)) else { return 0 };
    let mut points = 0;
    if a.place.is_some() && a.place == b.place {
        points += 20;
    }
    if from.role == to.role && from.role != Role::Any {
        points += 40;
    }
    if to.role == Role::Any && to.landed > 0 {
        points -= 10;
    }
    // A way feeds an appliance; anything else goes to a bar first.
    let from_way = a.ways.iter().any(|w| w.id == from.name);
    points += match (from_way, b.kind) {
        (true, Kind::DcLoad | Kind::AcLoad | Kind::Outlet | Kind::GfciOutlet) => 30,
        (false, Kind::Bus) => 25,
        (false, Kind::Chassis) if from.role == Role::Earth => 25,
        _ => 0,
    };
    // The name of the way says what hangs on it.
    if let Some(way) = a.ways.iter().find(|w| from_way && w.id == from.name)
        && (b.id == way.id || way.label.as_deref() == Some(b.title()))
    {
        points += 60;
    }
    if to.landed == 0 && !to.spare { points + 12 } else { points }
}

/// For the negative of something whose positive is landed: the negative beside where that comes from, with the conductor of the
/// same size and length in black. Nothing where its positive is open, or comes from where no negative is known.
pub fn fellow(rig: &Rig, from: &End) -> Option<((String, String), Conductor)> {
    let stem = from.name.strip_suffix('-')?;
    let index = rig.components.iter().position(|c| c.id == from.component)?;
    let own = if rig.components[index].kind == Kind::FuseBlock { "in".to_owned() } else { format!("{stem}+") };
    let plus = HopEnd::Terminal(index, own);
    let mut found = None;
    for run in &rig.runs {
        let Ok(hops) = walk(rig, run) else { continue };
        let conductors: Vec<&Conductor> = hops.iter().filter_map(|h| h.conductor).collect();
        let (Some(first), Some(last)) = (hops.first(), hops.last()) else { continue };
        let other = if last.to == plus {
            &first.from
        } else if first.from == plus {
            &last.to
        } else {
            continue;
        };
        // A device that was landed on its own: follow what leads to it.
        let longest = conductors.into_iter().max_by(|a, b| metres(a).total_cmp(&metres(b)));
        found = longest.map(|c| (other.clone(), Conductor { colour: Some("black".to_owned()), ..c.clone() }));
    }
    let (mut other, conductor) = found?;
    // Back through devices that stand in the way, each passed once.
    for _ in 0..rig.components.len() {
        let HopEnd::Terminal(at, terminal) = &other else { return None };
        let Some(across) =
            murvet_core::catalogue::Anatomy::opposite_end(terminal).filter(|_| rig.components[*at].kind.is_inline())
        else {
            break;
        };
        let before = HopEnd::Terminal(*at, across.to_owned());
        let hops = rig.runs.iter().filter_map(|r| walk(rig, r).ok()).flatten();
        let next = hops.filter_map(|h| {
            if h.to == before {
                Some(h.from)
            } else if h.from == before {
                Some(h.to)
            } else {
                None
            }
        });
        other = next.into_iter().next()?;
    }
    let HopEnd::Terminal(at, _) = other else { return None };
    let host = &rig.components[at];
    if anatomy(host).has_terminal("-") && host.kind != Kind::Battery {
        return Some(((host.id.clone(), "-".to_owned()), conductor));
    }
    // From a bar or a post: the negative bar, the one in the same place before another.
    let polarity = crate::polarity::Polarity::of(rig);
    let minus =
        |(n, c): &(usize, &murvet_core::rig::Component)| c.kind == Kind::Bus && polarity.at(*n, "bar").0 == Role::Minus;
    let bars: Vec<_> = rig.components.iter().enumerate().filter(minus).collect();
    let near = bars.iter().find(|(_, c)| c.place == host.place).or(bars.first())?;
    Some(((near.1.id.clone(), "bar".to_owned()), conductor))
}

fn metres(c: &Conductor) -> f64 {
    c.length.si(murvet_core::units::Dimension::Length).unwrap_or(0.0)
}

const fn on(kind: Kind, end: &'static str) -> Follower {
    Follower { kind, end }
}

/// Devices in a positive.
const IN_PLUS: [Follower; 7] = [
    on(Kind::Fuse, "in"),
    on(Kind::Breaker, "in"),
    on(Kind::Isolator, "in"),
    on(Kind::LoadDisconnect, "in"),
    on(Kind::Relay, "in"),
    on(Kind::DcSocket, "in"),
    on(Kind::Shunt, "in"),
];
const AT_PLUS: [Follower; 14] = [
    on(Kind::Bus, "bar"),
    on(Kind::FuseBlock, "in"),
    on(Kind::DcLoad, "+"),
    on(Kind::Battery, "+"),
    on(Kind::Inverter, "dc+"),
    on(Kind::InverterCharger, "dc+"),
    on(Kind::Charger, "dc+"),
    on(Kind::DcDc, "in+"),
    on(Kind::DcDc, "out+"),
    on(Kind::Controller, "bat+"),
    on(Kind::Alternator, "+"),
    on(Kind::Tow, "+"),
    on(Kind::WindTurbine, "+"),
    on(Kind::JointBox, "1"),
];
const FROM_SUN: [Follower; 4] =
    [on(Kind::Controller, "pv+"), on(Kind::Array, "+"), on(Kind::Array, "-"), on(Kind::JointBox, "1")];
const IN_MINUS: [Follower; 4] =
    [on(Kind::Shunt, "in"), on(Kind::Isolator, "in"), on(Kind::Fuse, "in"), on(Kind::DcSocket, "in")];
const AT_MINUS: [Follower; 7] = [
    on(Kind::Bus, "bar"),
    on(Kind::Chassis, "bar"),
    on(Kind::FuseBlock, "-"),
    on(Kind::DcLoad, "-"),
    on(Kind::Battery, "-"),
    on(Kind::Array, "+"),
    on(Kind::JointBox, "1"),
];
const AT_EARTH: [Follower; 3] = [on(Kind::Chassis, "bar"), on(Kind::Bus, "bar"), on(Kind::Electrode, "bar")];
const IN_CABLE: [Follower; 6] = [
    on(Kind::Rcbo, "line"),
    on(Kind::Breaker, "line"),
    on(Kind::Rcd, "line"),
    on(Kind::Isolator, "line"),
    on(Kind::Guard, "line"),
    on(Kind::AcContactor, "line"),
];
/// The same seen from what they feed.
const BACK_CABLE: [Follower; 5] = [
    on(Kind::Rcbo, "load"),
    on(Kind::Breaker, "load"),
    on(Kind::Rcd, "load"),
    on(Kind::Isolator, "load"),
    on(Kind::Guard, "load"),
];
const AFTER_CABLE: [Follower; 10] = [
    on(Kind::Outlet, "ac"),
    on(Kind::GfciOutlet, "line"),
    on(Kind::AcLoad, "ac"),
    on(Kind::Panel, "main"),
    on(Kind::InverterCharger, "in"),
    on(Kind::Charger, "ac"),
    on(Kind::Transfer, "a"),
    on(Kind::Transfer, "b"),
    on(Kind::PlugChangeover, "a"),
    on(Kind::JointBox, "1"),
];
const BEFORE_CABLE: [Follower; 8] = [
    on(Kind::Inlet, "out"),
    on(Kind::Generator, "out"),
    on(Kind::Inverter, "ac"),
    on(Kind::InverterCharger, "out"),
    on(Kind::Transfer, "out"),
    on(Kind::PlugChangeover, "out"),
    on(Kind::Outlet, "ac"),
    on(Kind::JointBox, "1"),
];

/// New things that may stand at the far end: devices in the line, then what a line ends at.
///
/// ```
/// use murvet_core::catalogue::Kind;
/// let rig = murvet_core::notation::parse("inlet shore\n").unwrap();
/// let (devices, _) = murvet_trace::may_follow(&murvet_trace::ends(&rig)[0]);
/// assert_eq!(devices[0].kind, Kind::Rcbo);
/// ```
pub fn may_follow(from: &End) -> (&'static [Follower], &'static [Follower]) {
    match (from.takes, from.role) {
        (Takes::Cable(PortUse::In), _) => (&BACK_CABLE, &BEFORE_CABLE),
        (Takes::Cable(_), _) => (&IN_CABLE, &AFTER_CABLE),
        (_, Role::Earth) => (&[], &AT_EARTH),
        (_, Role::Minus) => (&IN_MINUS, if from.sun { &FROM_SUN } else { &AT_MINUS }),
        (_, _) if from.sun => (&IN_PLUS, &FROM_SUN),
        _ => (&IN_PLUS, &AT_PLUS),
    }
}
