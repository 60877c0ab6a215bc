//! Drawings are well formed, alike each time, and show what matters.

use murvet_core::audit::{Audit, audit};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::readings::plan;
use murvet_core::rules::Target;
use murvet_core::states::settle_at;
use murvet_draw::{MapOptions, Subsystem, reading_strip, rig_map, run_profile};

fn heron() -> Audit {
    audit(&parse(include_str!("../../murvet/demo/heron.rig")).expect("parses"), ProfileId::NA_RV)
}

/// Every tag is closed in turn, no attribute holds a number that is none, and nothing is styled from outside.
#[track_caller]
fn sound(svg: &str) {
    let mut open: Vec<&str> = Vec::new();
    for tag in svg.split('<').skip(1) {
        let name = tag.split([' ', '>', '/']).next().unwrap_or_default();
        if let Some(closing) = tag.strip_prefix('/') {
            assert_eq!(open.pop(), closing.split('>').next(), "closed in turn");
        } else if !tag.split('>').next().unwrap_or_default().ends_with('/') {
            open.push(name);
        }
    }
    assert!(open.is_empty(), "{open:?} left open");
    for bad in ["NaN", "inf\"", "infQ", " style=", "class=\"live", "<script"] {
        assert!(!svg.contains(bad), "{bad}");
    }
}

#[test]
fn the_map_shows_every_component_once_and_the_state_in_words() {
    let audit = heron();
    let options = MapOptions { findings: &audit.findings, ..MapOptions::default() };
    let svg = rig_map(&audit, &options);
    sound(&svg);
    for component in &audit.assumed.components {
        assert_eq!(svg.matches(&format!("data-component=\"{}\"", component.id)).count(), 1, "{}", component.id);
    }
    assert_eq!(svg, rig_map(&audit, &options), "alike each time");
    let controls = vec![0u8; audit.net.controls.len()];
    let parked = settle_at(&audit.net, &controls).expect("rests");
    let live = rig_map(&audit, &MapOptions { state: Some(&parked), ..MapOptions::default() });
    sound(&live);
    assert!(live.contains("live: house") && live.contains("live in this state"), "by word, not by colour alone");
    let ac = rig_map(&audit, &MapOptions { subsystem: Subsystem::Ac, ..MapOptions::default() });
    assert!(ac.matches("class=\"conductor ").count() < svg.matches("class=\"conductor ").count());
}

#[test]
fn boxes_do_not_overlap_and_stay_in_place_when_something_is_added() {
    let text = include_str!("../../murvet/demo/heron.rig");
    let places = |text: &str| -> Vec<(String, f64, f64)> {
        let svg = rig_map(&audit(&parse(text).expect("parses"), ProfileId::NA_RV), &MapOptions::default());
        svg.split("data-component=\"")
            .skip(1)
            .map(|part| {
                let id = part.split('"').next().unwrap_or_default().to_owned();
                let number = |name: &str| -> f64 {
                    let rest = part.split(&format!(" {name}=\"")).nth(1).unwrap_or("0\"");
                    rest.split('"').next().and_then(|v| v.parse().ok()).unwrap_or(f64::NAN)
                };
                (id, number("x"), number("y"))
            })
            .collect()
    };
    let before = places(text);
    for (n, (a, ax, ay)) in before.iter().enumerate() {
        for (b, bx, by) in &before[n + 1..] {
            assert!((ax - bx).abs() >= 76.0 || (ay - by).abs() >= 62.0, "{a} and {b} overlap");
        }
    }
    // A lamp in the roof moves nothing that is not in the roof.
    let after = places(&text.replace("# AC sources", "dc-load lamp2 in roof: 1A\n# AC sources"));
    for (id, x, y) in
        before.iter().filter(|(id, ..)| !["panels", "roof-fan", "awning", "aircon"].contains(&id.as_str()))
    {
        let now = after.iter().find(|(other, ..)| other == id).expect("still there");
        assert!((now.1 - x).abs() < 0.1 && (now.2 - y).abs() < 0.1, "{id} moved");
    }
}

#[test]
fn hostile_names_are_escaped_and_an_empty_rig_is_drawn() {
    let text = "rig \"<b>&amp;\" profile na-rv\nplace p: \"<i>&\"\nbus a in p: \"<script>alert(1)</script>\"\n";
    sound(&rig_map(&audit(&parse(text).expect("parses"), ProfileId::NA_RV), &MapOptions::default()));
    sound(&rig_map(&audit(&parse("").expect("parses"), ProfileId::NA_RV), &MapOptions::default()));
}

#[test]
fn the_run_profile_hatches_where_more_could_flow_than_may() {
    let audit = heron();
    let mut drawn = 0;
    for f in &audit.findings {
        if let Target::Wires { wires, .. } = &f.target {
            let svg = run_profile(&audit, wires[0], 0, &[]).expect("a profile");
            sound(&svg);
            assert!(svg.contains("class=\"over\""), "{}", f.rule.slug);
            // Both paths start at the bare main run, so both show it.
            assert!(svg.contains(">without limit<"), "{}", f.rule.slug);
            drawn += 1;
        }
    }
    assert_eq!(drawn, 2);
    let healthy = audit_of(
        "battery b: agm 12V 100Ah\ndc-load l: 5A\nrun b.+ : 0.2m 4mm2, fuse F 15A, 2m 4mm2, l.+\nrun b.- : 2m 4mm2, l.-\n",
    );
    let wire = healthy.net.wires.iter().find(|w| w.key == "F.out--l.+").expect("the wire");
    let svg = run_profile(&healthy, wire.spot, 0, &[]).expect("a profile");
    assert!(!svg.contains("class=\"over\"") && svg.matches("class=\"near\"").count() == 1, "the way to the near fuse");
}

#[test]
fn device_curves_show_every_device_and_what_the_conductor_stands() {
    // Two fuses and a breaker's way on one path; the wire at its end is 2.5 mm2.
    let audit = audit_of(
        "battery b: agm 12V 100Ah internal 10mohm\ndc-load l: 5A\nfuse-block d: way a 10A\n\
         run b.+ : 0.2m 16mm2, fuse F 80A bolt-down, 2m 16mm2, d.in\nrun d.a : 3m 2.5mm2, l.+\nrun b.- : 5m 2.5mm2, l.-\n",
    );
    let wire = audit.net.wires.iter().find(|w| w.key == "d.a--l.+").expect("the wire");
    let svg = murvet_draw::device_curves(&audit, wire.spot, 0).expect("curves");
    sound(&svg);
    assert_eq!(svg.matches("class=\"band\"").count(), 2);
    assert!(svg.contains(">F 80 A<") && svg.contains(">d.a 10 A<") && svg.contains("stands it"));
    // At the most full voltage over 10 mohm and 0.2 m of 16 mm2 out (0.2155 mohm): behind the fuse. At the least 12 V over
    // what is stated inside and hot copper at its greatest resistance: 2.2 m at 1.21, 8 m at 7.98 ohm/km, x 1.1965.
    let (least, most) = murvet_draw::fault_currents(&audit, wire.spot, 0).expect("a battery");
    assert!((most / (12.8 / 0.010_215_5) - 1.0).abs() < 0.03, "{most}");
    let ohm = 0.010 + 1.1965 * (2.2 * 1.21e-3 + 8.0 * 7.98e-3);
    assert!((least / (12.0 / ohm) - 1.0).abs() < 0.03, "{least} {}", 12.0 / ohm);
    // A path without a device has none to show.
    let bare = audit_of("battery b: agm 12V 100Ah\ndc-load l: 5A\nrun b.+ : 2m 4mm2, l.+\nrun b.- : 2m 4mm2, l.-\n");
    assert!(murvet_draw::device_curves(&bare, bare.net.wires[0].spot, 0).is_none());
}

#[test]
fn a_plot_has_its_limit_and_its_mark_or_is_not_drawn() {
    use murvet_core::bench::Curve;
    let curve = |points: &[(f64, f64)], limit, mark| Curve {
        along: "a < b".into(),
        up: "u".into(),
        points: points.to_vec(),
        limit,
        mark,
    };
    let svg = murvet_draw::plot(&curve(&[(0.0, 1.0), (10.0, 5.0)], Some(3.0), Some((4.0, 2.6)))).expect("drawn");
    sound(&svg);
    assert!(svg.contains("limit 3") && svg.contains("2.6 at 4") && svg.contains("a &lt; b"));
    for odd in [&[][..], &[(1.0, 1.0)], &[(1.0, f64::NAN), (2.0, f64::INFINITY)], &[(1.0, 1.0), (1.0, 2.0)]] {
        assert!(murvet_draw::plot(&curve(odd, None, None)).is_none(), "{odd:?}");
    }
}

fn audit_of(text: &str) -> Audit {
    audit(&parse(text).expect("parses"), ProfileId::EU_UK)
}

#[test]
fn a_strip_is_drawn_for_every_test_and_any_value() {
    for test in plan(&heron()) {
        for values in [vec![], vec![0.0], vec![f64::INFINITY], vec![0.01, 1e7, test.limit.low]] {
            sound(&reading_strip(&test, &values));
        }
    }
}

/// Boxes of a map: name, left and top.
fn boxes(svg: &str) -> Vec<(String, f64, f64)> {
    let number = |part: &str, name: &str| -> f64 {
        let rest = part.split(&format!(" {name}=\"")).nth(1).unwrap_or("0\"");
        rest.split('"').next().and_then(|v| v.parse().ok()).unwrap_or(f64::NAN)
    };
    let parts = svg.split("data-component=\"").skip(1);
    parts.map(|p| (p.split('"').next().unwrap_or_default().to_owned(), number(p, "x"), number(p, "y"))).collect()
}

#[test]
fn a_hundred_and_fifty_components_are_drawn_apart_in_any_spread_over_places() {
    for (zones, names) in [(1, 12), (4, 3), (9, 5), (9, 24)] {
        let words = ["roof", "cabin", "bay", "underfloor", "engine", "locker", "outside", "tow", "gas"];
        let mut text = String::from("battery house: lifepo4 12.8V 200Ah\nbus pos\nbus neg\n");
        for n in 0..zones {
            text.push_str(&format!("place z{n}: {} \"A place with the number {n}\"\n", words[n % 9]));
        }
        text.push_str(
            "run house.+ : 0.2m 50mm2, fuse main 200A class-t, 0.5m 50mm2, pos\nrun house.- : 0.3m 50mm2, neg\n",
        );
        for n in 0..73 {
            let name = format!("{}{n}", "appliance-with-a-name".chars().take(names).collect::<String>());
            text.push_str(&format!(
                "dc-load {name} in z{}: 2A\nrun pos : 0.2m 2.5mm2, fuse f{n} in z{} 10A, 3m 2.5mm2, {name}.+\nrun neg : 3m 2.5mm2, {name}.-\n",
                n % zones,
                (n * 5) % zones
            ));
        }
        let audit = audit_of(&text);
        assert_eq!(audit.assumed.components.len(), 150);
        let svg = rig_map(&audit, &MapOptions { findings: &audit.findings, ..MapOptions::default() });
        sound(&svg);
        labels_apart(&svg, &format!("{zones} places"));
        let all = boxes(&svg);
        assert_eq!(all.len(), 150);
        for (n, (a, ax, ay)) in all.iter().enumerate() {
            assert!(*ax >= 0.0 && *ay >= 0.0, "{a} is on the sheet");
            for (b, bx, by) in &all[n + 1..] {
                assert!((ax - bx).abs() >= 76.0 || (ay - by).abs() >= 62.0, "{zones} places: {a} and {b} overlap");
            }
        }
        // One more appliance in the last place moves no box of another place.
        let more = text.replace("battery house", &format!("dc-load extra in z{}: 1A\nbattery house", zones - 1));
        let after = boxes(&rig_map(&audit_of(&more), &MapOptions::default()));
        let moved = all.iter().filter(|(id, x, y)| {
            !after.iter().any(|(o, ox, oy)| o == id && (ox - x).abs() < 0.1 && (oy - y).abs() < 0.1)
        });
        let here = format!("z{}", zones - 1);
        for (id, ..) in moved.filter(|_| zones > 1) {
            let place = audit.assumed.component(id).and_then(|p| p.place.clone());
            assert!(place.as_deref() == Some(here.as_str()), "{zones} places: {id} in {place:?} moved");
        }
    }
}

/// Every text of a drawing as a box: words, left, top, right, bottom; letters taken as 0.58 of their height wide.
fn texts(svg: &str) -> Vec<(String, [f64; 4])> {
    let one = |part: &str| {
        let (head, rest) = part.split_once('>')?;
        let words = rest.split("</text>").next()?.to_owned();
        let number = |name: &str| head.split(&format!("{name}=\"")).nth(1)?.split('"').next()?.parse::<f64>().ok();
        let (x, y, size) = (number(" x")?, number(" y")?, number("font-size")?);
        let wide = words.chars().count() as f64 * size * 0.58;
        let left = match head.split("text-anchor=\"").nth(1).and_then(|a| a.split('"').next()) {
            Some("middle") => x - wide / 2.0,
            Some("end") => x - wide,
            _ => x,
        };
        Some((words, [left, y - size * 0.8, left + wide, y + size * 0.15]))
    };
    svg.split("<text").skip(1).filter_map(one).collect()
}

/// No label lies on another; single letters belong to symbols.
fn labels_apart(svg: &str, name: &str) {
    let labels: Vec<(String, [f64; 4])> = texts(svg).into_iter().filter(|(t, _)| t.chars().count() > 1).collect();
    for (n, (a, p)) in labels.iter().enumerate() {
        for (b, q) in &labels[n + 1..] {
            let apart = p[2] <= q[0] || q[2] <= p[0] || p[3] <= q[1] || q[3] <= p[1];
            assert!(apart, "{name}: \"{a}\" {p:?} lies on \"{b}\" {q:?}");
        }
    }
}

/// At how many points a level length of one conductor crosses an upright length of another.
fn crossings(svg: &str) -> usize {
    let mut level: Vec<(usize, [f64; 3])> = Vec::new();
    let mut upright: Vec<(usize, [f64; 3])> = Vec::new();
    for (n, part) in svg.split("class=\"conductor ").skip(1).enumerate() {
        let Some(d) = part.split(" d=\"").nth(1).and_then(|d| d.split('"').next()) else { continue };
        let (mut x, mut y) = (0.0, 0.0);
        for step in d.split_inclusive(['M', 'H', 'V']).collect::<Vec<_>>().windows(2) {
            let op = step[0].chars().last().unwrap_or('M');
            let numbers: Vec<f64> =
                step[1].trim_end_matches(['M', 'H', 'V']).split(' ').filter_map(|v| v.parse().ok()).collect();
            match (op, numbers.as_slice()) {
                ('M', [to_x, to_y]) => (x, y) = (*to_x, *to_y),
                ('H', [to]) => {
                    level.push((n, [y, x.min(*to), x.max(*to)]));
                    x = *to;
                }
                ('V', [to]) => {
                    upright.push((n, [x, y.min(*to), y.max(*to)]));
                    y = *to;
                }
                _ => {}
            }
        }
    }
    let mut points = std::collections::BTreeSet::new();
    for (a, [y, x1, x2]) in &level {
        let across = upright.iter().filter(|(b, [x, y1, y2])| a != b && x1 < x && x < x2 && y1 < y && y < y2);
        points.extend(across.map(|(_, [x, ..])| format!("{x:.1} {y:.1}")));
    }
    points.len()
}

#[test]
fn no_label_lies_on_another_in_any_demo_or_starter_rig() {
    let demo = [
        include_str!("../../murvet/demo/heron.rig"),
        include_str!("../../murvet/demo/kite.rig"),
        include_str!("../../murvet/demo/currawong.rig"),
    ];
    let starters = murvet_core::starters::STARTERS.iter().map(|s| s.rig("Starter", ProfileId::EU_UK));
    for text in demo.into_iter().map(str::to_owned).chain(starters) {
        let rig = parse(&text).expect("parses");
        let audit = audit(&rig, rig.profile.expect("says its profile"));
        let svg = rig_map(&audit, &MapOptions { findings: &audit.findings, ..MapOptions::default() });
        sound(&svg);
        labels_apart(&svg, &rig.name);
        let places = boxes(&svg);
        let (crossed, all) = (crossings(&svg), svg.matches("class=\"conductor ").count());
        println!("{}: {crossed} crossings of {all} conductors", rig.name);
        assert!(crossed <= 4 * all, "{}", rig.name);
        for (n, (a, ax, ay)) in places.iter().enumerate() {
            for (b, bx, by) in &places[n + 1..] {
                assert!((ax - bx).abs() >= 76.0 || (ay - by).abs() >= 62.0, "{}: {a} and {b}", rig.name);
            }
        }
    }
    // Each kind of vehicle has an outline of its own, and its places lie alike behind it.
    let mut outlines = std::collections::BTreeSet::new();
    for (_, word) in murvet_core::rig::Vehicle::ALL {
        let svg =
            rig_map(&audit_of(&demo[1].replace("vehicle van", &format!("vehicle {word}"))), &MapOptions::default());
        let places = boxes(&svg);
        let (first, last) = (&places[0], &places[places.len() - 1]);
        outlines.insert((svg, format!("{:.0} {:.0}", last.1 - first.1, last.2 - first.2)));
    }
    assert_eq!(outlines.len(), 5);
    assert_eq!(outlines.iter().map(|(_, between)| between).collect::<std::collections::BTreeSet<_>>().len(), 1);
}

#[test]
fn a_part_of_the_map_shows_what_is_marked_among_its_neighbours() {
    let audit = audit_of(include_str!("../../murvet/demo/heron.rig"));
    let whole = rig_map(&audit, &MapOptions::default());
    let frame = |svg: &str| -> Vec<f64> {
        let view = svg.split("viewBox=\"").nth(1).and_then(|v| v.split('"').next()).expect("a view");
        view.split(' ').map(|n| n.parse().expect("a number")).collect()
    };
    let size = frame(&whole);
    for component in &audit.assumed.components {
        let marked = [component.id.clone()];
        let svg = rig_map(&audit, &MapOptions { marked: &marked, near: true, ..MapOptions::default() });
        sound(&svg);
        let seen = frame(&svg);
        // In the hand at its own size; of the whole map no more than lies around.
        assert!(seen[2] <= 390.0 && seen[3] <= 300.0 && svg.len() < whole.len() * 3 / 4, "{}: {seen:?}", component.id);
        let own = svg.split(&format!("data-component=\"{}\"", component.id)).nth(1).expect("it is drawn");
        let number = |mark: &str| -> f64 {
            own.split(mark).nth(1).and_then(|v| v.split('"').next()).and_then(|v| v.parse().ok()).expect("a number")
        };
        let (x, y) = (number("<rect x=\""), number(" y=\""));
        assert!(x >= seen[0] && x + 76.0 <= seen[0] + seen[2], "{}: {x} in {seen:?}", component.id);
        assert!(y >= seen[1] && y + 62.0 <= seen[1] + seen[3], "{}: {y} in {seen:?}", component.id);
    }
    // Two that lie far apart are not squeezed in: the first of them is what is looked at.
    let ends =
        [audit.assumed.components.first(), audit.assumed.components.last()].map(|c| c.expect("components").id.clone());
    let both = frame(&rig_map(&audit, &MapOptions { marked: &ends, near: true, ..MapOptions::default() }));
    assert!(both[2] < size[2] && both[3] < size[3], "{both:?} of {size:?}");
    // A control leads to its next position and says where it stands.
    let controls = [("main-switch".to_owned(), "?c3=1".to_owned(), "closed".to_owned())];
    let moved = rig_map(&audit, &MapOptions { controls: &controls, ..MapOptions::default() });
    sound(&moved);
    let link = moved.split("href=\"?c3=1\"").nth(1).and_then(|l| l.split("</a>").next()).expect("a link");
    assert!(link.contains("data-move") && link.contains(">closed<"), "{link}");
}
