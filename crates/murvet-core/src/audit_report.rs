//! The audit as a machine reads it and as plain text: what `murvet audit` prints and what a signed
//! record keeps. `docs/audit.schema.json` is generated from these types.

use crate::audit::Audit;
use crate::faults::{OneFault, faults_left_out, one_fault_away};
use crate::rules::{About, Certainty, Finding, Hazard, Severity};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt::Write;

/// The number of the form. Form 2 has what a finding is about as things beside its name.
pub const FORM: u32 = 2;

fn first_form() -> u32 {
    1
}

/// An audit in its machine form.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct AuditReport {
    /// Number of this form; a record of before has none and is of form 1.
    #[serde(default = "first_form")]
    pub schema: u32,
    /// Name of the rig.
    pub rig: String,
    /// Profile used.
    pub profile: String,
    /// Version of the rules.
    pub rules_version: String,
    /// Number of distinct states judged.
    pub states: usize,
    /// Findings, most pressing first.
    pub findings: Vec<FindingReport>,
    /// What one failed part would bring, apart from what is wrong now.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub one_fault_away: Vec<OneFaultReport>,
    /// Unseen values by how many findings hang on them.
    pub look_next: Vec<LookNextReport>,
    /// What limits this audit.
    pub limits: Vec<String>,
    /// Whether it stopped before every state and every choice of what was not seen was judged.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub partly: bool,
    /// Cautions.
    pub cautions: Vec<String>,
}

/// One finding in its machine form.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct FindingReport {
    /// The rule's name.
    pub slug: String,
    /// The hazard.
    pub hazard: Hazard,
    /// How pressing.
    pub severity: Severity,
    /// Certain, or possible because of something unseen.
    pub certainty: Certainty,
    /// What it is about: a component, a cable, or the two terminals a conductor joins.
    pub subject: String,
    /// The same as things of the rig, each by its kind.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub about: Vec<About>,
    /// What is wrong.
    pub statement: String,
    /// Why it matters.
    pub why: String,
    /// Lines to follow by hand.
    pub evidence: Vec<String>,
    /// Sources.
    pub source: String,
    /// Shortest sequence of operations from parked; empty when it stands as parked.
    pub way_to_reach: Vec<String>,
    /// Components it shows at.
    #[serde(rename = "pieces")]
    pub components: Vec<String>,
    /// Values that were not seen and each of which alone makes it come or go, in words.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub hangs_on: Vec<String>,
}

/// One fault and what it brings, in its machine form.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct OneFaultReport {
    /// The component that fails.
    #[serde(rename = "piece")]
    pub component: String,
    /// How, in words.
    pub fault: String,
    /// What then appears.
    pub findings: Vec<FindingReport>,
}

/// One unseen value in its machine form.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct LookNextReport {
    /// What it belongs to.
    pub subject: String,
    /// Which value.
    pub key: String,
    /// It in a sentence, as findings that hang on it name it.
    #[serde(default)]
    pub words: String,
    /// Findings that hang on it.
    pub findings: usize,
}

impl FindingReport {
    /// The whole finding for a terminal.
    fn write(&self, out: &mut String) {
        let f = self;
        let _ = writeln!(
            out,
            "\n[{}] {} ({}) {}\n  {}",
            f.severity.words(),
            f.slug,
            f.certainty.words(),
            f.subject,
            f.statement
        );
        let _ = writeln!(out, "  Why: {}", f.why);
        for line in &f.evidence {
            let _ = writeln!(out, "  - {line}");
        }
        let _ = writeln!(out, "  Source: {}", f.source);
        let way = if f.way_to_reach.is_empty() { "as parked".to_owned() } else { f.way_to_reach.join(", then ") };
        let _ = writeln!(out, "  Way to reach it: {way}");
    }
}

/// Cautions printed with every audit.
pub const CAUTIONS: [&str; 3] = [
    "Murvet advises; it certifies nothing. Local code and licensed practice decide.",
    "Isolate every source, prove dead where the hand goes in, and prove the tester before and after.",
    "Values marked as recalled were written down from memory: verify them against the current edition.",
];

impl From<&Finding> for FindingReport {
    fn from(f: &Finding) -> FindingReport {
        FindingReport {
            slug: f.rule.slug.to_owned(),
            hazard: f.rule.hazard,
            severity: f.severity,
            certainty: f.certainty,
            subject: f.subject.to_string(),
            about: f.subject.about().to_vec(),
            statement: f.statement.clone(),
            why: f.rule.why.to_owned(),
            evidence: f.evidence.clone(),
            source: f.source.clone(),
            way_to_reach: f.way.clone(),
            components: f.components.clone(),
            hangs_on: f.hangs_on.iter().map(crate::bounds::Unseen::words).collect(),
        }
    }
}

impl AuditReport {
    /// The machine form of an audit.
    pub fn new(audit: &Audit) -> AuditReport {
        AuditReport {
            schema: FORM,
            rig: audit.assumed.name.clone(),
            profile: audit.rules.id.clone(),
            rules_version: env!("CARGO_PKG_VERSION").to_owned(),
            states: audit.states.states.len(),
            findings: audit.findings.iter().map(FindingReport::from).collect(),
            one_fault_away: Vec::new(),
            look_next: audit
                .look_next
                .iter()
                .map(|l| LookNextReport {
                    subject: l.unseen.subject.clone(),
                    key: l.unseen.key.clone(),
                    words: l.unseen.words(),
                    findings: l.findings,
                })
                .collect(),
            limits: audit.limits.clone(),
            partly: audit.partly,
            cautions: CAUTIONS.iter().map(|s| (*s).to_owned()).collect(),
        }
    }

    /// The same with what one failed part would bring; this takes an audit for each of them.
    pub fn with_faults(mut self, audit: &Audit) -> AuditReport {
        let report = |f: OneFault| OneFaultReport {
            component: f.component,
            fault: f.fault,
            findings: f.findings.iter().map(FindingReport::from).collect(),
        };
        self.one_fault_away = one_fault_away(audit).into_iter().map(report).collect();
        self.limits.extend(faults_left_out(audit).map(str::to_owned));
        self
    }

    /// What hangs on a value that was not seen, under that value, by index of the findings: possible ones alone, for what is
    /// certain, and what is to be kept off, stands by itself. Each once, under the value on which most hang.
    pub fn under_unseen(&self) -> Vec<(String, Vec<usize>)> {
        let folds = |f: &FindingReport| {
            f.certainty == Certainty::Possible && f.severity < Severity::KeepOff && !f.hangs_on.is_empty()
        };
        let mut open: Vec<usize> = (0..self.findings.len()).filter(|n| folds(&self.findings[*n])).collect();
        let mut list = Vec::new();
        for value in &self.look_next {
            let words = value.words.clone();
            let (under, rest): (Vec<usize>, Vec<usize>) =
                open.into_iter().partition(|n| self.findings[*n].hangs_on.contains(&words));
            open = rest;
            if !under.is_empty() {
                list.push((words, under));
            }
        }
        list
    }

    /// The audit as plain text for a terminal.
    pub fn text(&self) -> String {
        let mut out = String::new();
        let name = if self.rig.is_empty() { "unnamed rig" } else { &self.rig };
        let _ = writeln!(out, "{name}, profile {}, {} distinct states", self.profile, self.states);
        if self.findings.is_empty() {
            let words = if self.partly {
                "Nothing was found in what was judged; see below what was not."
            } else {
                "No findings."
            };
            let _ = writeln!(out, "\n{words}");
        }
        let under = self.under_unseen();
        let folded = |n: usize| under.iter().any(|(_, list)| list.contains(&n));
        for (_, f) in self.findings.iter().enumerate().filter(|(n, _)| !folded(*n)) {
            f.write(&mut out);
        }
        for (words, list) in &under {
            let _ = writeln!(out, "\nNot seen, {words}: {} open.", list.len());
            for f in list.iter().map(|n| &self.findings[*n]) {
                let _ = writeln!(
                    out,
                    "  [{}] {} ({}) {}\n    {}",
                    f.severity.words(),
                    f.slug,
                    f.certainty.words(),
                    f.subject,
                    f.statement
                );
            }
        }
        if !self.one_fault_away.is_empty() {
            let _ = writeln!(out, "\nOne fault away:");
        }
        for fault in &self.one_fault_away {
            for f in &fault.findings {
                let _ = writeln!(out, "  If {}: [{}] {}, {}", fault.fault, f.severity.words(), f.slug, f.statement);
            }
        }
        let look: Vec<&LookNextReport> = self.look_next.iter().collect();
        if !look.is_empty() {
            let _ = writeln!(out, "\nLook next:");
            for l in look {
                let _ = writeln!(out, "  {} {}: {} findings hang on it", l.subject, l.key, l.findings);
            }
        }
        for line in self.limits.iter().chain(&self.cautions) {
            let _ = writeln!(out, "\n{line}");
        }
        out
    }
}
