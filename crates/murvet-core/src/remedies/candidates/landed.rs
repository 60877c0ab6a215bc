//! Repairs that land a conductor elsewhere, move a component or feed a way from the other hot.

use super::super::Edit;
use super::{Candidate, Maker, candidate};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{EdgeKind, WireSpot};
use crate::rig::{Component, Core, Run, Step, TermRef};
use crate::units::{Dimension, short};

/// Time to land one conductor elsewhere, minutes (common practice, no source).
const LANDING_MIN: u32 = 30;

impl Maker<'_> {
    /// Conductors of runs on a terminal: the run, whether the terminal is its start, and the node at the run's other end.
    fn run_ends(&self, node: usize) -> Vec<(usize, bool, usize)> {
        let net = &self.audit.net;
        let at = |t: &TermRef| {
            let (component, terminal) = crate::meaning::terminal_of(&self.audit.assumed, t, true).ok()?;
            net.node(component, &terminal)
        };
        let mut list = Vec::new();
        for (index, run) in self.audit.assumed.runs.iter().enumerate() {
            let Some(Step::At(last)) = run.steps.last() else { continue };
            let (Some(from), Some(to)) = (at(&run.from), at(last)) else { continue };
            if from == node {
                list.push((index, true, to));
            }
            if to == node {
                list.push((index, false, from));
            }
        }
        list
    }

    fn landed(&self, run: usize, start: bool, to: &str, why: &str) -> Option<Candidate> {
        let (component, terminal) = to.split_once('.').map_or((to, None), |(p, t)| (p, Some(t)));
        let term = TermRef { component: component.to_owned(), terminal: terminal.map(str::to_owned) };
        let of: &Run = self.rig.runs.get(run)?;
        let far = match of.steps.last() {
            Some(Step::At(end)) if start => end.to_string(),
            _ => of.from.to_string(),
        };
        let title = format!("Land the conductor from {far} on {to}{why}");
        Some(candidate(title, LANDING_MIN, vec![Edit::RelandRun { run, start, to: term }]))
    }

    /// What goes round a shunt is landed behind it.
    pub(super) fn behind_shunt(&self) -> Vec<Candidate> {
        let net = &self.audit.net;
        let Some((shunt, _)) = self.subject() else { return Vec::new() };
        let ends: Vec<usize> = ["in", "out"].iter().filter_map(|t| net.node(shunt, t)).collect();
        let [a, b] = ends.as_slice() else { return Vec::new() };
        let through = |x: usize, y: usize| (x, y) == (*a, *b) || (y, x) == (*a, *b);
        let minus = |n: usize| matches!(net.nodes[n].duty, Role::Minus | Role::Any);
        let part = self.ctx.joined(|e| {
            !matches!(e.what, EdgeKind::Bond { .. } | EdgeKind::Wire(_))
                && minus(e.a)
                && minus(e.b)
                && !through(e.a, e.b)
        });
        let whole = self.ctx.joined(|e| minus(e.a) && minus(e.b) && !through(e.a, e.b));
        let store = |n: usize| net.sources.iter().any(|s| s.kind == SourceKind::Battery && part[s.minus] == part[n]);
        let banks = |n: usize| net.sources.iter().any(|s| s.kind == SourceKind::Battery && whole[s.minus] == whole[n]);
        let (near, far) = if banks(*a) { (*a, *b) } else { (*b, *a) };
        // Each conductor that leaves the battery's side for something that is neither battery nor shunt.
        let mut edits = Vec::new();
        let mut names: Vec<String> = Vec::new();
        for node in (0..net.nodes.len()).filter(|n| whole[*n] == whole[near]) {
            for (run, start, other) in self.run_ends(node) {
                let own = |n: usize| part[n] == part[near] || store(n);
                if !own(node) && !self.bar_of(node) || own(other) || other == far || self.bar_of(other) {
                    continue;
                }
                names.push(net.nodes[other].name.clone());
                let to = TermRef::new(self.ctx.id(shunt), net.nodes[far].terminal.clone());
                edits.push(Edit::RelandRun { run, start, to });
            }
        }
        if edits.is_empty() {
            return Vec::new();
        }
        let title = format!("Land {} behind {}", names.join(", "), self.ctx.component_words(shunt));
        vec![candidate(title, LANDING_MIN * edits.len() as u32, edits)]
    }

    fn bar_of(&self, node: usize) -> bool {
        self.audit.net.nodes[node]
            .component
            .is_some_and(|p| self.rig.components.get(p).is_some_and(|p| p.kind == Kind::Bus))
    }

    /// A bank tapped at its far end, thicker links, or the lead moved to the far battery.
    pub(super) fn share_alike(&self) -> Vec<Candidate> {
        let net = &self.audit.net;
        let mut list = Vec::new();
        for p in self.rig.components.iter().filter(|p| p.kind == Kind::Battery && p.status.present()) {
            if p.si("count", Dimension::Count).is_some_and(|n| n > 1.0) && p.word("taps") != Some("opposite-ends") {
                let title = format!("Move one lead of {} to the far end of the bank", p.id);
                list.push(candidate(title, LANDING_MIN, vec![self.attribute(&p.id, "taps", Some("opposite-ends"))]));
                for size in self.audit.rules.on_sale().rev().take(4) {
                    let title = format!("Replace the links of {} by {size}", p.id);
                    list.push(candidate(title, 60, vec![self.attribute(&p.id, "links", Some(size))]));
                }
            }
        }
        // Batteries entered one by one: a lead that leaves the bank goes to each other post of its pole.
        let batteries: Vec<_> = net.sources.iter().filter(|s| s.kind == SourceKind::Battery).collect();
        let posts = |minus: bool| batteries.iter().map(move |s| if minus { s.minus } else { s.plus });
        for minus in [true, false] {
            for post in posts(minus) {
                for (run, start, other) in self.run_ends(post) {
                    if posts(minus).any(|p| p == other) {
                        continue;
                    }
                    let others = posts(minus).filter(|p| *p != post);
                    list.extend(
                        others.filter_map(|to| self.landed(run, start, &net.nodes[to].name, ", at the far end")),
                    );
                }
            }
        }
        // The leads of one battery longer than those of another: thicker ones even them out.
        let spots: Vec<WireSpot> = self.leads();
        for size in self.audit.rules.on_sale().rev().take(6) {
            let thin = self.thinner(&spots, size);
            if !thin.is_empty() {
                let title = format!("Replace the leads of the batteries by {size}");
                list.push(candidate(
                    title,
                    45 * thin.len() as u32,
                    vec![Edit::Resize { spots: thin, size: (*size).to_owned() }],
                ));
            }
        }
        list
    }

    /// Conductors on the posts of batteries, and those behind the devices that they lead to.
    fn leads(&self) -> Vec<WireSpot> {
        let net = &self.audit.net;
        let post =
            |n: usize| net.sources.iter().any(|s| s.kind == SourceKind::Battery && (s.plus == n || s.minus == n));
        let mut runs: Vec<usize> = Vec::new();
        for e in &net.edges {
            if let EdgeKind::Wire(w) = e.what
                && let WireSpot::Run(run, _) = net.wires[w].spot
                && (post(e.a) || post(e.b))
            {
                runs.push(run);
            }
        }
        let of = |w: &&crate::network::Wire| matches!(w.spot, WireSpot::Run(run, _) if runs.contains(&run));
        net.wires.iter().filter(of).map(|w| w.spot).collect()
    }

    /// Another place of the rig.
    pub(super) fn another_place(&self) -> Vec<Candidate> {
        let Some((_, p)) = self.subject() else { return Vec::new() };
        let others = self.rig.places.iter().filter(|o| Some(&o.id) != p.place.as_ref());
        others
            .map(|o| {
                let edit = Edit::Place { component: p.id.clone(), place: o.id.clone() };
                let mut c = candidate(format!("Move {} to {}", p.id, o.id), 120, vec![edit]);
                c.condition =
                    Some("Its conductors are measured again after the move: their lengths change.".to_owned());
                c
            })
            .collect()
    }

    /// What must stay live is fed from ahead of the switch, by a device of its own.
    pub(super) fn ahead_of_switch(&self) -> Vec<Candidate> {
        let net = &self.audit.net;
        let find = |id: &String| self.rig.components.iter().position(|p| p.id == *id);
        let Some(switch) = self.finding.components.first().and_then(find) else { return Vec::new() };
        let part = self.ctx.joined(|e| {
            let own = |n: usize| net.nodes[n].component == Some(switch);
            !(matches!(e.what, EdgeKind::Bond { .. }) || (own(e.a) && own(e.b)))
        });
        let live = |n: &usize| net.sources.iter().any(|s| s.kind == SourceKind::Battery && part[s.plus] == part[*n]);
        let own: Vec<usize> = (0..net.nodes.len()).filter(|n| net.nodes[*n].component == Some(switch)).collect();
        let Some(ahead) = own.into_iter().find(live) else { return Vec::new() };
        let mut list = Vec::new();
        for vital in self.finding.components.iter().skip(1).filter_map(find) {
            for c in net.consumers.iter().filter(|c| c.component == vital) {
                for (run, start, from) in self.run_ends(c.plus) {
                    let Some(mut moved) = self.landed(run, !start, &net.nodes[ahead].name, ", ahead of the switch")
                    else {
                        continue;
                    };
                    let inline = self.rig.runs[run].steps.iter().any(|s| {
                        matches!(s, Step::At(t) if self.rig.component(&t.component).is_some_and(|p| p.kind.is_overcurrent_device()))
                    });
                    // The device of the way that it leaves goes with it.
                    if !inline {
                        let way = net.nodes[from].terminal.clone();
                        let rating = net.nodes[from].component.and_then(|p| {
                            self.rig.components.get(p)?.ways.iter().find(|w| w.id == way).map(|w| w.rating.text.clone())
                        });
                        let Some(rating) = rating else { continue };
                        let first = self.rig.runs[run].steps.iter().position(|s| matches!(s, Step::Conductor(_)));
                        let Some(step) = first else { continue };
                        let fuse = Component::new(self.rig.fresh_id("new-fuse-"), Kind::Fuse).with("rating", rating);
                        moved.edits.push(Edit::InsertDevice {
                            spot: WireSpot::Run(run, step),
                            near: net.nodes[ahead].name.clone(),
                            component: fuse,
                        });
                        moved.minutes += 30;
                    }
                    list.push(moved);
                }
            }
        }
        list
    }

    /// Ways of the panels on the other hot, one at a time, then the pairs.
    pub(super) fn other_leg(&self) -> Vec<Candidate> {
        let mut ways: Vec<(&Component, &str, bool)> = Vec::new();
        for p in self.rig.components.iter().filter(|p| p.kind == Kind::Panel && p.word("legs") == Some("two-hot")) {
            for w in p.ways.iter().filter(|w| w.leg.as_deref() != Some("both-legs")) {
                ways.push((p, &w.id, w.leg.as_deref() == Some("leg2")));
            }
        }
        let edit = |(p, way, second): &(&Component, &str, bool)| Edit::WayLeg {
            component: p.id.clone(),
            way: (*way).to_owned(),
            leg: (!second).then(|| "leg2".to_owned()),
        };
        let words = |(p, way, second): &(&Component, &str, bool)| {
            format!("way {way} of {} to the {} hot", p.id, if *second { "first" } else { "second" })
        };
        let mut list: Vec<Candidate> =
            ways.iter().map(|w| candidate(format!("Move {}", words(w)), 20, vec![edit(w)])).collect();
        for (n, one) in ways.iter().enumerate() {
            for two in ways.iter().skip(n + 1).take(6) {
                let title = format!("Move {} and {}", words(one), words(two));
                list.push(candidate(title, 35, vec![edit(one), edit(two)]));
            }
        }
        list
    }

    /// A conductor that should not be there is taken out: each cable between two sides of one component.
    pub(super) fn cable_out(&self) -> Vec<Candidate> {
        let touches = |c: &&crate::rig::Cable| {
            c.status.present() && self.finding.components.iter().any(|p| c.to.component == *p || c.from.component == *p)
        };
        let cables = self.rig.cables.iter().filter(touches);
        cables
            .map(|c| {
                let mut one = candidate(
                    format!("Take out {} between {} and {}", c.id, c.from, c.to),
                    20,
                    vec![Edit::RemoveCable(c.id.clone())],
                );
                one.condition = Some(format!("What {} fed is without it from then on.", c.id));
                one
            })
            .collect()
    }

    /// A conductor whose end lies loose, taken out with its device.
    pub(super) fn loose_out(&self) -> Vec<Candidate> {
        let out = |spot: &WireSpot| match *spot {
            WireSpot::Run(run, _) => {
                let of = self.rig.runs.get(run)?;
                matches!(of.steps.last(), Some(Step::End(_))).then(|| {
                    let title = format!("Take the conductor from {} out, with what stands in it alone", of.from);
                    candidate(title, 30, vec![Edit::RemoveRun(run)])
                })
            }
            WireSpot::Cable(cable, _) => {
                let of = self.rig.cables.get(cable)?;
                of.loose().map(|_| candidate(format!("Take {} out", of.id), 30, vec![Edit::RemoveCable(of.id.clone())]))
            }
        };
        self.finding.wires.iter().filter_map(out).collect()
    }

    /// Conductors from hot to hot, each taken out.
    pub(super) fn hots_apart(&self) -> Vec<Candidate> {
        let net = &self.audit.net;
        let hots: Vec<usize> = (0..net.nodes.len()).filter(|n| net.nodes[*n].duty == Role::Line).collect();
        let mut list = Vec::new();
        for (run, start, far) in hots.iter().flat_map(|n| self.run_ends(*n)) {
            if start && hots.contains(&far) {
                let title =
                    format!("Take the conductor from {} to {} out", self.rig.runs[run].from, net.nodes[far].name);
                list.push(candidate(title, 20, vec![Edit::RemoveRun(run)]));
            }
        }
        list
    }

    /// A device for the thinnest of some conductors where it leaves a thicker one.
    pub(super) fn tap_device(&self, wires: &[WireSpot], entry: &str) -> Option<Candidate> {
        let first = *wires.first()?;
        let own = self.sized(first, self.wire(first)?.1.laid.area_mm2)?;
        self.device_at_tap(first, entry, self.largest_rating(own.device_a)?)
    }

    /// A device at the tap of a cable: the rest of the cable goes on behind it.
    pub(super) fn device_at_tap(&self, first: WireSpot, entry: &str, rating_a: f64) -> Option<Candidate> {
        let WireSpot::Cable(index, core) = first else { return None };
        let cable = self.rig.cables.get(index)?;
        if core == Core::N as usize || core == Core::PE as usize {
            return None;
        }
        let at_start = entry.split('.').next() == Some(cable.from.component.as_str());
        let id = self.rig.fresh_id("new-breaker-");
        let rating = format!("{}A", short(rating_a));
        let mut component =
            Component::new(id.clone(), Kind::Breaker).with("rating", rating.clone()).with("poles", "2-pole");
        let near = if at_start { &cable.from } else { &cable.to };
        component.place = self.rig.component(&near.component).and_then(|p| p.place.clone());
        let mut tail = cable.clone();
        tail.id = self.rig.fresh_id("new-cable-");
        tail.length = crate::rig::Value::new("0.15m");
        (tail.via, tail.map, tail.comment) = (Vec::new(), Vec::new(), Vec::new());
        let (line, load) = (TermRef::new(id.clone(), "line"), TermRef::new(id, "load"));
        if at_start {
            tail.to = line;
        } else {
            tail.from = line;
            tail.to = cable.to.clone();
        }
        let edits = vec![
            Edit::AddComponent(component),
            Edit::Reland { cable: cable.id.clone(), start: at_start, to: load },
            Edit::AddCable(tail),
        ];
        Some(candidate(
            format!("Fit a two-pole breaker of {rating} at {near}, where {} is tapped off", cable.id),
            60,
            edits,
        ))
    }
}
