//! Places and components, and the names of terminals.

use super::{Value, is_false};
use crate::catalogue::Kind;
use crate::units::Dimension;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt;

/// Whether a thing is there now.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Status {
    /// In place and in use: what the audit judges.
    #[default]
    InPlace,
    /// Planned: left out of the audit of today.
    Intended,
    /// Left in place but disconnected for good.
    OutOfUse,
    /// Taken out.
    Removed,
    /// In place for a while.
    Temporary,
}

impl Status {
    /// All words of the notation.
    pub const ALL: [(Status, &'static str); 5] = [
        (Status::InPlace, "in-place"),
        (Status::Intended, "intended"),
        (Status::OutOfUse, "out-of-use"),
        (Status::Removed, "removed"),
        (Status::Temporary, "temporary"),
    ];

    /// Whether it is electrically there now.
    pub fn present(self) -> bool {
        matches!(self, Status::InPlace | Status::Temporary)
    }

    pub(super) fn is_default(&self) -> bool {
        *self == Status::InPlace
    }
}

/// Where things are: a volume of the vehicle with its own climate.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Place {
    /// Its name in this rig.
    pub id: String,
    /// Which part of the vehicle it is, for the map: `roof`, `cabin`, `bay`, `underfloor`,
    /// `engine`, `locker`, `outside` or `tow`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub zone: Option<String>,
    /// Air temperature, a temperature value.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ambient: Option<Value>,
    /// Cables there run inside thermal insulation.
    #[serde(default, skip_serializing_if = "is_false")]
    pub insulated: bool,
    /// Over how much of their length they run inside it, a length value; half a metre and more where nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub insulated_over: Option<Value>,
    /// Its inside and its openings, for the heat in it: `wide`, `deep`, `high` (lengths), `vent-low`, `vent-high` (free
    /// areas of its openings).
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub air: BTreeMap<String, Value>,
    /// The sun stands on its skin.
    #[serde(default, skip_serializing_if = "is_false")]
    pub sun: bool,
    /// Whether it was opened: `yes`, `part` or `no`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub opened: Option<String>,
    /// Printed name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// Comment lines above it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

/// One way of a panel or fuse block: a terminal behind its own device.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Way {
    /// Terminal name of the load side, unique in the component.
    pub id: String,
    /// Rating of the device, a current.
    pub rating: Value,
    /// Tripping current of a residual-current device in this way, a current.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rcd: Option<Value>,
    /// The hot bar of a two-hot panel it hangs on: `leg1`, `leg2` or `both-legs`; `leg1` where nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub leg: Option<String>,
    /// Printed circuit name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
}

impl Way {
    /// The word for a way on the second hot bar.
    pub const LEG_2: &'static str = "leg2";
    /// All words for a way's leg.
    pub const LEGS: [&'static str; 3] = ["leg1", Way::LEG_2, "both-legs"];

    /// Whether it has a pole on each hot bar.
    pub fn both_legs(&self) -> bool {
        self.leg.as_deref() == Some("both-legs")
    }
}

/// Anything with terminals.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Component {
    /// Its name in this rig.
    pub id: String,
    /// What it is.
    pub kind: Kind,
    /// The place it is in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<String>,
    /// Whether it is there now.
    #[serde(default, skip_serializing_if = "Status::is_default")]
    pub status: Status,
    /// What is known of it, by the keys of its kind in the catalogue. A flag has the text `yes`.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub attrs: BTreeMap<String, Value>,
    /// Ways of a panel or fuse block.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub ways: Vec<Way>,
    /// Printed name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// Written inside a run in the notation, rather than on a line of its own.
    #[serde(default, skip_serializing_if = "is_false")]
    pub inline: bool,
    /// Comment lines above it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

impl Component {
    /// How many batteries of a bank lie in series, and how many such strings beside each other.
    pub(crate) fn series_and_parallel(&self) -> (f64, f64) {
        let count = self.si("count", Dimension::Count).unwrap_or(1.0).max(1.0);
        let strings = self.si("strings", Dimension::Count).unwrap_or(1.0).clamp(1.0, count);
        if self.word("wiring") == Some("series") { ((count / strings).floor(), strings) } else { (1.0, count) }
    }

    /// A component of a kind with nothing known.
    pub fn new(id: impl Into<String>, kind: Kind) -> Component {
        Component {
            id: id.into(),
            kind,
            place: None,
            status: Status::InPlace,
            attrs: BTreeMap::new(),
            ways: Vec::new(),
            label: None,
            inline: false,
            comment: Vec::new(),
        }
    }

    /// The same component with one more attribute.
    pub fn with(mut self, key: &str, text: impl Into<String>) -> Component {
        self.attrs.insert(key.to_owned(), Value::new(text));
        self
    }

    /// An attribute's quantity in the solver's unit.
    pub fn si(&self, key: &str, dimension: Dimension) -> Option<f64> {
        self.attrs.get(key).and_then(|v| v.si(dimension))
    }

    /// An attribute's word; `None` when absent or unseen.
    pub fn word(&self, key: &str) -> Option<&str> {
        self.attrs.get(key).filter(|v| !v.is_unseen()).map(|v| v.text.as_str())
    }

    /// Whether it has two hots, whatever is known of how they lie to each other.
    pub fn two_hot(&self) -> bool {
        self.attrs.contains_key("legs")
    }

    /// Whether a flag is set.
    pub fn flag(&self, key: &str) -> bool {
        self.word(key) == Some("yes")
    }

    /// Whether a person asked about this attribute and could not see it.
    pub fn unseen(&self, key: &str) -> bool {
        self.attrs.get(key).is_some_and(Value::is_unseen)
    }

    /// The printed name, or the identifier where none was given.
    pub fn title(&self) -> &str {
        self.label.as_deref().unwrap_or(&self.id)
    }
}

/// What was seen on a component, a cable or a place: workmanship or identification.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Remark {
    /// The component, cable or place.
    pub on: String,
    /// A kind of remark of the catalogue.
    pub kind: String,
    /// In the inspector's words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub words: Option<String>,
    /// Comment lines above it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

impl Remark {
    /// Whether it says how a device was found: tripped, blown, taken out, switched off.
    pub fn is_as_found(&self) -> bool {
        self.kind.starts_with("found-")
    }
}

/// A terminal of a component. Without a terminal name it means the component's only terminal, or the way
/// through a two-ended device.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "String", into = "String")]
#[schemars(with = "String")]
pub struct TermRef {
    /// The component.
    #[serde(rename = "piece")]
    pub component: String,
    /// The terminal or port within it.
    pub terminal: Option<String>,
}

impl Place {
    /// What can be said of its inside, each with the form of its value.
    pub const AIR: [(&'static str, Dimension); 5] = [
        ("wide", Dimension::Length),
        ("deep", Dimension::Length),
        ("high", Dimension::Length),
        ("vent-low", Dimension::Area),
        ("vent-high", Dimension::Area),
    ];
}

impl TermRef {
    /// A terminal by component and name.
    pub fn new(component: impl Into<String>, terminal: impl Into<String>) -> TermRef {
        TermRef { component: component.into(), terminal: Some(terminal.into()) }
    }
}

impl From<&str> for TermRef {
    fn from(text: &str) -> TermRef {
        match text.split_once('.') {
            Some((component, terminal)) => TermRef::new(component, terminal),
            None => TermRef { component: text.to_owned(), terminal: None },
        }
    }
}

impl From<String> for TermRef {
    fn from(text: String) -> TermRef {
        TermRef::from(text.as_str())
    }
}

impl From<TermRef> for String {
    fn from(term: TermRef) -> String {
        term.to_string()
    }
}

impl fmt::Display for TermRef {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.terminal {
            Some(terminal) => write!(f, "{}.{terminal}", self.component),
            None => f.write_str(&self.component),
        }
    }
}
