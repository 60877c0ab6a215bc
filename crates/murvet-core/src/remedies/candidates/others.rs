//! Repairs for the rules beside the five hazards: another device, a switch, a bond, a setting.

use super::super::Edit;
use super::{Candidate, Maker, candidate};
use crate::catalogue::{Kind, Role, SourceKind};
use crate::network::{Consumer, EdgeKind};
use crate::rig::{Component, Conductor, Run, Step, TermRef};
use crate::rules::About;
use crate::rules::charge_voltage::highest_of_stack;
use crate::rules::protection::greatest_into;
use crate::units::{Dimension, Quantity, short};

/// Voltage classes in which solar controllers are sold, V (common practice, no source).
const CONTROLLER_V: [f64; 6] = [50.0, 75.0, 100.0, 150.0, 250.0, 450.0];

impl Maker<'_> {
    /// The component that a finding names first.
    pub(super) fn subject(&self) -> Option<(usize, &Component)> {
        let id = self.finding.components.first()?;
        self.rig.components.iter().enumerate().find(|(_, p)| p.id == *id)
    }

    /// Another device in the same place.
    pub(super) fn another_device(&self, kind: bool) -> Vec<Candidate> {
        let Some((_, p)) = self.subject() else { return Vec::new() };
        // A vehicle fuse on mains wants one for mains.
        let class = if kind { "gg" } else { "class-t" };
        let mut edits = vec![self.attribute(&p.id, "breaking", None), self.attribute(&p.id, "rated", None)];
        if p.kind == Kind::Fuse {
            edits.push(self.attribute(&p.id, "class", Some(class)));
            let title = format!("Replace {} by a {class} fuse of the same rating in a holder of its own", p.id);
            return vec![candidate(title, 40, edits)];
        }
        // A breaker for DC that is marked for what it stands on.
        edits.push(self.attribute(&p.id, "class", None));
        edits.push(self.attribute(&p.id, "duty", Some("dc-rated")));
        let mut list = vec![candidate(
            format!("Replace {} by a breaker of the same rating that is made for DC", p.id),
            45,
            edits.clone(),
        )];
        edits.push(self.attribute(&p.id, "breaking", Some("20kA")));
        edits.push(self.attribute(&p.id, "rated", Some("125V")));
        list.push(candidate(format!("Replace {} by a DC breaker marked 125 V and 20 kA", p.id), 60, edits));
        list
    }

    /// A contact for all that can flow through it.
    pub(super) fn larger_contact(&self) -> Vec<Candidate> {
        let Some((index, p)) = self.subject() else { return Vec::new() };
        let net = &self.audit.net;
        let own: Vec<usize> = (0..net.nodes.len()).filter(|&n| net.nodes[n].component == Some(index)).collect();
        let inside = net.edges.iter().enumerate().filter(|(_, e)| own.contains(&e.a) && own.contains(&e.b));
        let deleted: Vec<usize> =
            inside.filter(|(_, e)| matches!(e.what, EdgeKind::Joint | EdgeKind::Contact(_))).map(|(i, _)| i).collect();
        let (amps, _) = greatest_into(self.ctx, &own, &deleted, p.kind == Kind::Bus, 0.0);
        let key = if p.kind == Kind::InverterCharger { "relay" } else { "rating" };
        let next = self.audit.rules.ratings().values().find(|r| *r >= amps);
        let rating = next.map(|r| format!("{}A", short(r)));
        rating
            .into_iter()
            .map(|r| {
                candidate(format!("Replace {} by one rated {r}", p.id), 60, vec![self.attribute(&p.id, key, Some(&r))])
            })
            .collect()
    }

    /// A device of the maker's figure right at the appliance.
    pub(super) fn own_device(&self) -> Vec<Candidate> {
        let Some((index, p)) = self.subject() else { return Vec::new() };
        let net = &self.audit.net;
        let Some(most) = p.si("max-device", Dimension::Current).and_then(|m| self.largest_rating(m)) else {
            return Vec::new();
        };
        let Some(plus) = net.consumers.iter().find(|c| c.component == index).map(|c| c.plus) else { return Vec::new() };
        let spot = net.edges.iter().find_map(|e| match e.what {
            EdgeKind::Wire(w) if e.a == plus || e.b == plus => Some(net.wires[w].spot),
            _ => None,
        });
        let rating = format!("{}A", short(most));
        let fuse = Component::new(self.rig.fresh_id("new-fuse-"), Kind::Fuse).with("rating", rating.clone());
        let near = net.nodes[plus].name.clone();
        spot.into_iter()
            .map(|spot| {
                let edit = Edit::InsertDevice { spot, near: near.clone(), component: fuse.clone() };
                candidate(format!("Fit a fuse of {rating} at {}", p.id), 30, vec![edit])
            })
            .collect()
    }

    /// A switch at the source.
    pub(super) fn fit_switch(&self) -> Vec<Candidate> {
        let Some((index, p)) = self.subject() else { return Vec::new() };
        let net = &self.audit.net;
        let Some(source) = net.sources.iter().find(|s| s.component == index) else { return Vec::new() };
        let near = &net.nodes[source.plus].name;
        let wires = net.edges.iter().filter_map(|e| match e.what {
            EdgeKind::Wire(w) if e.a == source.plus || e.b == source.plus => Some(w),
            _ => None,
        });
        let wires: Vec<usize> = wires.collect();
        let amps: f64 = wires.iter().map(|w| self.ctx.ampacity(*w).device_a).fold(0.0, f64::max);
        // What the source itself can give passes it too: an array in strong sun.
        let own = if source.kind == SourceKind::Array { source.limit_a * self.audit.rules.sun.value } else { 0.0 };
        let Some(rating) = self.audit.rules.ratings().values().find(|r| *r >= amps.max(own)) else {
            return Vec::new();
        };
        let edits: Vec<Edit> = wires
            .iter()
            .enumerate()
            .map(|(n, w)| {
                let id = self.rig.fresh_id(&format!("new-switch-{}", "i".repeat(n)));
                let mut component = Component::new(id, Kind::Isolator).with("rating", format!("{}A", short(rating)));
                component.place.clone_from(&p.place);
                Edit::InsertDevice { spot: net.wires[*w].spot, near: near.clone(), component }
            })
            .collect();
        vec![candidate(format!("Fit an isolator of {} A at {near}", short(rating)), 60, edits)]
    }

    /// A conductor from the earth bar, or from where mains comes in, to the chassis.
    pub(super) fn bond_chassis(&self) -> Vec<Candidate> {
        let bar = self.rig.components.iter().find(|p| p.kind == Kind::Panel && p.status.present());
        let sources = &self.audit.net.sources;
        let inlet = sources.iter().find(|s| s.kind == SourceKind::Shore || s.kind == SourceKind::Generator);
        let from = bar
            .map(|p| TermRef::new(p.id.clone(), "PE"))
            .or_else(|| inlet.map(|s| TermRef::new(self.ctx.id(s.component), "out.PE")));
        self.bond(from, &self.audit.rules.bond_size.value)
    }

    /// A conductor from the negative to the chassis, as thick as the largest conductor of the negative.
    pub(super) fn bond_negative(&self) -> Vec<Candidate> {
        let net = &self.audit.net;
        let minus = net.edges.iter().filter_map(|e| match e.what {
            EdgeKind::Wire(w) if net.nodes[e.a].duty == Role::Minus => Some(w),
            _ => None,
        });
        let area = minus.map(|w| net.wires[w].laid.area_mm2).fold(6.0, f64::max);
        let fits = |s: &&str| Quantity::parse(s).is_ok_and(|q| q.si >= area * 0.99);
        let size = self.audit.rules.on_sale().find(fits).unwrap_or(&self.audit.rules.bond_size.value);
        self.bond(self.subject().map(|(_, p)| TermRef::new(p.id.clone(), "-")), size)
    }

    fn bond(&self, from: Option<TermRef>, size: &str) -> Vec<Candidate> {
        let frame = self.rig.components.iter().find(|p| p.kind == Kind::Chassis && p.status.present());
        let (Some(from), Some(frame)) = (from, frame) else { return Vec::new() };
        let onto = TermRef { component: frame.id.clone(), terminal: None };
        let mut conductor = Conductor::new("1m", size);
        conductor.colour = Some(self.audit.rules.earth_colour.value.clone());
        let steps = vec![Step::Conductor(conductor), Step::At(onto.clone())];
        let title = format!("Join {from} to {onto} by {size}");
        vec![candidate(title, 40, vec![Edit::AddRun(Run { from, steps, comment: Vec::new() })])]
    }

    /// A charger set to what its battery wants.
    pub(super) fn set_charger(&self) -> Vec<Candidate> {
        let [charger, battery] = self.finding.components.as_slice() else { return Vec::new() };
        let Some(p) = self.rig.component(battery) else { return Vec::new() };
        let stated = p.attrs.get("absorption");
        let bank =
            self.audit.net.sources.iter().find(|s| self.rig.components.get(s.component).is_some_and(|o| o.id == p.id));
        bank.and_then(|b| highest_of_stack(self.ctx, b))
            .into_iter()
            .map(|(v, _)| {
                let text = format!("{:.1}V", (v * 10.0).floor() / 10.0);
                let mut c = candidate(
                    format!("Set {charger} to {text}, or replace it by one that can be"),
                    20,
                    vec![self.attribute(charger, "voltage", Some(&text))],
                );
                c.condition =
                    stated.is_none().then(|| format!("The figure for {battery} is a usual one: read its maker's."));
                c
            })
            .collect()
    }

    /// An inverter used for less than it could, on a recorded condition: by what holds ahead of it.
    pub(super) fn derate(&self) -> Vec<Candidate> {
        self.derated(
            |p| self.finding.components.contains(&p.id),
            |c| greatest_into(self.ctx, &[c.plus], &[], true, f64::INFINITY).0,
        )
    }

    /// The same, by what its bank may give.
    pub(super) fn derate_for_bank(&self) -> Vec<Candidate> {
        let bank = self.subject().and_then(|(_, b)| {
            Some(b.si("discharge", Dimension::Current)? * b.si("count", Dimension::Count).unwrap_or(1.0))
        });
        self.derated(|_| true, |_| bank.unwrap_or(0.0))
    }

    fn derated(&self, which: impl Fn(&Component) -> bool, held: impl Fn(&Consumer) -> f64) -> Vec<Candidate> {
        let net = &self.audit.net;
        let on = |kind: Kind| matches!(kind, Kind::Inverter | Kind::InverterCharger);
        let Some((index, p)) = self.rig.components.iter().enumerate().find(|(_, p)| on(p.kind) && which(p)) else {
            return Vec::new();
        };
        let Some(c) = net.consumers.iter().find(|c| c.component == index) else { return Vec::new() };
        let (Some(full_a), Some(watts)) = (c.current_a, p.si("power", Dimension::Power)) else { return Vec::new() };
        let held_a = held(c);
        if held_a <= 0.0 || held_a >= full_a {
            return Vec::new();
        }
        let less = (watts * held_a / full_a / 50.0).floor() * 50.0;
        let mut one = candidate(
            format!("Use {} for {} W at the most and label it so", p.id, short(less)),
            15,
            vec![self.attribute(&p.id, "power", Some(&format!("{}W", short(less))))],
        );
        one.condition = Some(format!(
            "{} is rated {} W and derated to {} W: nothing larger is plugged in; look again when a load or a battery is added.",
            p.id,
            short(watts),
            short(less)
        ));
        vec![one]
    }

    /// The conductors of the finding in each of the next larger sizes; the smallest that is enough comes first.
    pub(super) fn next_sizes(&self) -> Vec<Candidate> {
        let spots = &self.finding.wires;
        let thinnest =
            spots.iter().filter_map(|s| self.wire(*s)).map(|(_, w)| w.laid.area_mm2).fold(f64::INFINITY, f64::min);
        let larger = self.audit.rules.on_sale().filter(|s| Quantity::parse(s).is_ok_and(|q| q.si > thinnest * 1.01));
        let one = |size: &str| {
            let thin = self.thinner(spots, size);
            let title = format!("Replace {} by {size}", self.words(&thin));
            candidate(title, 90, vec![Edit::Resize { spots: thin, size: (*size).to_owned() }])
        };
        larger.take(5).map(one).collect()
    }

    /// One candidate about the component that the finding names first; none where it names none.
    fn about_subject(&self, make: impl Fn(&str) -> Candidate) -> Vec<Candidate> {
        self.subject().map(|(_, p)| make(&p.id)).into_iter().collect()
    }

    /// What stands in a return is taken out.
    pub(super) fn take_out(&self) -> Vec<Candidate> {
        self.about_subject(|id| {
            let edit = Edit::RemoveComponent(id.to_owned());
            candidate(format!("Take {id} out and join the conductor through"), 30, vec![edit])
        })
    }

    /// A device that opens line and neutral.
    pub(super) fn all_poles(&self) -> Vec<Candidate> {
        self.about_subject(|id| {
            let edit = self.attribute(id, "poles", Some("2-pole"));
            candidate(format!("Replace {id} by one that opens line and neutral"), 40, vec![edit])
        })
    }

    /// Another outlet of the pitch.
    pub(super) fn other_outlet(&self) -> Vec<Candidate> {
        self.about_subject(|id| {
            let title = "Use another outlet of the pitch and test it first";
            let mut c = candidate(title, 10, vec![self.attribute(id, "supply", None)]);
            c.condition = Some("Not to be plugged into the outlet that was tested.".to_owned());
            c
        })
    }

    /// The thinnest size that is allowed.
    pub(super) fn least_size(&self) -> Vec<Candidate> {
        let size = self.audit.rules.least_mains_size.value.as_str();
        vec![candidate(
            format!("Replace {} by {size}", self.finding.subject),
            90,
            vec![Edit::Resize { spots: self.finding.wires.clone(), size: size.to_owned() }],
        )]
    }

    /// A size for hours of bright sun.
    pub(super) fn array_size(&self) -> Vec<Candidate> {
        let spots = &self.finding.wires;
        let amps = self.subject().and_then(|(_, p)| p.si("isc", Dimension::Current)).unwrap_or(0.0) * 1.5625;
        let size = self.smallest_size(spots, amps, 0.0);
        size.map(|s| {
            candidate(
                format!("Replace {} by {s}", self.words(spots)),
                120,
                vec![Edit::Resize { spots: spots.clone(), size: s.to_owned() }],
            )
        })
        .into_iter()
        .collect()
    }

    /// A controller for a higher voltage.
    pub(super) fn larger_controller(&self) -> Vec<Candidate> {
        let Some(controller) = self.finding.components.get(1) else { return Vec::new() };
        let array = self.subject().and_then(|(_, p)| p.si("voc", Dimension::Voltage)).unwrap_or(0.0);
        let next = CONTROLLER_V.into_iter().find(|v| *v >= array * 1.25);
        next.map(|v| {
            candidate(
                format!("Replace {controller} by one that stands {} V", short(v)),
                90,
                vec![self.attribute(controller, "voltage", Some(&format!("{}V", short(v))))],
            )
        })
        .into_iter()
        .collect()
    }

    /// An appliance that no longer chooses mains by itself.
    pub(super) fn not_by_itself(&self) -> Vec<Candidate> {
        self.about_subject(|id| {
            let title = format!("Set {id} so that it does not choose mains by itself, and label it so");
            candidate(title, 20, vec![self.attribute(id, "chooses-mains", None)])
        })
    }

    /// Feed-in switched off.
    pub(super) fn feed_in_off(&self) -> Vec<Candidate> {
        self.about_subject(|id| {
            let title = format!("Switch the feed-in setting of {id} off and record it as left");
            candidate(title, 15, vec![self.attribute(id, "feed-in", None)])
        })
    }

    /// Signals wired and obeyed.
    pub(super) fn wire_signals(&self) -> Vec<Candidate> {
        let deaf = self.finding.components.iter().skip(1);
        let edits: Vec<Edit> = deaf.clone().map(|p| self.attribute(p, "listens", Some("yes"))).collect();
        let names: Vec<&str> = deaf.map(String::as_str).collect();
        let title = format!("Wire the signals to {}, set them to obey, and break each once", names.join(", "));
        vec![candidate(title, 90, edits)]
    }

    /// Thicker links of a bank.
    pub(super) fn links(&self) -> Vec<Candidate> {
        let Some((_, p)) = self.subject() else { return Vec::new() };
        if !self.finding.wires.is_empty() {
            return self.next_sizes();
        }
        let sizes = self.audit.rules.on_sale().rev();
        let title = |s: &str| format!("Replace the links of {} by {s}", p.id);
        // The smallest that is enough comes first among those that are.
        let mut list: Vec<Candidate> =
            sizes.take(6).map(|s| candidate(title(s), 60, vec![self.attribute(&p.id, "links", Some(s))])).collect();
        list.reverse();
        list
    }

    /// A dump load for all that a turbine gives, in steps of 50 W.
    pub(super) fn dump_load(&self) -> Vec<Candidate> {
        let Some((_, p)) = self.subject() else { return Vec::new() };
        let Some(watts) = p.si("power", Dimension::Power) else { return Vec::new() };
        let enough = format!("{}W", short((watts / 50.0).ceil() * 50.0));
        let title = format!("Fit a dump load of {enough} that the controller of {} turns on without a battery", p.id);
        let mut one = candidate(title, 60, vec![self.attribute(&p.id, "dump", Some(&enough))]);
        one.condition = Some(
            "It gets hot: clear air around it, nothing stowed against it, tried once with the battery off.".to_owned(),
        );
        vec![one]
    }

    /// What was remarked is put right.
    pub(super) fn put_right(&self) -> Vec<Candidate> {
        let [.., About::Remark { on, word }] = self.finding.subject.about() else { return Vec::new() };
        let edit = Edit::RemoveRemark { on: on.clone(), kind: word.clone() };
        vec![candidate(format!("Put it right at {on} and take the remark off"), 20, vec![edit])]
    }
}
