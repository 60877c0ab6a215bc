//! Devices and conductors: overcurrent protection, ampacity and drop.

use super::super::Edit;
use super::{Candidate, Maker, candidate};
use crate::catalogue::Kind;
use crate::network::{EdgeKind, WireSpot};
use crate::rig::Component;
use crate::rules::VoltageDrop;
use crate::rules::cable_drop::{judged, limit_of};
use crate::units::{Quantity, short};

impl Maker<'_> {
    pub(super) fn add_device(&self, wires: &[WireSpot], entry: &str, demand_a: Option<f64>) -> Vec<Candidate> {
        let Some(&first) = wires.first() else { return Vec::new() };
        let Some((_, wire)) = self.wire(first) else { return Vec::new() };
        let Some(own) = self.sized(first, wire.laid.area_mm2) else { return Vec::new() };
        let mut list = Vec::new();
        let store = self.rig.component(entry.split('.').next().unwrap_or(entry));
        let lithium = store.and_then(|p| p.word("chemistry")).is_some_and(|c| c == "lifepo4" || c == "nickel-lithium");
        let class = if lithium { "class-t" } else { "terminal" };
        // The smallest device that carries the load, else the largest that the cable allows.
        let ratings = self.audit.rules.ratings();
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
            let mut component = Component::new(id, kind).with("rating", format!("{}A", short(rating)));
            if kind == Kind::Fuse {
                component = component.with("class", class);
            }
            component.place = store.and_then(|p| p.place.clone());
            let mut c = candidate(
                format!("Fit a {word} of {} A within 0.15 m of {entry}", short(rating)),
                minutes,
                vec![Edit::InsertDevice { spot: first, near: entry.to_owned(), component }],
            );
            c.condition = condition.clone();
            list.push(c);
        }
        list.extend(self.device_at_tap(first, entry, rating));
        // A device for the whole load, with the conductors it then needs.
        if let Some(demand) = demand_a
            && let Some(full) = ratings.values().find(|r| *r >= demand)
            && full > rating
            && let Some(size) = self.smallest_size(&[first], full, demand)
        {
            let spots = self.thinner(wires, size);
            let component = Component::new(self.rig.fresh_id("new-fuse-"), Kind::Fuse)
                .with("rating", format!("{}A", short(full)))
                .with("class", class);
            let edits = vec![
                Edit::Resize { spots, size: size.to_owned() },
                Edit::InsertDevice { spot: first, near: entry.to_owned(), component },
            ];
            list.push(candidate(
                format!("Replace the main conductors by {size} and fit a fuse of {} A", short(full)),
                150,
                edits,
            ));
        }
        list
    }

    pub(super) fn fit_device_or_cable(
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
        if let ([(component, way)], Some(rating)) = (devices, self.largest_rating(allowed)) {
            let text = format!("{}A", short(rating));
            let name = way.as_ref().map_or_else(|| component.clone(), |way| format!("{component} way {way}"));
            let edit = self.rerate(component, way.as_deref(), &text);
            let mut c = candidate(format!("Replace the device of {name} by {text}"), 15, vec![edit]);
            c.condition = demand_a.filter(|d| *d > rating).map(|d| {
                format!("What hangs on it takes {} A and must be limited to {text}; look again when the load or the cable is changed.", short(d))
            });
            list.push(c);
        }
        list
    }

    /// The rating of the single device that limits a group.
    pub(super) fn flow_of(&self, devices: &[(String, Option<String>)]) -> Option<f64> {
        let ratings = devices.iter().filter_map(|(component, way)| {
            self.audit.net.edges.iter().find_map(|e| match &e.what {
                EdgeKind::Device { component: p, way: w, rating_a } if self.ctx.id(*p) == component && w == way => {
                    Some(*rating_a)
                }
                _ => None,
            })
        });
        let sum: f64 = ratings.sum();
        (sum > 0.0).then_some(sum)
    }

    pub(super) fn less_drop(&self, load: &str, wires: &[WireSpot]) -> Vec<Candidate> {
        let drops = judged(self.ctx);
        let own = |d: &VoltageDrop| self.ctx.id(self.ctx.net.consumers[d.consumer].component) == load;
        let Some((drop, _)) = drops.iter().find(|(d, _)| own(d)) else { return Vec::new() };
        let c = &self.ctx.net.consumers[drop.consumer];
        let profile = &self.audit.rules;
        let (limit, _) = limit_of(self.ctx, c);
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
        if let Some(size) = profile.on_sale().find(|s| lost(s, None) <= allowed_v) {
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
            let enough = profile.on_sale().find(|s| lost(s, Some(spot)) <= allowed_v);
            let size = enough.or(profile.on_sale().next_back()).unwrap_or("4/0AWG");
            let title = format!("Replace only {} by {size}", self.words(&[spot]));
            list.push(candidate(title, 45, vec![Edit::Resize { spots: vec![spot], size: size.to_owned() }]));
        }
        list
    }
}
