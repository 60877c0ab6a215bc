//! The steps that make this rig safe to touch, in order.

use crate::audit::Audit;
use crate::catalogue::{Kind, SourceKind};
use crate::rig::Piece;

/// One step.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct SafeStep {
    /// Stable name.
    pub id: String,
    /// What to do.
    pub title: String,
    /// Why, or what to look out for.
    pub note: String,
}

/// From where a piece can be started beside its own switch, in words.
fn elsewhere(p: &Piece) -> Vec<&'static str> {
    let points = [
        ("remote", "the remote switch"),
        ("screen", "the screen or telephone"),
        ("ignition", "the ignition"),
        ("auto-start", "its automatic start"),
    ];
    points.into_iter().filter(|(key, _)| p.flag(key)).map(|(_, words)| words).collect()
}

/// The steps for the sources and controls of a rig: before touching, then off in the safe order (array
/// before battery, never the battery under a running alternator), then prove dead.
pub fn make_safe(audit: &Audit) -> Vec<SafeStep> {
    let rig = &audit.assumed;
    let words = audit.rules.words;
    let mut steps = Vec::new();
    let mut step = |id: &str, title: String, note: &str| {
        steps.push(SafeStep { id: id.to_owned(), title, note: note.to_owned() });
    };
    let of = |kind: Kind| rig.pieces.iter().filter(move |p| p.kind == kind && p.status.present());
    let place = |p: &Piece| {
        p.place
            .as_deref()
            .and_then(|id| rig.place(id))
            .map_or(String::new(), |p| format!(" ({})", p.label.as_deref().unwrap_or(&p.id)))
    };
    for p in of(Kind::Inlet) {
        step(
            &format!("skin:{}", p.id),
            "Measure the skin against true earth before touching the rig".to_owned(),
            "More than 2 V: keep off, pull the plug at the supply end.",
        );
        step(
            &format!("supply:{}", p.id),
            format!("Test the {}: voltage, polarity, earth, neutral to earth", words.supply),
            "Test the supply first: an outlet may carry another voltage than its shape says.",
        );
        step(
            &format!("inlet:{}", p.id),
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
            format!("Stop {}{}{and}", p.title(), place(p)),
            "It may start itself when the bank falls.",
        );
    }
    if audit.net.controls.iter().any(|c| c.piece.is_none()) {
        step(
            "engine",
            "Stop the engine and take the key; disconnect a tow vehicle".to_owned(),
            "Never open a battery under a running alternator.",
        );
    }
    for p in of(Kind::Inverter).chain(of(Kind::InverterCharger)) {
        let from = elsewhere(p);
        let disable = if from.is_empty() { String::new() } else { format!(", disable {},", from.join(", ")) };
        step(
            &format!("inv:{}", p.id),
            format!("Switch {}{} off{disable} and isolate its AC and its DC side", p.title(), place(p)),
            "Its switch, remote or screen is no isolation; its capacitors stay charged for minutes.",
        );
    }
    for p in of(Kind::Tow) {
        step(
            &format!("tow:{}", p.id),
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
        step(&format!("pv:{}", p.id), format!("Isolate {}{} before the battery{by}", p.title(), place(p)), note);
    }
    for p in of(Kind::Battery) {
        let isolated = rig.pieces.iter().any(|s| s.kind == Kind::Isolator && s.status.present());
        let (title, note) = if isolated {
            (format!("Open the isolator of {}{}", p.title(), place(p)), "What is ahead of the isolator stays live.")
        } else {
            (
                format!("Take off the minus lead of {}{} first", p.title(), place(p)),
                "There is no isolator: insulated tools, rings off.",
            )
        };
        step(&format!("bat:{}", p.id), title, note);
    }
    step("prove-tester", "Prove the tester on a known source".to_owned(), "Before and after.");
    let mut points: Vec<String> = Vec::new();
    for p in rig.pieces.iter().filter(|p| p.status.present()) {
        match p.kind {
            Kind::Panel => points.push(format!("{}: hot to N, hot to PE, N to PE", p.id)),
            Kind::FuseBlock => points.push(format!("{}: in to -", p.id)),
            Kind::Inverter | Kind::InverterCharger => points.push(format!("{}: dc+ to dc-", p.id)),
            _ => {}
        }
    }
    if !points.is_empty() {
        step("prove-dead", format!("Prove dead where the hand goes in: {}", points.join("; ")), "Test both AC and DC.");
    }
    step("prove-again", "Prove the tester again".to_owned(), "A dead tester shows a dead rig.");
    steps
}

/// Isolators and breakers between an array and its controller.
fn array_switches(audit: &Audit, array: &str) -> Vec<String> {
    let (net, rig) = (&audit.net, &audit.assumed);
    let ctx = audit.context();
    let part = ctx.whole();
    let own = net.sources.iter().find(|s| rig.pieces[s.piece].id == array);
    let Some(own) = own else { return Vec::new() };
    let beside = |n: usize| part[n] == part[own.plus] || part[n] == part[own.minus];
    let mut list: Vec<String> = Vec::new();
    for (n, node) in net.nodes.iter().enumerate().filter(|(n, _)| beside(*n)) {
        let Some(p) = node.piece.map(|p| &rig.pieces[p]) else { continue };
        // In the positive, or in a negative that only this array has.
        let shared = net.sources.iter().any(|s| s.kind != SourceKind::Array && part[s.minus] == part[n]);
        if matches!(p.kind, Kind::Isolator | Kind::Breaker) && node.terminal == "in" && !shared {
            list.push(p.title().to_owned());
        }
    }
    list.dedup();
    list
}
