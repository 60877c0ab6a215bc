//! Kinds of tests: everything that the plan, its judge, the uses and the hours know of a test by what kind it is.

use crate::severity::Severity;

/// When in a visit a test belongs. The order is the order of work: nothing is energised before what it
/// depends on has passed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Phase {
    /// The supply at the pitch, before plugging in.
    Supply,
    /// What is looked at and pulled, everything dead.
    Look,
    /// Everything dead.
    Dead,
    /// DC live.
    Dc,
    /// Charging from sun and engine, source by source.
    Charging,
    /// On the inverter.
    Inverter,
    /// On the generator.
    Generator,
    /// On shore.
    Shore,
    /// Everything on that can be on together.
    Load,
    /// Closing up.
    Close,
}

impl Phase {
    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            Phase::Supply => "Supply, before plugging in",
            Phase::Look => "Looked at and pulled",
            Phase::Dead => "Everything dead",
            Phase::Dc => "DC live",
            Phase::Charging => "Charging, source by source",
            Phase::Inverter => "On the inverter",
            Phase::Generator => "On the generator",
            Phase::Shore => "On shore",
            Phase::Load => "Everything on together",
            Phase::Close => "Closing up",
        }
    }

    /// All phases in order.
    pub const ALL: [Phase; 10] = [
        Phase::Supply,
        Phase::Look,
        Phase::Dead,
        Phase::Dc,
        Phase::Charging,
        Phase::Inverter,
        Phase::Generator,
        Phase::Shore,
        Phase::Load,
        Phase::Close,
    ];

    /// Its stable code, as it is kept.
    pub fn code(self) -> &'static str {
        match self {
            Phase::Supply => "supply",
            Phase::Look => "look",
            Phase::Dead => "dead",
            Phase::Dc => "dc",
            Phase::Charging => "charging",
            Phase::Inverter => "inverter",
            Phase::Generator => "generator",
            Phase::Shore => "shore",
            Phase::Load => "load",
            Phase::Close => "close",
        }
    }

    /// The phase of a code; an unknown one is nothing.
    pub fn of(code: &str) -> Option<Phase> {
        Phase::ALL.into_iter().find(|p| p.code() == code)
    }

    /// When what an AC source feeds is tested.
    pub(crate) fn on(kind: crate::catalogue::SourceKind) -> Phase {
        use crate::catalogue::SourceKind;
        match kind {
            SourceKind::Inverter => Phase::Inverter,
            SourceKind::Generator => Phase::Generator,
            _ => Phase::Shore,
        }
    }

    /// Whether the rig must be made safe and its dead tests done before.
    pub fn energises(self) -> bool {
        matches!(self, Phase::Charging | Phase::Inverter | Phase::Generator | Phase::Shore | Phase::Load)
    }
}
/// What a visit is for. Each kind of visit asks for some kinds of tests only.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum VisitKind {
    /// Cables lie open and will be covered: what can only be seen now, everything dead.
    BeforeLinings,
    /// The whole plan.
    Finished,
    /// What a change of the rig made stale, and what must have passed before it.
    AfterRepair,
    /// What shakes loose on the road, and whether everything still protects.
    AfterJourney,
}

impl VisitKind {
    /// All of them, in the order of a rig's life.
    pub const ALL: [VisitKind; 4] =
        [VisitKind::BeforeLinings, VisitKind::Finished, VisitKind::AfterRepair, VisitKind::AfterJourney];

    /// Its stable code.
    pub fn code(self) -> &'static str {
        match self {
            VisitKind::BeforeLinings => "before-linings",
            VisitKind::Finished => "finished",
            VisitKind::AfterRepair => "after-repair",
            VisitKind::AfterJourney => "after-journey",
        }
    }

    /// As printed.
    pub fn words(self) -> &'static str {
        match self {
            VisitKind::BeforeLinings => "before the linings close",
            VisitKind::Finished => "finished rig",
            VisitKind::AfterRepair => "after a repair",
            VisitKind::AfterJourney => "after the first journey",
        }
    }

    /// From its code; an unknown one is nothing.
    pub fn of(code: &str) -> Option<VisitKind> {
        VisitKind::ALL.into_iter().find(|k| k.code() == code)
    }
}

/// Which uses of a rig rest on a kind of test.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Proves {
    /// Every use.
    All,
    /// Shore alone.
    Shore,
    /// Whatever runs on mains voltage.
    Mains,
    /// Whatever runs on direct current, the inverter too.
    Direct,
    /// The proof of a loop: the inverter, and shore, for it is there that a loop hides.
    Loop,
    /// The source that its name names.
    Source,
    /// None: what it shows hurts nobody.
    Nothing,
}

/// One line of the table below.
struct Row {
    code: &'static str,
    /// Minutes with the leads in place, and minutes of waiting that tests of one state share.
    minutes: (u32, u32),
    /// What the worst of what it finds is worth (common practice, no source).
    miss: Severity,
    proves: Proves,
    /// Wanted before linings close, and after the first journey.
    visits: (bool, bool),
}

macro_rules! kinds {
    ($($(#[$doc:meta])* $name:ident $code:literal $work:literal $wait:literal $miss:ident $proves:ident $linings:literal $journey:literal)*) => {
        /// A kind of test.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub enum TestKind {
            $($(#[$doc])* $name,)*
        }

        impl TestKind {
            /// All kinds.
            pub const ALL: &'static [TestKind] = &[$(TestKind::$name),*];

            fn row(self) -> Row {
                match self {
                    $(TestKind::$name => Row {
                        code: $code,
                        minutes: ($work, $wait),
                        miss: Severity::$miss,
                        proves: Proves::$proves,
                        visits: ($linings == 1, $journey == 1),
                    },)*
                }
            }
        }
    };
}

// Minutes, what a miss is worth and on which visit it is wanted: common practice, no source.
kinds! {
    // name          code           min wait  worth      proves  linings journey
    /// The skin against true earth, plugged in as found.
    Skin             "skin"           1   0   KeepOff    Shore     0 1
    /// First hot of the supply against neutral.
    SupplyVolts      "supply-volts"   2   0   KeepOff    Shore     0 1
    /// Second hot of the supply against neutral.
    SupplyVolts2     "supply-volts2"  1   0   BeforeUse  Shore     0 1
    /// Hot to hot of the supply.
    SupplyHots       "supply-hots"    1   0   BeforeUse  Shore     0 1
    /// Neutral to earth of the supply.
    SupplyNe         "supply-ne"      1   0   KeepOff    Shore     0 1
    /// Workmanship in a place.
    Look             "look"           6   0   Soon       Nothing   1 1
    /// What will be covered, before it is.
    Covered          "covered"        4   0   BeforeUse  Nothing   1 0
    /// Joints by the torque wrench.
    Torque           "torque"         3   0   BeforeUse  All       1 1
    /// The clear air that its maker asks for, face by face.
    Clearance        "clear"          1   0   Soon       Nothing   1 0
    /// The copper inside a large conductor.
    Strands          "strands"        3   0   Soon       All       1 0
    /// Where untraced leads of a box go.
    Leads            "leads"          8   0   BeforeUse  All       1 0
    /// The thresholds and charge figures that a device is set to, before it is first energised.
    Settings         "settings"       3   0   BeforeUse  Direct    0 0
    /// No short behind an open isolator.
    Short            "short"          2   0   BeforeUse  Direct    1 1
    /// Earth to a case.
    Earth            "earth"          3   0   KeepOff    Mains     1 1
    /// A bonding conductor by itself.
    Bonding          "bonding"        3   0   BeforeUse  Mains     1 0
    /// Neutral apart from earth, everything dead.
    NeutralEarth     "n-e"            4   0   BeforeUse  Mains     1 1
    /// Where a core lands.
    Core             "core"           1   0   BeforeUse  Mains     1 0
    /// Where a cable goes whose end nobody saw.
    Identify         "identify"       6   0   BeforeUse  Nothing   1 0
    /// Where both leads of a component on direct current land.
    Land             "land"           2   0   BeforeUse  Direct    1 0
    /// Positives against the body.
    DcInsulation     "dc-insul"       5   0   BeforeUse  Direct    1 1
    /// The negative of a bank to the body.
    Negative         "negative"       2   0   BeforeUse  Direct    1 1
    /// The second hot against earth.
    Insulation2      "insul:second"   5   0   BeforeUse  Mains     1 1
    /// Lines against earth.
    Insulation       "insul"          5   0   BeforeUse  Mains     1 1
    /// Batteries against each other before they are joined.
    Strings          "strings"        4   0   BeforeUse  Direct    0 0
    /// The capacitors behind an isolator are charged through a resistor before it closes.
    Precharge        "precharge"      2   0   Soon       Direct    0 0
    /// A bank at rest.
    Rest             "rest"           2   0   Soon       Direct    0 1
    /// What a component is fed with, before it is switched on.
    Input            "input"          1   0   BeforeUse  Direct    0 0
    /// Pins of a coupling or a DC socket with nothing plugged in.
    DcPins           "dc-pins"        1   0   Soon       Direct    0 1
    /// An end that goes nowhere.
    LooseEnd         "end"            1   0   KeepOff    All       1 1
    /// A battery's share of a load.
    Share            "share"          3   0   Soon       Direct    0 0
    /// The monitor against a clamp.
    Shunt            "shunt"          3   0   Advice     Nothing   0 0
    /// What is lost to an appliance.
    Drop             "drop"           5   0   Soon       Direct    0 0
    /// An appliance on direct current with next to nothing before it.
    Live             "live"           2   0   Advice     Direct    0 0
    /// A bank under everything on direct current.
    Sag              "sag"            2   5   Soon       Direct    0 1
    /// What a bank gives with everything off.
    Parasitic        "parasitic"      5   0   Advice     Nothing   0 0
    /// A stop, enable or trigger signal.
    Signal           "signal"         4   0   BeforeUse  Direct    0 1
    /// The same with its wire off.
    SignalBroken     "signal-broken"  3   0   BeforeUse  Direct    0 0
    /// What a charging source holds.
    ChargeVolts      "charge-volts"   4   0   BeforeUse  Source    0 1
    /// What a charging source gives.
    ChargeAmps       "charge-amps"    4   0   Soon       Source    0 1
    /// Post to post over a closed combining relay.
    Relay            "relay"          3   0   Soon       Direct    0 1
    /// What a main path loses.
    Path             "path"           6   0   Soon       Source    0 0
    /// Frequency of a source.
    Frequency        "hz"             1   0   Soon       Source    0 0
    /// Hot to hot of a panel.
    Legs             "legs"           1   0   BeforeUse  Source    0 0
    /// Volts of an outlet.
    Outlet           "outlet"         2   0   Soon       Source    0 1
    /// Second hot of an outlet or appliance.
    Outlet2          "outlet2"        1   0   Soon       Source    0 0
    /// Hot to hot of an outlet or appliance.
    Hots             "hots"           1   0   BeforeUse  Source    0 0
    /// Neutral to earth at an outlet.
    OutletNe         "outlet-ne"      1   0   BeforeUse  Source    0 1
    /// An outlet that a source does not feed.
    Census           "census"         1   0   BeforeUse  Source    0 0
    /// What no source feeds and another appliance makes live.
    CarriedOver      "carried"        2   0   BeforeUse  Mains     0 0
    /// What chooses mains by itself, while the inverter runs.
    Moves            "moves"          2   0   Soon       Nothing   0 0
    /// Current into a bank on shore with everything on.
    Carries          "carries"        4   0   Advice     Nothing   0 0
    /// An outlet with a heater in it.
    Loaded           "loaded"         2   0   BeforeUse  Source    0 0
    /// Volts at an appliance.
    Appliance        "appliance"      3   0   Soon       Source    0 0
    /// Current in an earth conductor.
    Stray            "stray"          3   0   BeforeUse  Mains     0 0
    /// Pins of an inlet while another source runs.
    Pins             "pins"           2   0   KeepOff    Source    0 1
    /// A charger's input while the inverter runs alone.
    Loop             "loop"           3   0   BeforeUse  Loop      0 0
    /// A charger's input on shore, inverter off.
    Fed              "fed"            2   0   Soon       Shore     0 0
    /// Current into the bank on shore, inverter on.
    Into             "into"           4   0   BeforeUse  Shore     0 0
    /// A changeover, one way.
    Transfer         "transfer"       3   0   Soon       Shore     0 1
    /// A residual-current device at its rated current.
    Rcd              "rcd"            3   0   KeepOff    Mains     0 1
    /// A residual-current device at five times its rated current.
    RcdFive          "rcd-five"       3   0   BeforeUse  Mains     0 0
    /// A residual-current device at half of its rated current.
    RcdHalf          "rcd-half"       3   0   Soon       Mains     0 0
    /// A residual-current device on another source than shore.
    RcdOn            "rcd-on"         3   0   KeepOff    Source    0 0
    /// Its button.
    Button           "button"         1   0   Soon       Mains     0 1
    /// Loop of a fault to earth.
    FaultLoop        "zs"             2   0   BeforeUse  Source    0 0
    /// Power on both sides of a converter.
    Balance          "balance"        6   0   Advice     Nothing   0 0
    /// What an inverter takes with nothing on it.
    Idle             "idle"           3   0   Advice     Nothing   0 0
    /// A device starts and stops from each of its points.
    Points           "points"         3   0   Soon       Source    0 0
    /// Joints under load.
    Heat             "heat"           5  30   BeforeUse  All       0 1
    /// The input of an inverter at the end of a load test.
    Held             "held"           2  30   Soon       Nothing   0 0
    /// A device by itself, its leads off, when it is suspected.
    Alone            "alone"         10   0   Advice     Nothing   0 0
    /// A place is closed again.
    Closed           "closed"         2   0   Soon       Nothing   1 1
}

impl TestKind {
    /// Its stable code, with which the name of each test of its kind begins.
    pub fn code(self) -> &'static str {
        self.row().code
    }

    /// The kind that the name of a test begins with; nothing for a name that is none.
    pub fn of(id: &str) -> Option<TestKind> {
        let begins = |k: &TestKind| id.strip_prefix(k.code()).is_some_and(|rest| rest.starts_with(':'));
        TestKind::ALL.iter().copied().filter(begins).max_by_key(|k| k.code().len())
    }

    /// Minutes of work for one test, the leads in place.
    pub(crate) fn minutes(self) -> u32 {
        self.row().minutes.0
    }

    /// Minutes that must pass before the value counts; tests in one state wait together.
    pub(crate) fn wait(self) -> u32 {
        self.row().minutes.1
    }

    /// What the worst is worth that only this kind finds.
    pub fn miss(self) -> Severity {
        self.row().miss
    }

    /// Which uses rest on it.
    pub(crate) fn proves(self) -> Proves {
        self.row().proves
    }

    /// Whether a visit of this kind asks for it. After a repair that depends on what was changed: `readings::after_repair`.
    pub fn on_visit(self, visit: VisitKind) -> bool {
        let (linings, journey) = self.row().visits;
        match visit {
            VisitKind::BeforeLinings => linings,
            VisitKind::Finished | VisitKind::AfterRepair => !matches!(self, TestKind::Covered | TestKind::Alone),
            VisitKind::AfterJourney => journey,
        }
    }

    /// Whether what it measures is lost on the way, so that more than predicted is a joint.
    pub fn is_loss(self) -> bool {
        matches!(self, TestKind::Drop | TestKind::Path)
    }
}

/// The name of a test: its kind, the source it is taken on where it has one, what it is about, and which part of that.
///
/// It is printed and stored as `kind:source:subject:part`.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct TestId {
    /// What kind of test.
    pub kind: TestKind,
    /// The source that it is taken on, where its kind is taken on several.
    pub source: Option<String>,
    /// What it is about: a component, a conductor, a place.
    pub subject: String,
    text: String,
}

impl TestId {
    /// A test of a kind about something.
    pub(crate) fn about(kind: TestKind, subject: impl Into<String>) -> TestId {
        let subject = subject.into();
        TestId { kind, source: None, text: format!("{}:{subject}", kind.code()), subject }
    }

    /// A test of a kind about something, taken on a source.
    pub(crate) fn on(kind: TestKind, source: &str, subject: impl Into<String>) -> TestId {
        let subject = subject.into();
        TestId { kind, source: Some(source.to_owned()), text: format!("{}:{source}:{subject}", kind.code()), subject }
    }

    /// The same of one part of what it is about.
    pub(crate) fn part(mut self, part: &str) -> TestId {
        self.text = format!("{}:{part}", self.text);
        self
    }

    /// What it names: its source, and what it is about.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.source.as_deref().into_iter().chain([self.subject.as_str()])
    }

    /// As it is printed and stored.
    pub fn as_str(&self) -> &str {
        &self.text
    }
}

impl std::fmt::Display for TestId {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.text)
    }
}

impl AsRef<str> for TestId {
    fn as_ref(&self) -> &str {
        &self.text
    }
}

impl serde::Serialize for TestId {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(&self.text)
    }
}

impl PartialEq<str> for TestId {
    fn eq(&self, other: &str) -> bool {
        self.text == other
    }
}

impl PartialEq<&str> for TestId {
    fn eq(&self, other: &&str) -> bool {
        self.text == *other
    }
}

impl PartialEq<String> for TestId {
    fn eq(&self, other: &String) -> bool {
        self.text == *other
    }
}

impl PartialEq<TestId> for String {
    fn eq(&self, other: &TestId) -> bool {
        *self == other.text
    }
}
