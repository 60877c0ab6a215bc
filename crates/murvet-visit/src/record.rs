//! The record of a visit: what is signed at the hand-over and goes to others in a bundle. `docs/record.schema.json` is generated
//! from these types.

use murvet_core::audit_report::AuditReport;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What the record calls itself.
pub const FORMAT: &str = "murvet hand-over 2";

/// Everything of a visit. Moments are RFC 3339, days ISO 8601, units those of the SI as printed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Record {
    /// [`FORMAT`].
    pub format: String,
    /// The visit.
    pub visit: VisitPart,
    /// The rig as it stood at the end.
    pub rig: RigPart,
    /// The audit of that rig.
    pub audit: AuditReport,
    /// The tables that were used, each with its source.
    pub tables: Vec<TablePart>,
    /// Every reading, superseded ones included, in order.
    pub readings: Vec<ReadingPart>,
    /// What they were taken with.
    pub instruments: Vec<InstrumentPart>,
    /// What was complained of, and how each ended.
    pub complaints: Vec<ComplaintPart>,
    /// Tests that were left out or left to the owner.
    pub left_out: Vec<LeftOutPart>,
    /// How switches and devices were left.
    pub left_as: Vec<LeftAsPart>,
    /// What happened to findings.
    pub events: Vec<EventPart>,
    /// Repairs that were made.
    pub actions: Vec<ActionPart>,
    /// Work that went to others, and what came back.
    pub referrals: Vec<ReferralPart>,
    /// Photographs, by the hash of each.
    pub photographs: Vec<PhotographPart>,
    /// Where it came from, if another firm made the visit.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub origin: Option<OriginPart>,
    /// Who signed, with what qualification, when; nobody in a bundle of a visit that was not handed over.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub signed: Option<SignedPart>,
}

/// The visit itself.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct VisitPart {
    /// Its number in the firm.
    pub id: i64,
    /// Day.
    pub day: String,
    /// What it was for, by its code.
    pub kind: String,
    /// Hours set aside.
    pub hours: f64,
    /// Whose rig it is.
    pub customer: String,
    /// What the visit was asked for.
    pub complaint: String,
}

/// The rig.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct RigPart {
    /// Its name.
    pub name: String,
    /// The profile it is judged by, by its code.
    pub profile: String,
    /// Number of the revision.
    pub revision: i32,
    /// The trace in the notation.
    pub trace: String,
    /// Who built it, where that is known.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub builder: String,
    /// The year it was built.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub built: Option<i32>,
}

/// A table and where it was published.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TablePart {
    /// Its name.
    pub id: String,
    /// Where it was published.
    pub source: String,
    /// Edition, as far as known.
    pub edition: String,
    /// Whether the values were recalled from memory.
    pub recalled: bool,
}

/// A reading.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ReadingPart {
    /// Its number in the firm.
    pub id: i64,
    /// The test.
    pub test: String,
    /// What was measured.
    pub title: String,
    /// As printed, with its unit.
    pub value: String,
    /// The number; none where the instrument showed over-range.
    pub number: Option<f64>,
    /// The unit of the number.
    pub unit: String,
    /// The code of the outcome.
    pub outcome: String,
    /// What it means.
    #[serde(default)]
    pub words: String,
    /// Revision of the rig it was taken on.
    pub revision: i32,
    /// The reading it takes the place of.
    pub supersedes: Option<i64>,
    /// Every value that was read, where they were several.
    #[serde(default)]
    pub samples: Vec<f64>,
    /// `full`, or `lower` where it can fail this test and not pass it.
    pub rank: String,
    /// The instruments, by their numbers in this record.
    pub instruments: Vec<i64>,
    /// What it was taken with, where that was not what the test asks for.
    pub means: String,
    /// Who took it.
    pub by: String,
    /// When.
    pub at: String,
}

/// An instrument.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct InstrumentPart {
    /// Its number in the firm.
    pub id: i64,
    /// What it is.
    pub name: String,
    /// Its serial number.
    pub serial: String,
    /// Its calibration on the day, in words.
    pub calibration: String,
}

/// A complaint.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ComplaintPart {
    /// Who told it.
    pub told_by: String,
    /// As it was told.
    pub words: String,
    /// The code of the symptom.
    #[serde(default)]
    pub symptom: String,
    /// The code of how it ended.
    pub standing: String,
    /// The test that showed it.
    pub test: Option<String>,
    /// What was said at its end.
    pub note: String,
}

/// A test that was not made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct LeftOutPart {
    /// The test.
    pub test: String,
    /// What it is.
    pub title: String,
    /// Why.
    pub reason: String,
    /// Whether the owner makes it.
    pub to_owner: bool,
    /// Who said so.
    pub by: String,
    /// When.
    pub at: String,
}

/// How a switch or device was left.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct LeftAsPart {
    /// Its name.
    pub component: String,
    /// `on`, `off`, `locked-off` or `removed`.
    pub position: String,
    /// What was said with it.
    pub note: String,
    /// Who said it.
    pub by: String,
    /// When.
    pub at: String,
}

/// Something that happened to a finding.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct EventPart {
    /// The finding.
    pub finding: String,
    /// What it said then.
    #[serde(default)]
    pub statement: String,
    /// The code of what happened.
    pub event: String,
    /// Reason or remark.
    pub note: String,
    /// Until when a risk is accepted.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub until: Option<String>,
    /// What ends that before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub condition: Option<String>,
    /// Revision of the rig.
    pub revision: i32,
    /// Who.
    pub by: String,
    /// When.
    pub at: String,
}

/// A repair.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ActionPart {
    /// The finding it was for.
    pub finding: String,
    /// What was done.
    pub done: String,
    /// Whether it was the inspector's own.
    #[serde(default)]
    pub own: bool,
    /// What went into it.
    #[serde(default)]
    pub parts: String,
    /// Minutes that were planned.
    pub minutes: i32,
    /// Minutes that it took.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub took: Option<i32>,
    /// A condition that goes with it.
    pub condition: Option<String>,
    /// Why it was done while a source that reaches it was not isolated.
    pub live_because: Option<String>,
    /// Why the rig was not to be left as it was after it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub not_to_be_left: Option<String>,
    /// The revision it made.
    pub revision: i32,
    /// Who.
    pub by: String,
    /// When.
    pub at: String,
}

/// Work that went to somebody with the licence for it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ReferralPart {
    /// What is to be done.
    pub title: String,
    /// The kinds of work it is.
    pub kinds: Vec<String>,
    /// Everything that whoever does it needs to know.
    pub brief: String,
    /// Who did it, certificate, issuer and day, once it came back.
    pub back: Option<ReferralBackPart>,
}

/// What came back of it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ReferralBackPart {
    /// Who did it.
    pub done_by: String,
    /// The number of the certificate.
    pub certificate: String,
    /// Who issued it.
    pub issuer: String,
    /// When it was done.
    pub done_on: String,
}

/// A photograph.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PhotographPart {
    /// What it shows.
    pub subject: String,
    /// `before`, `after` or `found`.
    pub moment: String,
    /// In words.
    pub note: String,
    /// SHA-256 of the picture; in a bundle it is `photographs/` and this and `.jpg`.
    pub sha256: String,
    /// Who took it.
    pub by: String,
    /// When it was entered.
    pub at: String,
}

/// The firm that a visit came from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct OriginPart {
    /// As it calls itself.
    pub firm: String,
    /// Its public key.
    pub key: String,
    /// SHA-256 of its bundle.
    pub sha256: String,
}

/// Who signed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct SignedPart {
    /// Name.
    pub by: String,
    /// With what qualification: their own.
    pub qualification: String,
    /// When.
    pub at: String,
}

/// The JSON schema of a record.
pub fn schema() -> serde_json::Value {
    schemars::schema_for!(Record).to_value()
}
