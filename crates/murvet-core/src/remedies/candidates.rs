//! Candidate repairs for each kind of target. They are proposals to be tried: some are known to fail on
//! most rigs and are kept so that the reason can be read.

use super::{Candidate, Edit};
use crate::audit::Audit;
use crate::catalogue::Kind;
use crate::network::{What, Wire, WireSpot};
use crate::profiles::{Ampacity, Duty, ampacity};
use crate::rig::{Cable, Piece, Rig, TermRef, Value, Way, port_of};
use crate::rules::{Context, Finding, Target};
use crate::units::{Dimension, Quantity, short};

/// Every candidate for a finding, in no particular order.
pub fn candidates(rig: &Rig, audit: &Audit, finding: &Finding) -> Vec<Candidate> {
    let ctx = audit.context();
    let maker = Maker { rig, audit, ctx: &ctx, finding };
    match &finding.target {
        Target::Wires { wires, entry, demand_a, devices } => match finding.meta {
            "overcurrent-missing" | "device-too-far" => maker.add_device(wires, entry, *demand_a),
            _ => maker.fit_device_or_cable(wires, *demand_a, devices),
        },
        Target::Bond(piece) => maker.open_bond(piece),
        Target::Source(piece) => maker.close_bond(piece),
        Target::Tie { source, others } => maker.part_sources(source, others),
        Target::Loop(charger) => maker.move_charger(charger),
        Target::Drop { load, wires } => maker.less_drop(load, wires),
        Target::Other => maker.others(),
    }
}

struct Maker<'a> {
    rig: &'a Rig,
    audit: &'a Audit,
    ctx: &'a Context<'a>,
    finding: &'a Finding,
}

fn candidate(title: impl Into<String>, minutes: u32, edits: Vec<Edit>) -> Candidate {
    Candidate { title: title.into(), edits, minutes, condition: None }
}

impl Maker<'_> {
    fn wire(&self, spot: WireSpot) -> Option<(usize, &Wire)> {
        self.audit.net.wires.iter().enumerate().find(|(_, w)| w.spot == spot)
    }

    fn sized(&self, spot: WireSpot, area_mm2: f64) -> Option<Ampacity> {
        let (index, wire) = self.wire(spot)?;
        let mut laid = wire.laid;
        laid.area_mm2 = area_mm2;
        let edge = self.audit.net.wire_edge(index)?;
        let duty = if self.audit.net.nodes[edge.a].is_mains_side() { Duty::Ac } else { Duty::Dc };
        Some(ampacity(self.audit.profile.profile(), duty, &laid))
    }

    /// The smallest standard size that carries a current behind a device, for all these conductors.
    fn smallest_size(&self, spots: &[WireSpot], device_a: f64, load_a: f64) -> Option<&'static str> {
        let profile = self.audit.profile.profile();
        profile.sizes.iter().copied().find(|size| {
            Quantity::parse(size).is_ok_and(|q| {
                spots.iter().all(|s| {
                    self.sized(*s, q.si).is_some_and(|a| a.device_a >= device_a - 1e-9 && a.iz_a >= load_a - 1e-9)
                })
            })
        })
    }

    fn thinner(&self, spots: &[WireSpot], size: &str) -> Vec<WireSpot> {
        let Ok(q) = Quantity::parse(size) else { return Vec::new() };
        spots.iter().copied().filter(|s| self.wire(*s).is_some_and(|(_, w)| w.laid.area_mm2 < q.si * 0.999)).collect()
    }

    fn largest_rating(&self, most_a: f64) -> Option<f64> {
        self.audit.profile.profile().ratings().values().filter(|r| *r <= most_a + 1e-9).last()
    }

    fn words(&self, spots: &[WireSpot]) -> String {
        let words: Vec<String> =
            spots.iter().filter_map(|s| self.wire(*s)).map(|(i, _)| self.ctx.wire_words(i)).collect();
        words.join("; ")
    }

    fn add_device(&self, wires: &[WireSpot], entry: &str, demand_a: Option<f64>) -> Vec<Candidate> {
        let Some(&first) = wires.first() else { return Vec::new() };
        let Some((_, wire)) = self.wire(first) else { return Vec::new() };
        let Some(own) = self.sized(first, wire.laid.area_mm2) else { return Vec::new() };
        let mut list = Vec::new();
        let store = self.rig.piece(entry.split('.').next().unwrap_or(entry));
        let lithium = store.and_then(|p| p.word("chemistry")).is_some_and(|c| c == "lifepo4" || c == "nickel-lithium");
        let class = if lithium { "class-t" } else { "terminal" };
        // The smallest device that carries the load, else the largest that the cable allows.
        let ratings = self.audit.profile.profile().ratings();
        let wanted = demand_a.and_then(|d| ratings.values().find(|r| *r >= d && *r <= own.device_a + 1e-9));
        let Some(rating) = wanted.or_else(|| self.largest_rating(own.device_a)) else { return list };
        let condition = demand_a.filter(|d| *d > rating).map(|d| {
            format!(
                "The device of {} A is below the {} A that everything on it together would take: not all at full power at once; look again when a load is added.",
                short(rating),
                short(d)
            )
        });
        for (kind, minutes) in [(Kind::Fuse, 45), (Kind::Breaker, 60)] {
            let word = if kind == Kind::Fuse { "fuse" } else { "DC breaker" };
            let id = self.rig.fresh_id(if kind == Kind::Fuse { "new-fuse-" } else { "new-breaker-" });
            let mut piece = Piece::new(id, kind).with("rating", format!("{}A", short(rating)));
            if kind == Kind::Fuse {
                piece = piece.with("class", class);
            }
            piece.place = store.and_then(|p| p.place.clone());
            let mut c = candidate(
                format!("Fit a {word} of {} A within 0.15 m of {entry}", short(rating)),
                minutes,
                vec![Edit::InsertDevice { spot: first, near: entry.to_owned(), piece }],
            );
            c.condition = condition.clone();
            list.push(c);
        }
        // A device for the whole load, with the conductors it then needs.
        if let Some(demand) = demand_a
            && let Some(full) = ratings.values().find(|r| *r >= demand)
            && full > rating
            && let Some(size) = self.smallest_size(&[first], full, demand)
        {
            let spots = self.thinner(wires, size);
            let piece = Piece::new(self.rig.fresh_id("new-fuse-"), Kind::Fuse)
                .with("rating", format!("{}A", short(full)))
                .with("class", class);
            let edits = vec![
                Edit::Resize { spots, size: size.to_owned() },
                Edit::InsertDevice { spot: first, near: entry.to_owned(), piece },
            ];
            list.push(candidate(
                format!("Replace the main conductors by {size} and fit a fuse of {} A", short(full)),
                150,
                edits,
            ));
        }
        list
    }

    fn fit_device_or_cable(
        &self,
        wires: &[WireSpot],
        demand_a: Option<f64>,
        devices: &[(String, Option<String>)],
    ) -> Vec<Candidate> {
        let mut list = Vec::new();
        let allowed = wires
            .iter()
            .filter_map(|s| self.sized(*s, self.wire(*s)?.1.laid.area_mm2))
            .map(|a| a.device_a)
            .fold(f64::INFINITY, f64::min);
        let flow = self.flow_of(devices);
        if let Some(size) = self.smallest_size(wires, flow.unwrap_or(0.0), demand_a.unwrap_or(0.0)) {
            let spots = self.thinner(wires, size);
            let title = format!("Replace {} by {size}", self.words(&spots));
            list.push(candidate(title, 60, vec![Edit::Resize { spots, size: size.to_owned() }]));
        }
        if let ([(piece, way)], Some(rating)) = (devices, self.largest_rating(allowed)) {
            let text = format!("{}A", short(rating));
            let (edit, name) = match way {
                Some(way) => (
                    Edit::WayRating { piece: piece.clone(), way: way.clone(), rating: text.clone() },
                    format!("{piece} way {way}"),
                ),
                None => {
                    let main = self.rig.piece(piece).is_some_and(|p| p.kind == Kind::Panel);
                    let key = if main { "main" } else { "rating" };
                    (
                        Edit::Attribute { piece: piece.clone(), key: key.to_owned(), value: Some(text.clone()) },
                        piece.clone(),
                    )
                }
            };
            let mut c = candidate(format!("Replace the device of {name} by {text}"), 15, vec![edit]);
            c.condition = demand_a.filter(|d| *d > rating).map(|d| {
                format!("What hangs on it takes {} A and must be limited to {text}; look again when the load or the cable is changed.", short(d))
            });
            list.push(c);
        }
        list
    }

    /// The rating of the single device that limits a group.
    fn flow_of(&self, devices: &[(String, Option<String>)]) -> Option<f64> {
        let ratings = devices.iter().filter_map(|(piece, way)| {
            self.audit.net.edges.iter().find_map(|e| match &e.what {
                What::Device { piece: p, way: w, rating_a } if self.ctx.id(*p) == piece && w == way => Some(*rating_a),
                _ => None,
            })
        });
        let sum: f64 = ratings.sum();
        (sum > 0.0).then_some(sum)
    }

    fn attribute(&self, piece: &str, key: &str, value: Option<&str>) -> Edit {
        Edit::Attribute { piece: piece.to_owned(), key: key.to_owned(), value: value.map(str::to_owned) }
    }

    fn open_bond(&self, piece: &str) -> Vec<Candidate> {
        let Some(p) = self.rig.piece(piece) else { return Vec::new() };
        let mut list = Vec::new();
        match p.kind {
            Kind::Panel => {
                list.push(candidate(
                    format!("Remove the link between the neutral and earth bars of {piece}"),
                    20,
                    vec![self.attribute(piece, "jumper", None)],
                ));
                let own: Vec<Edit> = self
                    .rig
                    .pieces
                    .iter()
                    .filter(|q| ["bond-fixed", "bond-switched"].contains(&q.word("bond").unwrap_or_default()))
                    .map(|q| self.attribute(&q.id, "bond", Some("bond-none")))
                    .collect();
                list.push(candidate("Keep the link and open the bonds of the sources instead", 40, own));
            }
            _ => {
                list.push(candidate(
                    format!("Give {piece} a bond that its own relay opens while it is not the source (by the maker's instructions only)"),
                    60,
                    vec![self.attribute(piece, "bond", Some("bond-switched"))],
                ));
                list.push(candidate(
                    format!("Open the bond of {piece}"),
                    20,
                    vec![self.attribute(piece, "bond", Some("bond-none"))],
                ));
            }
        }
        for t in self.rig.pieces.iter().filter(|t| t.kind == Kind::Transfer && t.word("poles") != Some("2-pole")) {
            list.push(candidate(
                format!("Replace {} by a transfer switch that also opens the neutral", t.id),
                90,
                vec![self.attribute(&t.id, "poles", Some("2-pole"))],
            ));
        }
        list
    }

    fn close_bond(&self, piece: &str) -> Vec<Candidate> {
        let Some(p) = self.rig.piece(piece) else { return Vec::new() };
        let mut list = Vec::new();
        let bondable = p.kind == Kind::Generator || p.word("isolation") == Some("isolated");
        let word = if p.kind == Kind::Generator { "bond-fixed" } else { "bond-switched" };
        if bondable {
            list.push(candidate(
                format!("Join neutral to earth at {piece} (by the maker's instructions only)"),
                30,
                vec![self.attribute(piece, "bond", Some(word))],
            ));
        } else {
            // An inverter that is not known to be isolated is never bonded.
            let edits =
                vec![self.attribute(piece, "isolation", Some("isolated")), self.attribute(piece, "bond", Some(word))];
            list.push(candidate(
                format!("Replace {piece} by an isolated unit that bonds while it is the source"),
                120,
                edits,
            ));
        }
        for panel in self.rig.pieces.iter().filter(|p| p.kind == Kind::Panel) {
            list.push(candidate(
                format!("Join the neutral and earth bars of {}", panel.id),
                15,
                vec![self.attribute(&panel.id, "jumper", Some("yes"))],
            ));
        }
        list
    }

    /// The cable that leaves a piece.
    fn leaving(&self, piece: &str) -> Option<&Cable> {
        self.rig.cables.iter().find(|c| c.status.present() && c.from.piece == piece)
    }

    /// The cable that ends at a port.
    fn arriving(&self, piece: &str, port: Option<&str>) -> Option<&Cable> {
        self.rig.cables.iter().find(|c| {
            c.status.present()
                && c.to.piece == piece
                && port.is_none_or(|name| port_of(self.rig, &c.to, false).is_ok_and(|(_, p)| p.name == name))
        })
    }

    /// The panel that feeds a piece, found along cables towards the source.
    fn panel_of(&self, piece: &str) -> Option<&Piece> {
        let mut at = piece.to_owned();
        for _ in 0..self.rig.cables.len() {
            let p = self.rig.piece(&at)?;
            if p.kind == Kind::Panel {
                return Some(p);
            }
            at = self
                .arriving(&at, None)
                .filter(|c| self.finding.pieces.first() != Some(&c.from.piece))?
                .from
                .piece
                .clone();
        }
        None
    }

    fn part_sources(&self, source: &str, others: &[String]) -> Vec<Candidate> {
        let Some(tie) = self.leaving(source) else { return Vec::new() };
        let mut list = vec![candidate(
            format!("Take out {} between {} and {}", tie.id, tie.from, tie.to),
            20,
            vec![Edit::RemoveCable(tie.id.clone())],
        )];
        if let Some(c) = list.last_mut() {
            c.condition =
                Some(format!("{source} no longer feeds the rig; what is to run from it plugs into it directly."));
        }
        let feed = self
            .panel_of(&tie.to.piece)
            .and_then(|p| self.arriving(&p.id, Some("main")))
            .or_else(|| others.iter().find_map(|o| self.leaving(o)));
        let Some(feed) = feed.filter(|f| f.id != tie.id) else { return list };
        // The thicker of the two cables goes on behind the switch.
        let area = |c: &Cable| c.size.si(Dimension::Area).unwrap_or(0.0);
        let thick = if area(tie) > area(feed) { tie } else { feed };
        let limit = |id: &str| {
            let sources = self.audit.net.sources.iter().filter(|s| s.kind.is_ac() && self.ctx.id(s.piece) == id);
            sources.map(|s| s.limit_a).fold(0.0, f64::max)
        };
        let most = others.iter().map(|o| limit(o)).fold(limit(source), f64::max);
        let rating =
            [16.0, 20.0, 25.0, 30.0, 32.0, 50.0, 63.0, 100.0].into_iter().find(|r| *r >= most - 1e-9).unwrap_or(100.0);
        for (kind, word, minutes) in
            [(Kind::Transfer, "manual", 120), (Kind::Transfer, "automatic", 150), (Kind::PlugChangeover, "plug", 90)]
        {
            let id = self.rig.fresh_id("new-transfer-");
            let mut piece = Piece::new(id.clone(), kind).with("rating", format!("{}A", short(rating)));
            if kind == Kind::Transfer {
                piece = piece.with("operation", word).with("poles", "2-pole");
            }
            piece.place = self.rig.piece(&feed.to.piece).and_then(|p| p.place.clone());
            let mut on = thick.clone();
            on.id = self.rig.fresh_id("new-cable-");
            on.length = Value::new("0.5m");
            on.via = Vec::new();
            on.map = Vec::new();
            on.from = TermRef::new(id.clone(), "out");
            on.to = feed.to.clone();
            on.comment = Vec::new();
            let edits = vec![
                Edit::AddPiece(piece),
                Edit::Reland { cable: feed.id.clone(), start: false, to: TermRef::new(id.clone(), "a") },
                Edit::Reland { cable: tie.id.clone(), start: false, to: TermRef::new(id.clone(), "b") },
                Edit::AddCable(on),
            ];
            let what = match word {
                "plug" => "a plug changeover".to_owned(),
                _ => format!("a two-pole {word} transfer switch of {} A", short(rating)),
            };
            list.push(candidate(format!("Fit {what} that takes either {} or {}", feed.id, tie.id), minutes, edits));
        }
        list
    }

    fn move_charger(&self, charger: &str) -> Vec<Candidate> {
        let mut list = Vec::new();
        let feed = self.arriving(charger, None);
        let inlet = self.rig.pieces.iter().find(|p| p.kind == Kind::Inlet && p.status.present());
        if let (Some(feed), Some(inlet)) = (feed, inlet)
            && let Some(shore) = self.leaving(&inlet.id)
        {
            // Charger ahead of the transfer, with its own device.
            let id = self.rig.fresh_id("ahead-");
            let mut panel = Piece::new(id.clone(), Kind::Panel);
            panel.place = self.rig.piece(&shore.to.piece).and_then(|p| p.place.clone());
            let shore_a = inlet.si("rating", Dimension::Current).unwrap_or(30.0);
            let own_a = self
                .rig
                .cables
                .iter()
                .position(|c| c.id == feed.id)
                .and_then(|i| self.sized(WireSpot::Cable(i, 0), feed.size.si(Dimension::Area)?))
                .and_then(|a| self.largest_rating(a.device_a))
                .unwrap_or(15.0)
                .min(20.0);
            let residual = self.audit.profile.profile().rcd_everywhere.map(|_| Value::new("30mA"));
            panel.ways = vec![
                Way {
                    id: "onward".to_owned(),
                    rating: Value::new(format!("{}A", short(shore_a))),
                    rcd: None,
                    label: None,
                },
                Way {
                    id: "charger".to_owned(),
                    rating: Value::new(format!("{}A", short(own_a))),
                    rcd: residual,
                    label: Some("charger, shore only".to_owned()),
                },
            ];
            let mut onward = shore.clone();
            onward.id = self.rig.fresh_id("new-cable-");
            onward.length = Value::new("0.5m");
            onward.via = Vec::new();
            onward.map = Vec::new();
            onward.from = TermRef::new(id.clone(), "onward");
            onward.to = shore.to.clone();
            onward.comment = Vec::new();
            let edits = vec![
                Edit::AddPiece(panel),
                Edit::Reland { cable: shore.id.clone(), start: false, to: TermRef::new(id.clone(), "main") },
                Edit::AddCable(onward),
                Edit::Reland { cable: feed.id.clone(), start: true, to: TermRef::new(id.clone(), "charger") },
            ];
            list.push(candidate(
                format!(
                    "Move {charger} ahead of the transfer, on the shore side, with its own {} A breaker",
                    short(own_a)
                ),
                100,
                edits,
            ));
        }
        for ic in self.rig.pieces.iter().filter(|p| p.kind == Kind::InverterCharger) {
            if let Some(feed) = feed {
                let edits = vec![
                    self.attribute(&ic.id, "shore-only", Some("yes")),
                    Edit::Reland { cable: feed.id.clone(), start: true, to: TermRef::new(ic.id.clone(), "aux") },
                ];
                list.push(candidate(format!("Move {charger} to the shore-only output of {}", ic.id), 60, edits));
            }
        }
        for t in self.rig.pieces.iter().filter(|t| t.kind == Kind::Transfer && t.word("operation") != Some("automatic"))
        {
            let edits = vec![self.attribute(&t.id, "operation", Some("automatic"))];
            list.push(candidate(
                format!("Make {} an automatic transfer switch and leave {charger} after it", t.id),
                90,
                edits,
            ));
        }
        let mut out = candidate(format!("Take {charger} out of use"), 30, vec![Edit::RemovePiece(charger.to_owned())]);
        out.condition = Some("Nothing charges the bank from the mains any more.".to_owned());
        list.push(out);
        list
    }

    fn less_drop(&self, load: &str, wires: &[WireSpot]) -> Vec<Candidate> {
        let drops = crate::rules::drops(self.ctx);
        let Some(drop) = drops.iter().find(|d| self.ctx.id(self.ctx.net.consumers[d.consumer].piece) == load) else {
            return Vec::new();
        };
        let c = &self.ctx.net.consumers[drop.consumer];
        let profile = self.audit.profile.profile();
        let limit = match (c.ac, c.vital) {
            (true, _) => 0.05,
            (false, true) => profile.drop_vital.value,
            (false, false) => profile.drop_other.value,
        };
        let allowed_v = drop.source_v * limit;
        let lost = |size: &str, only: Option<WireSpot>| -> f64 {
            let Ok(q) = Quantity::parse(size) else { return f64::INFINITY };
            drop.through
                .iter()
                .map(|&(w, amps, ohm)| {
                    let wire = &self.audit.net.wires[w];
                    let change = only.is_none_or(|s| s == wire.spot) && wire.laid.area_mm2 < q.si * 0.999;
                    let new = wire.length_m * crate::profiles::resistance_ohm_per_m(q.si, q.is_gauge());
                    amps * if change { new } else { ohm }
                })
                .sum()
        };
        let mut list = Vec::new();
        if let Some(size) = profile.sizes.iter().find(|s| lost(s, None) <= allowed_v) {
            let spots = self.thinner(wires, size);
            let title = format!("Replace supply and return ({}) by {size}", self.words(&spots));
            list.push(candidate(
                title,
                30 + 20 * spots.len() as u32,
                vec![Edit::Resize { spots, size: (*size).to_owned() }],
            ));
        }
        let worst = drop.through.iter().max_by(|a, b| (a.1 * a.2).total_cmp(&(b.1 * b.2)));
        if let Some(&(w, ..)) = worst {
            let spot = self.audit.net.wires[w].spot;
            let enough = profile.sizes.iter().find(|s| lost(s, Some(spot)) <= allowed_v);
            let size = enough.or(profile.sizes.last()).copied().unwrap_or("4/0AWG");
            let title = format!("Replace only {} by {size}", self.words(&[spot]));
            list.push(candidate(title, 45, vec![Edit::Resize { spots: vec![spot], size: size.to_owned() }]));
        }
        list
    }

    /// Rules without a target of their own: landings, earth cores and residual-current devices.
    fn others(&self) -> Vec<Candidate> {
        let mut list = Vec::new();
        match self.finding.meta {
            "rcd-missing" => {
                for panel in self.rig.pieces.iter().filter(|p| p.kind == Kind::Panel && p.status.present()) {
                    list.push(candidate(
                        format!("Fit a 30 mA residual-current device at the main of {}", panel.id),
                        60,
                        vec![self.attribute(&panel.id, "rcd", Some("30mA"))],
                    ));
                    let edits = panel
                        .ways
                        .iter()
                        .filter(|w| w.rcd.is_none())
                        .map(|w| Edit::WayRcd { piece: panel.id.clone(), way: w.id.clone(), rcd: "30mA".to_owned() })
                        .collect();
                    list.push(candidate(
                        format!("Replace every breaker of {} by one with a residual-current device", panel.id),
                        90,
                        edits,
                    ));
                }
            }
            _ => {
                let named = |c: &&Cable| {
                    c.status.present()
                        && (c.id == self.finding.subject
                            || (self.finding.meta == "earth-missing" && self.finding.pieces.contains(&c.to.piece)))
                        && (!c.map.is_empty() || c.cores == 2)
                };
                for cable in self.rig.cables.iter().filter(named) {
                    list.push(candidate(
                        format!("Land the cores of {} like to like, earth included", cable.id),
                        25,
                        vec![Edit::LandLikeToLike { cable: cable.id.clone() }],
                    ));
                    list.push(candidate(
                        format!("Take {} out", cable.id),
                        20,
                        vec![Edit::RemoveCable(cable.id.clone())],
                    ));
                }
            }
        }
        list
    }
}
