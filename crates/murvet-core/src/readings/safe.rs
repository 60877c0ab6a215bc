//! The steps that make this rig safe to touch, in order.

use super::leaves::leaves_live;
use super::parting::{batteries, loose_ends, parting, points, unread};
use crate::audit::Audit;
use crate::catalogue::{Kind, SourceKind};
use crate::rig::Component;

/// What a step takes off or proves.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SafeOf {
    /// A source or a switch, by its component.
    Component(String),
    /// The engine of the vehicle, and a tow vehicle.
    Engine,
    /// Dead is proven, or the tester: after whatever was taken off.
    Proof,
    /// What holds whatever is touched.
    Everything,
}

/// One step.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct SafeStep {
    /// Stable name.
    pub id: String,
    /// What to do.
    pub title: String,
    /// Why, or what to look out for.
    pub note: String,
    /// What it takes off or proves.
    #[serde(skip)]
    pub of: SafeOf,
}

/// From where a component can be started beside its own switch, in words.
pub(super) fn elsewhere(p: &Component) -> Vec<&'static str> {
    let points = [
        ("remote", "the remote switch"),
        ("screen", "the screen or telephone"),
        ("ignition", "the ignition"),
        ("auto-start", "its automatic start"),
    ];
    points.into_iter().filter(|(key, _)| p.flag(key)).map(|(_, words)| words).collect()
}

/// The steps for the sources and controls of a rig: before touching, then off in the safe order (array and
/// turbine before battery, never the battery under a running alternator), then prove dead.
pub fn make_safe(audit: &Audit) -> Vec<SafeStep> {
    let rig = &audit.assumed;
    let words = &audit.rules.words;
    let mut steps = Vec::new();
    let mut step = |id: &str, of: SafeOf, title: String, note: &str| {
        steps.push(SafeStep { id: id.to_owned(), title, note: note.to_owned(), of });
    };
    let own = |p: &Component| SafeOf::Component(p.id.clone());
    let of = |kind: Kind| rig.components.iter().filter(move |p| p.kind == kind && p.status.present());
    let place = |p: &Component| {
        p.place
            .as_deref()
            .and_then(|id| rig.place(id))
            .map_or(String::new(), |p| format!(" ({})", p.label.as_deref().unwrap_or(&p.id)))
    };
    for p in of(Kind::Inlet) {
        step(
            &format!("skin:{}", p.id),
            own(p),
            "Measure the skin against true earth before touching the rig".to_owned(),
            "More than 2 V: keep off, pull the plug at the supply end.",
        );
        step(
            &format!("supply:{}", p.id),
            own(p),
            format!("Test the {}: voltage, polarity, earth, neutral to earth", words.supply),
            "Test the supply first: an outlet may carry another voltage than its shape says.",
        );
        step(
            &format!("inlet:{}", p.id),
            own(p),
            format!("Unplug {}{} and lock or cap the inlet", p.title(), place(p)),
            "The cord stays with you.",
        );
    }
    for p in of(Kind::Generator) {
        let from = elsewhere(p);
        let and = match from[..] {
            [] => " and inhibit its automatic start".to_owned(),
            _ => format!(" and disable {}", from.join(", ")),
        };
        step(
            &format!("gen:{}", p.id),
            own(p),
            format!("Stop {}{}{and}", p.title(), place(p)),
            "It may start itself when the bank falls.",
        );
    }
    if audit.net.controls.iter().any(|c| c.component.is_none()) {
        step(
            "engine",
            SafeOf::Engine,
            "Stop the engine and take the key; disconnect a tow vehicle".to_owned(),
            "Never open a battery under a running alternator.",
        );
    }
    for p in of(Kind::Inverter).chain(of(Kind::InverterCharger)) {
        let from = elsewhere(p);
        let disable = if from.is_empty() { String::new() } else { format!(", disable {},", from.join(", ")) };
        step(
            &format!("inv:{}", p.id),
            own(p),
            format!("Switch {}{} off{disable} and isolate its AC and its DC side", p.title(), place(p)),
            "Its switch, remote or screen is no isolation; its capacitors stay charged for minutes.",
        );
    }
    for p in of(Kind::Tow) {
        step(
            &format!("tow:{}", p.id),
            own(p),
            format!("Disconnect the tow vehicle at {}{}", p.title(), place(p)),
            "It feeds the rig by its own battery, engine running or not.",
        );
    }
    for p in of(Kind::Array) {
        let switches = array_switches(audit, &p.id);
        let (by, note) = if switches.is_empty() {
            (String::new(), "No isolator: cover it, and take its leads off one by one.")
        } else {
            (format!(" by {}", switches.join(" or ")), "Its leads stay live up to there while there is light.")
        };
        step(
            &format!("pv:{}", p.id),
            own(p),
            format!("Isolate {}{} before the battery{by}", p.title(), place(p)),
            note,
        );
    }
    for p in of(Kind::WindTurbine) {
        let name = format!("{}{}", p.title(), place(p));
        let (title, note) = match p.word("brake") {
            Some("brake-switch") => (
                format!("Brake {name} before the battery, and see it stand still"),
                "With the battery off it runs away. In a gale a braked one still creeps: tie its blades before its leads are touched.",
            ),
            Some("brake-by-hand") => (
                format!("Stop {name} by hand before the battery, and tie its blades"),
                "With the battery off it runs away.",
            ),
            _ => (
                format!("Turn {name} out of the wind and tie its blades before the battery"),
                "No brake was traced. With the battery off it runs away: in wind that cannot be stopped, wait.",
            ),
        };
        step(
            &format!("wind:{}", p.id),
            own(p),
            title,
            &format!("{note} It is released last, when the battery is back."),
        );
    }
    for p in unread(audit) {
        step(
            &format!("ask:{}", p.id),
            own(p),
            format!("Find out what {}{} takes off", p.title(), place(p)),
            "Nothing was traced to it: until that is known it counts as no isolator.",
        );
    }
    for s in batteries(audit) {
        let p = &rig.components[s.component];
        let parting = parting(audit, s);
        let named = |list: &[usize]| {
            let words = list.iter().map(|i| format!("{}{}", rig.components[*i].title(), place(&rig.components[*i])));
            words.collect::<Vec<_>>().join(" and ")
        };
        let live: Vec<&str> = parting.live.iter().map(|i| rig.components[*i].id.as_str()).collect();
        let (title, note) = if parting.switches.is_empty() {
            let on = if live.is_empty() { String::new() } else { format!(" On it until then: {}.", live.join(", ")) };
            (
                format!("Take off the minus lead of {}{} first, then its plus", p.title(), place(p)),
                format!("No switch parts it: insulated tools, rings off.{on}"),
            )
        } else {
            let past = if live.is_empty() {
                "Its posts and the leads up to there stay live.".to_owned()
            } else {
                format!("Still live past it: its posts, the leads up to there, and {}.", live.join(", "))
            };
            (format!("Take {}{} off: open {}", p.title(), place(p), named(&parting.switches)), past)
        };
        step(&format!("bat:{}", p.id), own(p), title, &note);
    }
    let switched = [Kind::Isolator, Kind::LoadDisconnect, Kind::AcLoad, Kind::DcLoad];
    for p in rig.components.iter().filter(|p| p.status.present() && switched.contains(&p.kind)) {
        let from = elsewhere(p);
        if !from.is_empty() {
            step(
                &format!("points:{}", p.id),
                own(p),
                format!("Disable {} of {}{}", from.join(" and "), p.title(), place(p)),
                "Somebody else switches it on while your hands are in it.",
            );
        }
    }
    let ends = loose_ends(audit);
    if !ends.is_empty() {
        step(
            "loose-ends",
            SafeOf::Everything,
            format!("Take out and keep the fuse of each live end that goes nowhere: {}", ends.join(", ")),
            "A device that is only switched off is switched on again by somebody.",
        );
    }
    let left = leaves_live(audit);
    if !left.is_empty() {
        step(
            "leaves-live",
            SafeOf::Everything,
            "Trust no button and no breaker: each leaves something live".to_owned(),
            &left.join(" "),
        );
    }
    step("prove-tester", SafeOf::Proof, "Prove the tester on a known source".to_owned(), "Before and after.");
    let (ac, dc) = points(audit);
    let (line, earth) = (&words.line, &words.earth);
    let two = rig.components.iter().any(|p| p.status.present() && p.two_hot());
    let between =
        if two { format!("; where there are two {line}s, each, and one to the other") } else { String::new() };
    let pairs = format!(
        "Alternating voltage, at each: {line} to neutral, {line} to {earth}, neutral to {earth}{between}. To neutral alone a lost neutral looks dead."
    );
    for (id, points, note) in [
        ("prove-dead", ac, pairs.as_str()),
        (
            "prove-dead-dc",
            dc,
            "Direct voltage, both sides of everything that converts; capacitors stay charged for minutes.",
        ),
    ] {
        if !points.is_empty() {
            step(id, SafeOf::Proof, format!("Prove dead where the hand goes in: {}", points.join("; ")), note);
        }
    }
    step("prove-again", SafeOf::Proof, "Prove the tester again".to_owned(), "A dead tester shows a dead rig.");
    steps
}

/// Isolators and breakers between an array and its controller.
pub(super) fn array_switches(audit: &Audit, array: &str) -> Vec<String> {
    let (net, rig) = (&audit.net, &audit.assumed);
    let ctx = audit.context();
    let part = ctx.whole();
    let own = net.sources.iter().find(|s| rig.components[s.component].id == array);
    let Some(own) = own else { return Vec::new() };
    let beside = |n: usize| part[n] == part[own.plus] || part[n] == part[own.minus];
    let mut list: Vec<String> = Vec::new();
    for (n, node) in net.nodes.iter().enumerate().filter(|(n, _)| beside(*n)) {
        let Some(p) = node.component.map(|p| &rig.components[p]) else { continue };
        // In the positive, or in a negative that only this array has.
        let shared = net.sources.iter().any(|s| s.kind != SourceKind::Array && part[s.minus] == part[n]);
        if matches!(p.kind, Kind::Isolator | Kind::Breaker | Kind::DcSocket) && node.terminal == "in" && !shared {
            list.push(p.title().to_owned());
        }
    }
    list.dedup();
    list
}
