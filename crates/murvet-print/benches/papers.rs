//! Thirty pages with a table and a drawing.

use criterion::{Criterion, criterion_group, criterion_main};
use murvet_print::{Paper, Papers, Sheet, pdf};

fn papers(c: &mut Criterion) {
    let row = |n: usize| {
        format!("<tr><td>reading {n}</td><td>{}</td><td class=\"num\">12.{n} V</td></tr>", "what it means ".repeat(12))
    };
    let rows: String = (0..620).map(row).collect();
    let drawing =
        "<svg viewBox=\"0 0 900 300\" width=\"900\" height=\"300\"><text x=\"9\" y=\"40\">House bank</text></svg>";
    let html = format!(
        "<main><h1>Report</h1>{drawing}<table><thead><tr><th>Test</th><th>Meaning</th><th>Value</th></tr></thead><tbody>{rows}</tbody></table></main>"
    );
    let papers = [Paper { title: "Report", html: &html }];
    let papers =
        Papers { title: "t", language: "en", foot: "foot", sheet: Sheet::A4, made_on: (2026, 5, 3), papers: &papers };
    c.bench_function("thirty pages", |b| b.iter(|| pdf(&papers, &|_| None).map(|bytes| bytes.len())));
}

criterion_group!(benches, papers);
criterion_main!(benches);
