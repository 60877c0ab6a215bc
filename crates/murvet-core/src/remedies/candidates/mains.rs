//! Bonds, sources that meet, chargers, landings and residual-current devices.

use super::super::Edit;
use super::{Candidate, Maker, candidate};
use crate::catalogue::Kind;
use crate::meaning::port_of;
use crate::network::WireSpot;
use crate::rig::{Cable, Component, TermRef, Value, Way};
use crate::units::{Dimension, short};

impl Maker<'_> {
    pub(super) fn open_bond(&self, component: &str) -> Vec<Candidate> {
        let Some(p) = self.rig.component(component) else { return Vec::new() };
        let mut list = Vec::new();
        match p.kind {
            Kind::Panel => {
                list.push(candidate(
                    format!("Remove the link between the neutral and earth bars of {component}"),
                    20,
                    vec![self.attribute(component, "jumper", None)],
                ));
                let own: Vec<Edit> = self
                    .rig
                    .components
                    .iter()
                    .filter(|q| ["bond-fixed", "bond-switched"].contains(&q.word("bond").unwrap_or_default()))
                    .map(|q| self.attribute(&q.id, "bond", Some("bond-none")))
                    .collect();
                list.push(candidate("Keep the link and open the bonds of the sources instead", 40, own));
            }
            _ => {
                list.push(candidate(
                    format!("Give {component} a bond that its own relay opens while it is not the source (by the maker's instructions only)"),
                    60,
                    vec![self.attribute(component, "bond", Some("bond-switched"))],
                ));
                if matches!(p.kind, Kind::Inverter | Kind::InverterCharger) && p.word("isolation") != Some("isolated") {
                    let edits = vec![
                        self.attribute(component, "isolation", Some("isolated")),
                        self.attribute(component, "bond", Some("bond-switched")),
                    ];
                    let title = format!("Replace {component} by an isolated unit that bonds while it is the source");
                    list.push(candidate(title, 120, edits));
                }
                list.push(candidate(
                    format!("Open the bond of {component}"),
                    20,
                    vec![self.attribute(component, "bond", Some("bond-none"))],
                ));
            }
        }
        for t in self.rig.components.iter().filter(|t| t.kind == Kind::Transfer && t.word("poles") != Some("2-pole")) {
            list.push(candidate(
                format!("Replace {} by a transfer switch that also opens the neutral", t.id),
                90,
                vec![self.attribute(&t.id, "poles", Some("2-pole"))],
            ));
        }
        list
    }

    pub(super) fn close_bond(&self, component: &str) -> Vec<Candidate> {
        let Some(p) = self.rig.component(component) else { return Vec::new() };
        let mut list = Vec::new();
        let bondable = p.kind == Kind::Generator || p.word("isolation") == Some("isolated");
        let word = if p.kind == Kind::Generator { "bond-fixed" } else { "bond-switched" };
        if bondable {
            list.push(candidate(
                format!("Join neutral to earth at {component} (by the maker's instructions only)"),
                30,
                vec![self.attribute(component, "bond", Some(word))],
            ));
        } else {
            // An inverter that is not known to be isolated is never bonded.
            let edits = vec![
                self.attribute(component, "isolation", Some("isolated")),
                self.attribute(component, "bond", Some(word)),
            ];
            list.push(candidate(
                format!("Replace {component} by an isolated unit that bonds while it is the source"),
                120,
                edits,
            ));
        }
        for panel in self.rig.components.iter().filter(|p| p.kind == Kind::Panel) {
            list.push(candidate(
                format!("Join the neutral and earth bars of {}", panel.id),
                15,
                vec![self.attribute(&panel.id, "jumper", Some("yes"))],
            ));
        }
        list
    }

    /// The cable that leaves a component.
    pub(super) fn leaving(&self, component: &str) -> Option<&Cable> {
        self.rig.cables.iter().find(|c| c.status.present() && c.from.component == component)
    }

    /// The cable that ends at a port.
    pub(super) fn arriving(&self, component: &str, port: Option<&str>) -> Option<&Cable> {
        self.rig.cables.iter().find(|c| {
            c.status.present()
                && c.to.component == component
                && port.is_none_or(|name| port_of(self.rig, &c.to, false).is_ok_and(|(_, p)| p.name == name))
        })
    }

    /// The panel that feeds a component, found along cables towards the source.
    pub(super) fn panel_of(&self, component: &str) -> Option<&Component> {
        let mut at = component.to_owned();
        for _ in 0..self.rig.cables.len() {
            let p = self.rig.component(&at)?;
            if p.kind == Kind::Panel {
                return Some(p);
            }
            at = self
                .arriving(&at, None)
                .filter(|c| self.finding.components.first() != Some(&c.from.component))?
                .from
                .component
                .clone();
        }
        None
    }

    pub(super) fn part_sources(&self, source: &str, others: &[String]) -> Vec<Candidate> {
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
            .panel_of(&tie.to.component)
            .and_then(|p| self.arriving(&p.id, Some("main")))
            .or_else(|| others.iter().find_map(|o| self.leaving(o)));
        let Some(feed) = feed.filter(|f| f.id != tie.id) else { return list };
        // The thicker of the two cables goes on behind the switch.
        let area = |c: &Cable| c.size.si(Dimension::Area).unwrap_or(0.0);
        let thick = if area(tie) > area(feed) { tie } else { feed };
        let limit = |id: &str| {
            let sources = self.audit.net.sources.iter().filter(|s| s.kind.is_ac() && self.ctx.id(s.component) == id);
            sources.map(|s| s.limit_a).fold(0.0, f64::max)
        };
        let most = others.iter().map(|o| limit(o)).fold(limit(source), f64::max);
        let rating =
            [16.0, 20.0, 25.0, 30.0, 32.0, 50.0, 63.0, 100.0].into_iter().find(|r| *r >= most - 1e-9).unwrap_or(100.0);
        for (kind, word, minutes) in
            [(Kind::Transfer, "manual", 120), (Kind::Transfer, "automatic", 150), (Kind::PlugChangeover, "plug", 90)]
        {
            let id = self.rig.fresh_id("new-transfer-");
            let mut component = Component::new(id.clone(), kind).with("rating", format!("{}A", short(rating)));
            if kind == Kind::Transfer {
                component = component.with("operation", word).with("poles", "2-pole");
            }
            component.place = self.rig.component(&feed.to.component).and_then(|p| p.place.clone());
            let mut on = thick.clone();
            on.id = self.rig.fresh_id("new-cable-");
            on.length = Value::new("0.5m");
            on.via = Vec::new();
            on.map = Vec::new();
            on.from = TermRef::new(id.clone(), "out");
            on.to = feed.to.clone();
            on.comment = Vec::new();
            let edits = vec![
                Edit::AddComponent(component),
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

    pub(super) fn move_charger(&self, charger: &str) -> Vec<Candidate> {
        let mut list = Vec::new();
        let feed = self.arriving(charger, None);
        let inlet = self.rig.components.iter().find(|p| p.kind == Kind::Inlet && p.status.present());
        if let (Some(feed), Some(inlet)) = (feed, inlet)
            && let Some(shore) = self.leaving(&inlet.id)
        {
            // Charger ahead of the transfer, with its own device.
            let id = self.rig.fresh_id("ahead-");
            let mut panel = Component::new(id.clone(), Kind::Panel);
            panel.place = self.rig.component(&shore.to.component).and_then(|p| p.place.clone());
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
            let residual = self.audit.rules.rcd_everywhere_a.value.map(|_| Value::new("30mA"));
            let two_hot = shore.cores == 4;
            if two_hot {
                panel.attrs.insert("legs".to_owned(), Value::new("two-hot"));
            }
            panel.ways = vec![
                Way {
                    id: "onward".to_owned(),
                    rating: Value::new(format!("{}A", short(shore_a))),
                    rcd: None,
                    leg: two_hot.then(|| "both-legs".to_owned()),
                    label: None,
                },
                Way {
                    id: "charger".to_owned(),
                    rating: Value::new(format!("{}A", short(own_a))),
                    rcd: residual,
                    leg: None,
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
                Edit::AddComponent(panel),
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
        for ic in self.rig.components.iter().filter(|p| p.kind == Kind::InverterCharger) {
            if let Some(feed) = feed {
                let edits = vec![
                    self.attribute(&ic.id, "shore-only", Some("yes")),
                    Edit::Reland { cable: feed.id.clone(), start: true, to: TermRef::new(ic.id.clone(), "aux") },
                ];
                list.push(candidate(format!("Move {charger} to the shore-only output of {}", ic.id), 60, edits));
            }
        }
        for t in
            self.rig.components.iter().filter(|t| t.kind == Kind::Transfer && t.word("operation") != Some("automatic"))
        {
            let edits = vec![self.attribute(&t.id, "operation", Some("automatic"))];
            list.push(candidate(
                format!("Make {} an automatic transfer switch and leave {charger} after it", t.id),
                90,
                edits,
            ));
        }
        let mut out =
            candidate(format!("Take {charger} out of use"), 30, vec![Edit::RemoveComponent(charger.to_owned())]);
        out.condition = Some("Nothing charges the bank from the mains any more.".to_owned());
        list.push(out);
        list
    }

    /// A residual-current device of its own for each outlet that has none, or one for all.
    pub(super) fn fit_rcd(&self) -> Vec<Candidate> {
        let mut list = Vec::new();
        let (rating, trips) = self.audit.rules.outlet_device();
        // A device of its own in the cable to each outlet that has none.
        let bare = self.finding.components.iter().filter_map(|id| Some((id, self.arriving(id, None)?)));
        let mut edits = Vec::new();
        for (n, (outlet, cable)) in bare.enumerate() {
            let id = self.rig.fresh_id(&format!("new-rcbo-{}", "i".repeat(n)));
            let mut component =
                Component::new(id.clone(), Kind::Rcbo).with("rating", rating.clone()).with("rcd", trips.clone());
            component = component.with("poles", "2-pole");
            component.place = self.rig.component(outlet).and_then(|p| p.place.clone());
            let mut on = cable.clone();
            on.id = self.rig.fresh_id(&format!("new-cable-{}", "i".repeat(n)));
            on.length = Value::new("0.3m");
            (on.via, on.map, on.comment) = (Vec::new(), Vec::new(), Vec::new());
            on.from = TermRef::new(id.clone(), "load");
            on.to = cable.to.clone();
            edits.push(Edit::AddComponent(component));
            edits.push(Edit::Reland { cable: cable.id.clone(), start: false, to: TermRef::new(id, "line") });
            edits.push(Edit::AddCable(on));
        }
        if !edits.is_empty() {
            let names = self.finding.components.join(", ");
            list.push(candidate(format!("Fit a two-pole RCBO of {trips} in the cable to {names}"), 45, edits));
        }
        for panel in self.rig.components.iter().filter(|p| p.kind == Kind::Panel && p.status.present()) {
            list.push(candidate(
                format!("Fit a residual-current device of {trips} at the main of {}", panel.id),
                60,
                vec![self.attribute(&panel.id, "rcd", Some(&trips))],
            ));
            let edits = panel
                .ways
                .iter()
                .filter(|w| w.rcd.is_none())
                .map(|w| Edit::WayRcd { component: panel.id.clone(), way: w.id.clone(), rcd: trips.to_owned() })
                .collect();
            list.push(candidate(
                format!("Replace every breaker of {} by one with a residual-current device", panel.id),
                90,
                edits,
            ));
        }
        list
    }

    /// The cable that the finding names, or that fits, landed like to like, or taken out. Where a core lies elsewhere than at the
    /// finding's subject, any cable may be the one.
    pub(super) fn land(&self, fits: impl Fn(&Cable) -> bool) -> Vec<Candidate> {
        let mut list = Vec::new();
        let named = |c: &&Cable| {
            let here = self.finding.subject == c.id || fits(c);
            c.status.present() && here && (!c.map.is_empty() || c.cores == 2)
        };
        for cable in self.rig.cables.iter().filter(named) {
            list.push(candidate(
                format!("Land the cores of {} like to like, earth included", cable.id),
                25,
                vec![Edit::LandLikeToLike { cable: cable.id.clone() }],
            ));
            list.push(candidate(format!("Take {} out", cable.id), 20, vec![Edit::RemoveCable(cable.id.clone())]));
        }
        list
    }
}
