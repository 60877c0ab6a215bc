//! What was traced: places, pieces, runs of conductor and cables, each value with its provenance.
//!
//! A [`Rig`] holds exactly what a person wrote, in either of its two forms (the notation and JSON).
//! It gives no meaning to it: terminals come from the [catalogue](crate::catalogue), connections
//! from the [network](crate::network).

mod check;
mod walk;

pub(crate) use check::terminal_names;
pub use check::{Problem, Spot, check, nearest};
pub use walk::{Attached, Hop, HopEnd, WalkError, attached, port_of, terminal_of, walk};

use crate::catalogue::Kind;
use crate::units::{Dimension, Quantity};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt;
use std::str::FromStr;

/// How a value became known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Provenance {
    /// With an instrument or a tape, by the inspector.
    Measured,
    /// Printed or stamped on the thing.
    Marked,
    /// Seen in a photograph or drawing.
    Pictured,
    /// Said by the owner or builder.
    Told,
    /// Shown by the rig's own display.
    Shown,
    /// Taken as typical.
    Assumed,
}

impl Provenance {
    /// All of them, in falling trust.
    pub const ALL: [Provenance; 6] = [
        Provenance::Measured,
        Provenance::Marked,
        Provenance::Pictured,
        Provenance::Told,
        Provenance::Shown,
        Provenance::Assumed,
    ];

    /// The word of the notation, as in `2.1m@measured`.
    pub fn word(self) -> &'static str {
        match self {
            Provenance::Measured => "measured",
            Provenance::Marked => "marked",
            Provenance::Pictured => "pictured",
            Provenance::Told => "told",
            Provenance::Shown => "shown",
            Provenance::Assumed => "assumed",
        }
    }
}

/// A value with where it came from: `300A`, `300A@marked`, or `?` for one that was not seen.
///
/// The text is kept as typed. In JSON it is a string of the same form.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "String", into = "String")]
#[schemars(with = "String")]
pub struct Value {
    /// The text without the provenance mark; `?` when unseen.
    pub text: String,
    /// Where it came from, if that was said.
    pub from: Option<Provenance>,
}

impl Value {
    /// A value with no provenance stated.
    pub fn new(text: impl Into<String>) -> Value {
        Value { text: text.into(), from: None }
    }

    /// The unseen value.
    pub fn unseen() -> Value {
        Value::new("?")
    }

    /// Whether nobody has seen it yet.
    pub fn is_unseen(&self) -> bool {
        self.text == "?"
    }

    /// The value as a quantity, `None` when unseen or not one.
    pub fn quantity(&self) -> Option<Quantity> {
        Quantity::parse(&self.text).ok()
    }

    /// The value in the solver's unit when it has this dimension.
    pub fn si(&self, dimension: Dimension) -> Option<f64> {
        self.quantity().filter(|q| q.dimension == dimension).map(|q| q.si)
    }
}

impl FromStr for Value {
    type Err = String;
    fn from_str(text: &str) -> Result<Value, String> {
        let (text, from) = match text.rsplit_once('@') {
            None => (text, None),
            Some((text, word)) => {
                let mut fits = Provenance::ALL.into_iter().filter(|p| !word.is_empty() && p.word().starts_with(word));
                match (fits.next(), fits.next()) {
                    (Some(p), None) => (text, Some(p)),
                    (Some(p), Some(_)) if p.word() == word => (text, Some(p)),
                    _ => {
                        return Err(format!(
                            "\"@{word}\" says nothing about where the value came from; write @measured, @marked, @pictured, @told, @shown or @assumed"
                        ));
                    }
                }
            }
        };
        if text.is_empty() {
            return Err("a value is missing before the @".to_owned());
        }
        Ok(Value { text: text.to_owned(), from })
    }
}

impl TryFrom<String> for Value {
    type Error = String;
    fn try_from(text: String) -> Result<Value, String> {
        text.parse()
    }
}

impl From<Value> for String {
    fn from(value: Value) -> String {
        value.to_string()
    }
}

impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)?;
        match self.from {
            Some(from) => write!(f, "@{}", from.word()),
            None => Ok(()),
        }
    }
}

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

    fn is_default(&self) -> bool {
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
    /// Terminal name of the load side, unique in the piece.
    pub id: String,
    /// Rating of the device, a current.
    pub rating: Value,
    /// Tripping current of a residual-current device in this way, a current.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rcd: Option<Value>,
    /// Printed circuit name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
}

/// Anything with terminals.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Piece {
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

impl Piece {
    /// A piece of a kind with nothing known.
    pub fn new(id: impl Into<String>, kind: Kind) -> Piece {
        Piece {
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

    /// The same piece with one more attribute.
    pub fn with(mut self, key: &str, text: impl Into<String>) -> Piece {
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

/// A terminal of a piece. Without a terminal name it means the piece's only terminal, or the way
/// through a two-ended device.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "String", into = "String")]
#[schemars(with = "String")]
pub struct TermRef {
    /// The piece.
    pub piece: String,
    /// The terminal or port within it.
    pub terminal: Option<String>,
}

impl TermRef {
    /// A terminal by piece and name.
    pub fn new(piece: impl Into<String>, terminal: impl Into<String>) -> TermRef {
        TermRef { piece: piece.into(), terminal: Some(terminal.into()) }
    }
}

impl From<&str> for TermRef {
    fn from(text: &str) -> TermRef {
        match text.split_once('.') {
            Some((piece, terminal)) => TermRef::new(piece, terminal),
            None => TermRef { piece: text.to_owned(), terminal: None },
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
            Some(terminal) => write!(f, "{}.{terminal}", self.piece),
            None => f.write_str(&self.piece),
        }
    }
}

/// One length of a single conductor.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Conductor {
    /// One-way length.
    pub length: Value,
    /// Cross-section or gauge.
    pub size: Value,
    /// Temperature rating of the insulation.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub insulation: Option<Value>,
    /// Colour word, which proves nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub colour: Option<String>,
    /// Places it passes through.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub via: Vec<String>,
    /// How many loaded conductors lie bundled together, this one included; a count.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bundle: Option<Value>,
    /// The vehicle maker's cranking cable, outside the audit of overcurrent protection.
    #[serde(default, skip_serializing_if = "is_false")]
    pub cranking: bool,
    /// In a sheath or conduit of its own.
    #[serde(default, skip_serializing_if = "is_false")]
    pub sheathed: bool,
}

impl Conductor {
    /// A conductor of a length and a size.
    pub fn new(length: impl Into<String>, size: impl Into<String>) -> Conductor {
        Conductor {
            length: Value::new(length),
            size: Value::new(size),
            insulation: None,
            colour: None,
            via: Vec::new(),
            bundle: None,
            cranking: false,
            sheathed: false,
        }
    }
}

/// How an end that goes nowhere was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LooseEnd {
    /// Under a cap or in a blanked box.
    Capped,
    /// Under tape only.
    Taped,
    /// Bare metal.
    Bare,
    /// Vanishes where nobody looked.
    Unseen,
}

impl LooseEnd {
    /// All words of the notation.
    pub const ALL: [(LooseEnd, &'static str); 4] = [
        (LooseEnd::Capped, "capped"),
        (LooseEnd::Taped, "taped"),
        (LooseEnd::Bare, "bare"),
        (LooseEnd::Unseen, "unseen"),
    ];
}

/// One step of a run, outward from its start.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Step {
    /// A length of conductor.
    Conductor(Conductor),
    /// A piece the run passes through or ends at.
    At(TermRef),
    /// An end that goes nowhere.
    End(LooseEnd),
}

/// A run of single conductors from a source outward.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Run {
    /// Where it starts.
    pub from: TermRef,
    /// What comes after, in order.
    pub steps: Vec<Step>,
    /// Comment lines above it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

/// A core of a cable by its duty.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub enum Core {
    /// Line (hot) conductor.
    L,
    /// Neutral conductor.
    N,
    /// Protective (earth) conductor.
    PE,
}

impl Core {
    /// The three cores in the order of the notation.
    pub const ALL: [Core; 3] = [Core::L, Core::N, Core::PE];

    /// The word of the notation.
    pub fn word(self) -> &'static str {
        match self {
            Core::L => "L",
            Core::N => "N",
            Core::PE => "PE",
        }
    }

    /// Reads a core's name.
    pub fn parse(text: &str) -> Option<Core> {
        Core::ALL.into_iter().find(|c| c.word().eq_ignore_ascii_case(text))
    }
}

/// Where one core of a cable lands at each end, where that is not like to like.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Landing {
    /// The terminal of the start port.
    pub from: Core,
    /// The terminal of the end port, or nothing for a core that is cut or not landed.
    pub to: Option<Core>,
}

/// An AC cable from one port to another.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Cable {
    /// Its name in this rig.
    pub id: String,
    /// Number of cores: 2 is L and N, 3 is L, N and PE.
    pub cores: u8,
    /// Length of the cable.
    pub length: Value,
    /// Size of each core.
    pub size: Value,
    /// Temperature rating of the insulation.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub insulation: Option<Value>,
    /// A flexible cord.
    #[serde(default, skip_serializing_if = "is_false")]
    pub flex: bool,
    /// Places it passes through.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub via: Vec<String>,
    /// How many loaded conductors lie bundled together, a count.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bundle: Option<Value>,
    /// The port it starts at.
    pub from: TermRef,
    /// The port it ends at.
    pub to: TermRef,
    /// Landings that are not like to like. Cores not named land like to like.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub map: Vec<Landing>,
    /// Whether it is there now.
    #[serde(default, skip_serializing_if = "Status::is_default")]
    pub status: Status,
    /// Comment lines above it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

impl Cable {
    /// The core at the far end for each core at the start, swapped and lost cores included.
    pub fn landings(&self) -> Vec<(Core, Option<Core>)> {
        Core::ALL
            .into_iter()
            .take(usize::from(self.cores))
            .map(|core| match self.map.iter().find(|l| l.from == core) {
                Some(landing) => (core, landing.to),
                None => (core, Some(core)),
            })
            .collect()
    }
}

/// A whole installation as traced.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Rig {
    /// Name of the rig.
    #[serde(default)]
    pub name: String,
    /// Profile it is to be judged by, unless another is asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub profile: Option<crate::profiles::ProfileId>,
    /// Places, in order of entry.
    #[serde(default)]
    pub places: Vec<Place>,
    /// Pieces, in order of entry.
    #[serde(default)]
    pub pieces: Vec<Piece>,
    /// Runs, in order of entry.
    #[serde(default)]
    pub runs: Vec<Run>,
    /// Cables, in order of entry.
    #[serde(default)]
    pub cables: Vec<Cable>,
    /// Comment lines after the last statement.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub comment: Vec<String>,
}

impl Rig {
    /// Puts the pieces into the order in which the notation writes them: those with a line of their own
    /// first, then those written inside runs in the order in which the runs meet them. Two rigs that
    /// say the same in the same order of entry are then equal.
    pub fn normalise(&mut self) {
        let mut met: Vec<&str> = Vec::new();
        for step in self.runs.iter().flat_map(|r| &r.steps) {
            if let Step::At(TermRef { piece, terminal: None }) = step
                && !met.contains(&piece.as_str())
            {
                met.push(piece);
            }
        }
        let rank = |p: &Piece| met.iter().position(|m| *m == p.id).filter(|_| p.inline && p.comment.is_empty());
        let mut ranked: Vec<(Option<usize>, Piece)> = self.pieces.iter().map(|p| (rank(p), p.clone())).collect();
        ranked.sort_by_key(|(rank, _)| *rank);
        self.pieces = ranked
            .into_iter()
            .map(|(rank, mut piece)| {
                piece.inline = rank.is_some();
                piece
            })
            .collect();
    }

    /// The piece of this name.
    pub fn piece(&self, id: &str) -> Option<&Piece> {
        self.pieces.iter().find(|p| p.id == id)
    }

    /// The piece of this name, to change it.
    pub fn piece_mut(&mut self, id: &str) -> Option<&mut Piece> {
        self.pieces.iter_mut().find(|p| p.id == id)
    }

    /// The cable of this name.
    pub fn cable(&self, id: &str) -> Option<&Cable> {
        self.cables.iter().find(|c| c.id == id)
    }

    /// The place of this name.
    pub fn place(&self, id: &str) -> Option<&Place> {
        self.places.iter().find(|p| p.id == id)
    }

    /// A name that no piece or cable has yet, made from a stem and a number.
    pub fn fresh_id(&self, stem: &str) -> String {
        (1..)
            .map(|n| format!("{stem}{n}"))
            .find(|id| self.piece(id).is_none() && self.cable(id).is_none())
            .unwrap_or_else(|| stem.to_owned())
    }

    /// Reads the JSON form and checks it.
    ///
    /// # Errors
    /// One problem for JSON that does not fit the schema (with line and column), else every problem
    /// of meaning that [`check`] finds.
    pub fn from_json(text: &str) -> Result<Rig, Vec<Problem>> {
        let mut rig: Rig = serde_json::from_str(text).map_err(|e| {
            vec![Problem {
                spot: Spot::Text { line: e.line(), column: e.column() },
                message: e.to_string(),
                help: "compare with docs/rig.schema.json".to_owned(),
                word: None,
            }]
        })?;
        rig.normalise();
        let problems = check(&rig);
        if problems.is_empty() { Ok(rig) } else { Err(problems) }
    }

    /// The JSON form.
    pub fn to_json(&self) -> String {
        serde_json::to_string_pretty(self).unwrap_or_default()
    }
}

fn is_false(flag: &bool) -> bool {
    !*flag
}
