//! The trade's rules for auditing the power installation of campers, trailers and other vehicles one
//! lives in. No I/O, no clock, no interface.
//!
//! The pipeline of one audit:
//!
//! 1. [`notation`] or JSON gives a [`rig`]: places, components, runs and cables as traced.
//! 2. [`bounds`] and `corners` put in what was not seen, at both ends of what is credible.
//! 3. [`network`] expands it to conductors, devices and contacts, with anatomies from the
//!    [`catalogue`].
//! 4. [`states`] visits every state the controls can reach and computes what is live.
//! 5. [`rules`] judge the states by the limits of a [profile](profiles), with values from [`tables`].
//! 6. [`audit`] gathers findings with evidence; [`readings`] derives what to measure, and [`remedies`]
//!    proposes repairs and tries each on a copy.
//!
//! Murvet advises. Local code and licensed practice decide.

mod apart;
pub mod audit;
pub mod audit_report;
pub mod bench;
pub mod bounds;
pub mod capacity;
pub mod catalogue;
pub mod complaints;
mod corners;
pub mod corrections;
mod covering;
pub mod devices;
pub mod diagnosis;
pub mod faults;
mod hearsay;
pub mod meaning;
pub mod measure;
pub mod network;
pub mod notation;
pub mod owner_questions;
pub mod profiles;
pub mod questions;
pub mod readings;
pub mod remedies;
pub mod reports;
pub mod rig;
pub mod rules;
pub mod severity;
pub mod starters;
pub mod states;
pub mod systems;
pub mod tables;
pub mod terminals;
pub mod test_kinds;
pub mod units;
pub mod work;

/// The JSON schema of `rig` or `audit`, as published in `docs/`; nothing for another name.
pub fn schema(what: &str) -> Option<String> {
    let schema = match what {
        "rig" => schemars::schema_for!(rig::Rig),
        "audit" => schemars::schema_for!(audit_report::AuditReport),
        "isolate" => schemars::schema_for!(reports::IsolationReport),
        "plan" => schemars::schema_for!(reports::PlanReport),
        "repairs" => schemars::schema_for!(reports::RepairsReport),
        "uses" => schemars::schema_for!(reports::UsesReport),
        "day" => schemars::schema_for!(reports::DayReport),
        "steps" => schemars::schema_for!(reports::StepsReport),
        "diagnose" => schemars::schema_for!(reports::DiagnosisReport),
        _ => return None,
    };
    serde_json::to_string_pretty(&schema).ok()
}
