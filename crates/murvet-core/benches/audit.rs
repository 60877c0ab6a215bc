//! How long an audit takes: of the demo rig, of the 120-piece rig with 12 controls, and how it grows.

mod made;

use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use murvet_core::audit::audit;
use murvet_core::notation::parse;
use murvet_core::profiles::ProfileId;
use std::hint::black_box;

fn demo(c: &mut Criterion) {
    let text = include_str!("../../murvet/demo/heron.rig");
    let Ok(rig) = parse(text) else { return };
    c.bench_function("audit of the faulty demo rig", |b| b.iter(|| audit(black_box(&rig), ProfileId::NaRv)));
    c.bench_function("parse of the faulty demo rig", |b| b.iter(|| parse(black_box(text))));
}

fn growth(c: &mut Criterion) {
    let mut sized = |name: &str, pieces: usize, controls: usize| {
        let text = made::rig(pieces, controls);
        let Ok(rig) = parse(&text) else { panic!("the made rig parses") };
        let mut group = c.benchmark_group(name);
        group.sample_size(10);
        let id = BenchmarkId::from_parameter(format!("{pieces} pieces, {controls} controls"));
        group.bench_function(id, |b| b.iter(|| audit(black_box(&rig), ProfileId::EuUk)));
        group.finish();
    };
    for controls in [6, 8, 10, 12, 14, 16, 18] {
        sized("audit by controls", 120, controls);
    }
    for pieces in [50, 120, 250, 500, 1000] {
        sized("audit by pieces", pieces, 8);
    }
}

criterion_group!(benches, demo, growth);
criterion_main!(benches);
