//! Properties that hold for every rig.

use murvet_core::audit::audit;
use murvet_core::bounds::Side;
use murvet_core::catalogue::{AttrType, Kind};
use murvet_core::meaning::port_of;
use murvet_core::network::{FlowGraph, WireSpot, expand};
use murvet_core::notation::{parse, print};
use murvet_core::profiles::{Choice, ProfileId};
use murvet_core::rig::{
    Cable, Component, Conductor, Core, Landing, Place, Remark, Rig, Run, Status, Step, TermRef, Value, Way,
};
use murvet_core::rules::Context;
use murvet_core::rules::protection::flow_in;
use murvet_core::states::explore;
use petgraph::graph::{Graph, NodeIndex};
use proptest::prelude::*;

fn value(dimension: murvet_core::units::Dimension) -> BoxedStrategy<String> {
    use murvet_core::units::Dimension as D;
    let units: &'static [&'static str] = match dimension {
        D::Length => &["m", "ft", "in", "cm"],
        D::Area => &["mm2"],
        D::Voltage => &["V"],
        D::Current => &["A", "mA", "kA"],
        D::Power => &["W", "kW"],
        D::Charge => &["Ah"],
        D::Temperature => &["C"],
        D::Resistance => &["ohm", "mohm"],
        D::Time => &["ms"],
        D::Torque => &["Nm", "inlb"],
        D::Count => return (1u8..9).prop_map(|n| format!("x{n}")).boxed(),
        D::Ratio => &["%"],
    };
    let mark = prop_oneof![3 => Just(""), 1 => Just("@measured"), 1 => Just("@told")];
    let number = prop_oneof![
        (1u16..90).prop_map(|n| n.to_string()),
        (10u16..900).prop_map(|n| format!("{}.{}0", n / 10, n % 10))
    ];
    prop_oneof![
        1 => Just("?".to_owned()),
        8 => (number, prop::sample::select(units), mark).prop_map(|(n, u, m)| format!("{n}{u}{m}")),
    ]
    .boxed()
}

fn component(n: usize) -> impl Strategy<Value = Component> {
    prop::sample::select(Kind::all().iter().map(|s| s.kind).collect::<Vec<_>>()).prop_flat_map(move |kind| {
        let spec = kind.spec();
        let attrs: Vec<BoxedStrategy<Option<(String, String)>>> = spec
            .attrs
            .iter()
            .map(|a| {
                let key = a.key.to_owned();
                let text = match a.ty {
                    AttrType::Quantity(d, _) => value(d),
                    AttrType::Word(words) => prop::sample::select(words).prop_map(str::to_owned).boxed(),
                    AttrType::Flag => Just("yes".to_owned()).boxed(),
                    AttrType::Words => "[a-z0-9, ]{1,20}".boxed(),
                    AttrType::Name => return Just(None).boxed(),
                };
                prop::option::of(text).prop_map(move |t| t.map(|t| (key.clone(), t))).boxed()
            })
            .collect();
        let ways = if spec.ways { 0..4usize } else { 0..1 };
        let status = prop::sample::select(Status::ALL.map(|(s, _)| s).to_vec());
        (attrs, ways, status, prop::option::of("[a-z ]{1,12}"), any::<bool>()).prop_map(
            move |(attrs, ways, status, label, placed)| {
                let mut p = Component::new(format!("p{n}"), kind);
                for (key, text) in attrs.into_iter().flatten() {
                    p.attrs.insert(key, text.parse().expect("a value"));
                }
                p.ways = (0..ways)
                    .map(|w| Way {
                        id: format!("w{w}"),
                        rating: Value::new("15A"),
                        rcd: (w == 1).then(|| Value::new("30mA")),
                        leg: (w > 0 && p.two_hot()).then(|| Way::LEGS[w % 3].to_owned()),
                        label: None,
                    })
                    .collect();
                p.status = status;
                p.label = label;
                p.place = placed.then(|| "here".to_owned());
                p
            },
        )
    })
}

fn rig() -> impl Strategy<Value = Rig> {
    let steps = prop::collection::vec((any::<u16>(), 1u16..500, 1u8..70, any::<bool>()), 1..6);
    (
        prop::collection::vec(any::<u8>(), 3..14).prop_flat_map(|v| (0..v.len()).map(component).collect::<Vec<_>>()),
        prop::collection::vec(steps, 0..6),
        prop::collection::vec((any::<u16>(), any::<u16>(), 0u8..4), 0..5),
    )
        .prop_map(|(components, runs, cables)| {
            let place = Place {
                id: "here".into(),
                zone: Some("bay".into()),
                ambient: Some(Value::new("41C")),
                ..Place::default()
            };
            let mut rig = Rig {
                vehicle: Some(murvet_core::rig::Vehicle::Van),
                name: "any rig".into(),
                profile: Some(ProfileId::EU_UK),
                places: vec![place],
                components,
                ..Rig::default()
            };
            let terminals: Vec<TermRef> = rig
                .components
                .iter()
                .flat_map(|p| {
                    murvet_core::terminals::anatomy(p).terminals.into_iter().map(|(t, _)| TermRef::new(p.id.clone(), t))
                })
                .collect();
            let ports: Vec<TermRef> = rig
                .components
                .iter()
                .flat_map(|p| {
                    murvet_core::terminals::anatomy(p).ports.into_iter().map(|t| TermRef::new(p.id.clone(), t.name))
                })
                .collect();
            let pick = |list: &[TermRef], n: u16| list.get(usize::from(n) % list.len().max(1)).cloned();
            for run in runs {
                let Some(from) = pick(&terminals, run[0].0) else { continue };
                let mut steps = Vec::new();
                for (at, length, size, bare) in run {
                    let mut c = Conductor::new(format!("{}.{}m", length / 100, length % 100), format!("{size}mm2"));
                    c.sheathed = bare;
                    c.via = if bare { vec!["here".into()] } else { Vec::new() };
                    steps.push(Step::Conductor(c));
                    steps.extend(pick(&terminals, at.rotate_left(3)).map(Step::At));
                }
                rig.runs.push(Run { from, steps, comment: vec!["traced".into()] });
            }
            for (n, (a, b, swap)) in cables.into_iter().enumerate() {
                let (Some(from), Some(to)) = (pick(&ports, a), pick(&ports, b)) else { continue };
                let map = match swap {
                    0 => vec![
                        Landing { from: Core::N, to: Some(Core::PE) },
                        Landing { from: Core::PE, to: Some(Core::N) },
                    ],
                    1 => vec![Landing { from: Core::PE, to: None }],
                    _ => Vec::new(),
                };
                let second = |term: &TermRef, start| port_of(&rig, term, start).is_ok_and(|(_, p)| p.second.is_some());
                let two_hot = second(&from, true) && second(&to, false);
                rig.cables.push(Cable {
                    earth: None,
                    id: format!("c{n}"),
                    cores: if two_hot && swap != 3 { 4 } else { 3 },
                    no_neutral: two_hot && swap == 3,
                    length: Value::new("2.50m"),
                    size: Value::new("14AWG"),
                    insulation: None,
                    flex: swap == 2,
                    via: Vec::new(),
                    bundle: None,
                    from,
                    to,
                    map,
                    status: Status::InPlace,
                    comment: Vec::new(),
                });
            }
            // A remark on the first component and on the place.
            rig.remarks = ["p0", "here"]
                .into_iter()
                .zip(["loose-joint", "no-legend"])
                .map(|(on, kind)| Remark {
                    on: on.into(),
                    kind: kind.into(),
                    words: Some("seen".into()),
                    comment: Vec::new(),
                })
                .collect();
            rig.choices = vec![Choice {
                school: "backing".into(),
                option: "accepted".into(),
                reason: "lined with steel".into(),
                comment: vec!["agreed".into()],
            }];
            rig.normalise();
            rig
        })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

    #[test]
    fn both_forms_give_the_same_rig_back(rig in rig()) {
        let text = print(&rig);
        let again = parse(&text).map_err(|e| TestCaseError::fail(format!("{e:?}\n{text}")))?;
        prop_assert_eq!(&again, &rig);
        prop_assert_eq!(print(&again), text);
        let json = Rig::from_json(&rig.to_json()).map_err(|e| TestCaseError::fail(format!("{e:?}")))?;
        prop_assert_eq!(json, rig);
    }

    #[test]
    fn any_rig_is_audited_without_a_fault_and_alike_each_time(rig in rig()) {
        let (a, b) = (audit(&rig, ProfileId::EU_UK), audit(&rig, ProfileId::EU_UK));
        prop_assert_eq!(a.findings.len(), b.findings.len());
        let keys: std::collections::BTreeSet<String> = a.findings.iter().map(|f| f.key()).collect();
        prop_assert_eq!(keys.len(), a.findings.len(), "each finding appears once");
    }

    #[test]
    fn no_text_makes_the_parser_fail(text in "\\PC{0,200}", cut in 0usize..4000) {
        let _ = parse(&text);
        let demo = include_str!("../../murvet/demo/heron.rig");
        let mut cut = cut.min(demo.len());
        while !demo.is_char_boundary(cut) { cut -= 1; }
        let broken = format!("{}{}\n{}", &demo[..cut], text.replace('\n', " "), &demo[cut..]);
        if let Err(errors) = parse(&broken) {
            prop_assert!(errors.iter().all(|e| e.line >= 1 && e.column >= 1 && !e.message.is_empty()));
        }
    }

    #[test]
    fn a_fuse_never_raises_what_can_flow(ratings in prop::collection::vec(1u16..300, 2..6), at in 0usize..6, added in 1u16..300) {
        // A chain of fuses and loads; one more fuse anywhere in it.
        let chain = |extra: Option<(usize, u16)>| {
            let mut text = String::from("battery b: agm 12V 100Ah\nrun b.+ : 0.1m 35mm2");
            for (n, r) in ratings.iter().enumerate() {
                text.push_str(&format!(", fuse f{n} {r}A, bus n{n}, 1m 16mm2"));
                if extra.is_some_and(|(i, _)| i % ratings.len() == n) {
                    text.push_str(&format!(", fuse x {}A, 0.2m 16mm2", extra.map_or(0, |e| e.1)));
                }
            }
            text + ", bus end\n"
        };
        let flows = |text: &str| {
            let rig = parse(text).expect("parses");
            let net = expand(&rig, ProfileId::EU_UK.profile(), Side::Worst);
            let states = explore(&net);
            let ctx = Context::new(&rig, ProfileId::EU_UK.profile(), &net, &states);
            let wires = net.wires.iter().enumerate();
            wires.filter_map(|(w, wire)| Some((wire.key.clone(), flow_in(&ctx, &states.states[0], w)?.0))).collect::<std::collections::BTreeMap<_, _>>()
        };
        let (before, after) = (flows(&chain(None)), flows(&chain(Some((at, added)))));
        for (key, amps) in &before {
            if let Some(now) = after.get(key) {
                prop_assert!(now <= amps, "{key}: {amps} A became {now} A");
            }
        }
    }

    #[test]
    fn a_state_never_lets_more_flow_than_all_contacts_closed(n in 1usize..4, ratings in prop::collection::vec(5u16..100, 4)) {
        // The union of all states is the filter of the analysis: it must bound every one of them.
        let mut text = String::from("battery a: agm 12V 100Ah\nbattery b: agm 12V 100Ah\nbus m\n");
        text.push_str(&format!("run a.+ : 0.1m 16mm2, fuse fa {}A, isolator s0, 1m 16mm2, m\nrun b.+ : 0.1m 16mm2, fuse fb {}A, isolator s9, 1m 16mm2, m\n", ratings[0], ratings[1]));
        for k in 0..n {
            text.push_str(&format!("run m : 1m 6mm2, isolator t{k}, 1m 6mm2, fuse g{k} {}A, 1m 6mm2, bus z{k}\n", ratings[2 + k % 2]));
        }
        let rig = parse(&text).expect("parses");
        let net = expand(&rig, ProfileId::EU_UK.profile(), Side::Worst);
        let states = explore(&net);
        prop_assert!(states.complete);
        let ctx = Context::new(&rig, ProfileId::EU_UK.profile(), &net, &states);
        let closed = states.states.iter().find(|s| s.setting.controls.iter().all(|c| *c == 0)).expect("all closed");
        for w in 0..net.wires.len() {
            let most = flow_in(&ctx, closed, w).map_or(0.0, |f| f.0);
            for s in &states.states {
                prop_assert!(flow_in(&ctx, s, w).map_or(0.0, |f| f.0) <= most + 1e-9);
            }
        }
    }

    #[test]
    fn maximum_flow_agrees_with_an_independent_implementation(
        nodes in 2usize..9,
        edges in prop::collection::vec((0usize..9, 0usize..9, 1u32..50), 1..24),
        feeds in prop::collection::vec((0usize..9, 1u32..80), 1..4),
    ) {
        let sink = nodes - 1;
        let mut ours = FlowGraph::new(nodes);
        let mut theirs: Graph<(), u32> = Graph::new();
        let at: Vec<NodeIndex> = (0..=nodes).map(|_| theirs.add_node(())).collect();
        for (a, b, c) in edges {
            let (a, b) = (a % nodes, b % nodes);
            if a != b {
                ours.edge(a, b, f64::from(c));
                theirs.add_edge(at[a], at[b], c);
                theirs.add_edge(at[b], at[a], c);
            }
        }
        for (n, c) in feeds {
            ours.feed(n % nodes, f64::from(c));
            theirs.add_edge(at[nodes], at[n % nodes], c);
        }
        let (amps, _) = petgraph::algo::ford_fulkerson(&theirs, at[nodes], at[sink]);
        let flow = ours.max_flow(sink, &[]);
        prop_assert_eq!(flow.amps, f64::from(amps));
        // Deleting the cut leaves nothing (max-flow min-cut).
        let cut = flow.cut.clone();
        prop_assert_eq!(ours.max_flow(sink, &cut).amps, 0.0);
    }
}

/// ISO 13297, single conductor, 70 C insulation, 30 C air (recalled): mm² and A.
const IZ_70: [(f64, f64); 7] =
    [(1.5, 18.0), (2.5, 25.0), (4.0, 35.0), (6.0, 45.0), (10.0, 65.0), (16.0, 90.0), (25.0, 120.0)];

/// A tap of a bar: a lead of a size and length, perhaps a fuse after it, and a conductor to a load.
type Tap = (usize, u8, Option<usize>, usize);

const FUSES: [u32; 8] = [5, 10, 15, 20, 30, 40, 60, 80];

proptest! {
    #![proptest_config(ProptestConfig { cases: 192, ..ProptestConfig::default() })]

    /// A bank, a lead, a main fuse, a bar and taps, judged a second time by the argument that a person
    /// makes conductor by conductor. However many taps fail at once, each of them is found.
    #[test]
    fn every_tap_of_a_bar_is_judged_as_by_hand(
        lead_dm in 1u8..12,
        main in prop::option::weighted(0.9, 0usize..8),
        taps in prop::collection::vec((0usize..7, 1u8..50, prop::option::of(0usize..8), 0usize..7), 1..6),
    ) {
        let taps: Vec<Tap> = taps;
        let mut text = String::from("battery b: lifepo4 12.8V 100Ah\nbus bar\nbus neg\nrun b.- : 0.1m 240mm2, neg\n");
        let fuse = main.map_or(String::new(), |m| format!("fuse M {}A, 0.2m 25mm2, ", FUSES[m]));
        text.push_str(&format!("run b.+ : {}.{}m 25mm2, {fuse}bar\n", lead_dm / 10, lead_dm % 10));
        for (n, (size, dm, device, onward)) in taps.iter().enumerate() {
            let lead = format!("{}.{}m {}mm2", dm / 10, dm % 10, IZ_70[*size].0);
            let onward = device.map_or(String::new(), |d| format!(", fuse f{n} {}A, 0.5m {}mm2", FUSES[d], IZ_70[*onward].0));
            // A load of unstated current may take all that its device lets through.
            text.push_str(&format!("dc-load l{n}\nrun bar : {lead}{onward}, l{n}.+\nrun neg : 0.1m 240mm2, l{n}.-\n"));
        }
        let mut expected: Vec<String> = Vec::new();
        let near = lead_dm <= 5; // 0.5 m, IEC 60364-4-43 434.3 as this profile measures it
        let lead = if main.is_some() { "b.+--M.in" } else { "b.+--bar" };
        let mut bare = !near;
        // The lead is bare unless every tap ends in a device near enough to the bank, and these let out together no
        // more than the lead carries; what hangs on them is not known here.
        if main.is_none() {
            bare |= taps.iter().any(|(_, dm, device, _)| device.is_none() || lead_dm + dm > 5);
            let own: f64 = taps.iter().filter_map(|t| t.2.map(|d| f64::from(FUSES[d]))).sum();
            bare |= own > 120.0;
        }
        for (n, (size, dm, device, onward)) in taps.iter().enumerate() {
            // A bare lead wants a device of the 120 A that 25 mm² carry; with it in place a tap must still be sound.
            let ahead = main.map_or(120.0, |m| f64::from(FUSES[m]));
            let end = device.map_or(format!("l{n}.+"), |_| format!("f{n}.in"));
            let (iz, own) = (IZ_70[*size].1, device.map(|d| f64::from(FUSES[d])));
            if own.is_some_and(|o| o.min(main.map_or(o, |_| ahead)) > IZ_70[*onward].1) {
                expected.push(format!("f{n}.out--l{n}.+"));
            }
            // A tap may be thinner up to 3 m (433.2.2) if its own device holds what it can carry.
            let held = own.is_some_and(|o| o <= iz);
            let near = main.is_none() && lead_dm + dm <= 5 && held;
            if ahead > iz && !(*dm <= 30 && held) && !near {
                expected.push(format!("bar--{end}"));
            }
        }
        if bare {
            expected.push(lead.to_owned());
        }
        let rig = parse(&text).map_err(|e| TestCaseError::fail(format!("{e:?}\n{text}")))?;
        let audit = audit(&rig, ProfileId::EU_UK);
        let of_current = ["overcurrent-missing", "device-too-far", "device-oversized", "cable-ampacity"];
        let mut found: Vec<String> =
            audit.findings.iter().filter(|f| of_current.contains(&f.rule.slug)).map(|f| f.subject.to_string()).collect();
        found.sort();
        found.dedup();
        expected.sort();
        prop_assert_eq!(found, expected, "{}", text);
    }
}

/// A run of a mesh: two bars, a conductor, and perhaps a fuse between two such conductors.
type Link = (usize, usize, usize, Option<usize>);

proptest! {
    #![proptest_config(ProptestConfig { cases: 192, ..ProptestConfig::default() })]

    /// Bars joined at random, fed by banks and by a limited source. Every conductor is so long that no
    /// allowed distance excuses it, so exactly those fail to which an independent maximum flow brings more
    /// than the table allows, and each of them stands in a finding.
    #[test]
    fn in_any_mesh_exactly_the_conductors_that_can_carry_too_much_are_found(
        links in prop::collection::vec((0usize..5, 0usize..5, 0usize..7, prop::option::of(0usize..9)), 2..9),
        banks in prop::collection::vec((0usize..5, 0usize..8), 1..3),
        limited in prop::option::of((0usize..5, 5u32..70)),
    ) {
        // Like conductors between the same two bars are one; that is judged elsewhere.
        let mut seen = std::collections::BTreeSet::new();
        let alike = |l: &Link| (l.0.min(l.1), l.0.max(l.1), l.2);
        let links: Vec<Link> =
            links.into_iter().filter(|l| l.0 != l.1 && (l.3.is_some() || seen.insert(alike(l)))).collect();
        let mut text = String::from("bus neg\nbus n0\nbus n1\nbus n2\nbus n3\nbus n4\n");
        // Nodes: five bars, the super-source, then both sides of each fuse; a bank is unlimited behind its fuse.
        let mut graph: Graph<(), u32> = Graph::new();
        let bars: Vec<NodeIndex> = (0..5).map(|_| graph.add_node(())).collect();
        let source = graph.add_node(());
        const MUCH: u32 = 1_000_000;
        let join = |graph: &mut Graph<(), u32>, a: NodeIndex, b: NodeIndex, amps: u32| {
            [graph.add_edge(a, b, amps), graph.add_edge(b, a, amps)]
        };
        for (n, (bar, fuse)) in banks.iter().enumerate() {
            // The leads are short and thick: they are not in question.
            text.push_str(&format!("battery b{n}: agm 12V 100Ah\nrun b{n}.- : 0.1m 240mm2, neg\n"));
            text.push_str(&format!("run b{n}.+ : 0.1m 240mm2, fuse m{n} {}A, 0.1m 240mm2, n{bar}\n", FUSES[*fuse]));
            graph.add_edge(source, bars[*bar], FUSES[*fuse]);
        }
        if let Some((bar, amps)) = limited {
            text.push_str(&format!("array pv: isc 9A voc 22V\ncontroller c: {amps}A 50V\nrun pv.+ : 0.1m 16mm2, c.pv+\nrun pv.- : 0.1m 16mm2, c.pv-\n"));
            text.push_str(&format!("run c.bat+ : 0.1m 240mm2, n{bar}\nrun c.bat- : 0.1m 240mm2, neg\n"));
            graph.add_edge(source, bars[bar], amps);
        }
        // Each conductor: its name by run and step, its ends, its table value, the arcs that are it.
        let mut conductors = Vec::new();
        let first = text.lines().filter(|l| l.starts_with("run")).count();
        for (n, (a, b, size, fuse)) in links.iter().enumerate() {
            let (mm2, iz) = IZ_70[*size];
            let lead = format!("4m {mm2}mm2");
            match fuse {
                None => {
                    text.push_str(&format!("run n{a} : {lead}, n{b}\n"));
                    let arcs = join(&mut graph, bars[*a], bars[*b], MUCH);
                    conductors.push(((first + n, 0), [bars[*a], bars[*b]], iz, arcs));
                }
                // A switch limits nothing, and is closed in the state that counts.
                Some(f) => {
                    let device = match f % 9 {
                        8 => format!("isolator s{n}"),
                        f => format!("fuse f{n} {}A", FUSES[f]),
                    };
                    let limit = FUSES.get(f % 9).copied().unwrap_or(MUCH);
                    text.push_str(&format!("run n{a} : {lead}, {device}, {lead}, n{b}\n"));
                    let (before, after) = (graph.add_node(()), graph.add_node(()));
                    let arcs = join(&mut graph, bars[*a], before, MUCH);
                    conductors.push(((first + n, 0), [bars[*a], before], iz, arcs));
                    join(&mut graph, before, after, limit);
                    let arcs = join(&mut graph, after, bars[*b], MUCH);
                    conductors.push(((first + n, 2), [after, bars[*b]], iz, arcs));
                }
            }
        }
        let mut expected: Vec<(usize, usize)> = Vec::new();
        for (spot, ends, iz, arcs) in &conductors {
            let mut without = graph.clone();
            for arc in arcs {
                without[*arc] = 0;
            }
            let worst = ends.iter().map(|end| petgraph::algo::ford_fulkerson(&without, source, *end).0).max();
            if f64::from(worst.unwrap_or(0)) > *iz {
                expected.push(*spot);
            }
        }
        let rig = parse(&text).map_err(|e| TestCaseError::fail(format!("{e:?}\n{text}")))?;
        let audit = audit(&rig, ProfileId::EU_UK);
        let of_current = ["overcurrent-missing", "device-too-far", "device-oversized", "cable-ampacity"];
        let mut found: Vec<(usize, usize)> = audit
            .findings
            .iter()
            .filter(|f| of_current.contains(&f.rule.slug))
            .flat_map(|f| f.wires.iter())
            .filter_map(|w| match w { WireSpot::Run(run, step) if *run >= first => Some((*run, *step)), _ => None })
            .collect();
        found.sort_unstable();
        found.dedup();
        expected.sort_unstable();
        prop_assert_eq!(found, expected, "{}", text);
    }
}
