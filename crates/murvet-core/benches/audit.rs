//! How long an audit of the faulty demo rig takes.

use criterion::{Criterion, criterion_group, criterion_main};
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

criterion_group!(benches, demo);
criterion_main!(benches);
