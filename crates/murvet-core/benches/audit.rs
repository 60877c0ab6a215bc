//! How long an audit takes: of the demo rig, of the 120-component rig with 12 controls, and how it grows.

mod made;
#[path = "made/shapes.rs"]
mod shapes;

use criterion::{BatchSize, BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use murvet_core::audit::{audit, audit_again};
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use murvet_core::rig::Rig;
use murvet_core::states::Memory;
use murvet_core::work::day::{plan, read};
use std::hint::black_box;

fn demo(c: &mut Criterion) {
    let text = include_str!("../../murvet/demo/heron.rig");
    let Ok(rig) = parse(text) else { return };
    c.bench_function("audit of the faulty demo rig", |b| b.iter(|| audit(black_box(&rig), ProfileId::NA_RV)));
    c.bench_function("parse of the faulty demo rig", |b| b.iter(|| parse(black_box(text))));
}

/// The rig again after an edit of one place: a thicker cable, a smaller fuse, one appliance more. Each time only the rig
/// before the edit has been audited.
fn edited(c: &mut Criterion, components: usize, controls: usize) {
    let text = made::rig(components, controls);
    let edits = [
        ("cable", text.replacen("3m 2.5mm2, l1-0.+", "3m 4mm2, l1-0.+", 1)),
        ("fuse", text.replacen("fuse f1 60A", "fuse f1 50A", 1)),
        (
            "appliance",
            format!("{text}dc-load fan in cabin: 2A\nrun d1.w0 : 1m 2.5mm2, fan.+\nrun d1.- : 1m 2.5mm2, fan.-\n"),
        ),
    ];
    let limits = ProfileId::EU_UK.profile();
    let Ok(before) = parse(&text) else { panic!("the made rig parses") };
    let mut group = c.benchmark_group("audit after an edit");
    group.sample_size(20);
    for (what, text) in edits {
        let Ok(rig) = parse(&text) else { panic!("the edit parses") };
        assert!(rig != before, "{what} changes something");
        let known = || {
            let memory = Memory::default();
            audit_again(&before, limits, &memory);
            memory
        };
        let id = BenchmarkId::new(what, format!("{components} components, {controls} controls"));
        let again = |memory: Memory| audit_again(black_box(&rig), limits, &memory);
        group.bench_function(id, |b| b.iter_batched(known, again, BatchSize::LargeInput));
    }
    group.finish();
}

fn growth(c: &mut Criterion) {
    for controls in [6, 12] {
        edited(c, 120, controls);
    }
    let mut sized = |name: &str, components: usize, controls: usize| {
        let text = made::rig(components, controls);
        let Ok(rig) = parse(&text) else { panic!("the made rig parses") };
        let mut group = c.benchmark_group(name);
        group.sample_size(10);
        let id = BenchmarkId::from_parameter(format!("{components} components, {controls} controls"));
        group.bench_function(id, |b| b.iter(|| audit(black_box(&rig), ProfileId::EU_UK)));
        group.finish();
    };
    for controls in [6, 8, 10, 12, 14, 16, 18] {
        sized("audit by controls", 120, controls);
    }
    for components in [50, 120, 250, 500, 1000] {
        sized("audit by components", components, 8);
    }
}

/// Shapes that once took long: none may take more than a second, or the audit says what it left out.
fn shaped(c: &mut Criterion) {
    let mut group = c.benchmark_group("audit of a shape");
    group.sample_size(10);
    for (name, text) in [
        ("six generators on one panel", shapes::generators(6)),
        ("eight generators on one panel", shapes::generators(8)),
        ("eight transfers in a chain", shapes::transfers(8)),
        ("twenty DC-DC chargers on one bar", shapes::dc_chargers(20)),
        ("four unseen blocks", shapes::unseen_blocks(4)),
        ("ten unseen blocks", shapes::unseen_blocks(10)),
    ] {
        let Ok(rig) = parse(&text) else { panic!("{name} parses") };
        group.bench_function(name, |b| b.iter(|| audit(black_box(&rig), ProfileId::NA_RV)));
    }
    group.finish();
}

/// A day with thirty tasks that change nothing on the rig: the choice alone.
fn chosen(c: &mut Criterion) {
    let mut text = String::from("day 6h\nperson \"a\": extra-low mains-plugged\nperson \"b\": extra-low mains-fixed\n");
    for i in 0..30_u32 {
        let kind = if i % 3 == 0 { "mains-fixed" } else { "extra-low" };
        let wait = if i % 7 == 0 { ", wait 20min" } else { "" };
        let (minutes, worth, place) = (10 + 7 * (i % 9), 1 + 13 * (i % 5), i % 4);
        text += &format!("task \"task {i}\" {minutes}min, worth {worth}, in place{place}, needs {kind}{wait}\n");
    }
    let (Ok(rig), Ok((day, list))) = (parse("battery b: agm 12V 100Ah\n"), read(&text)) else {
        panic!("the day reads")
    };
    let before = audit(&rig, ProfileId::EU_UK);
    c.bench_function("a day of thirty tasks", |b| b.iter(|| plan(&rig, &before, black_box(&list), &day)));
}

/// Rigs of a fleet: sixty components, from six controls to ten; what is told is rigs a second on one core.
fn fleet(c: &mut Criterion) {
    let rigs: Vec<Rig> = (6..=10).filter_map(|controls| parse(&made::rig(60, controls)).ok()).collect();
    assert_eq!(rigs.len(), 5, "the made rigs parse");
    let mut group = c.benchmark_group("a fleet");
    group.sample_size(10).throughput(Throughput::Elements(rigs.len() as u64));
    group.bench_function("rigs of 60 components", |b| {
        b.iter(|| rigs.iter().map(|rig| audit(black_box(rig), ProfileId::EU_UK).findings.len()).sum::<usize>());
    });
    group.finish();
}

criterion_group!(benches, fleet, demo, growth, shaped, chosen);
criterion_main!(benches);
