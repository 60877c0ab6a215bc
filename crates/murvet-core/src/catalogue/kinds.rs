//! Words and attributes of every kind.

use super::Kind;
use crate::units::Dimension;

/// The form of an attribute.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum AttrType {
    /// A quantity; the flag says whether a bare quantity of this dimension means this attribute.
    Quantity(Dimension, bool),
    /// One of a few words, written bare.
    Word(&'static [&'static str]),
    /// A word that is there or not.
    Flag,
    /// A free name, such as that of an outlet.
    Name,
    /// Words of a person, written in quotes.
    Words,
}

/// One attribute of a kind.
#[derive(Debug, Clone, Copy)]
pub struct AttrSpec {
    /// Key in both forms of the rig.
    pub key: &'static str,
    /// Form.
    pub ty: AttrType,
    /// What it means, in a sentence for the documentation and the question list.
    pub doc: &'static str,
}

/// One kind of component.
#[derive(Debug, Clone, Copy)]
pub struct KindSpec {
    /// The kind.
    pub kind: Kind,
    /// Words of the notation, main word first.
    pub words: &'static [&'static str],
    /// Printed name.
    pub title: &'static str,
    /// Attributes.
    pub attrs: &'static [AttrSpec],
    /// May carry ways (`way B1 15A "sockets"`).
    pub ways: bool,
}

impl KindSpec {
    /// The attribute with this key.
    pub fn attr(&self, key: &str) -> Option<&'static AttrSpec> {
        self.attrs.iter().find(|a| a.key == key)
    }

    /// The attribute that a word of the notation names: its key, or another word of the trade for it.
    pub fn named(&self, word: &str) -> Option<&'static AttrSpec> {
        let other = || OTHER_WORDS.iter().find(|(kinds, other, _)| *other == word && kinds.contains(&self.kind));
        self.attr(word).or_else(|| self.attr(other()?.2))
    }

    /// The attribute that a bare quantity of this size means. Where a kind has both a DC and an AC
    /// voltage, 60 V and more is AC.
    pub fn bare_quantity(&self, dimension: Dimension, si: f64) -> Option<&'static AttrSpec> {
        if dimension == Dimension::Voltage
            && let (Some(dc), Some(ac)) = (self.attr("dc"), self.attr("ac"))
        {
            return Some(if si < 60.0 { dc } else { ac });
        }
        if dimension == Dimension::Current
            && si < 1.0
            && let Some(rcd) = self.attr("rcd")
        {
            return Some(rcd);
        }
        self.attrs.iter().find(|a| a.ty == AttrType::Quantity(dimension, true))
    }

    /// The attribute that has this word among its choices, or is this flag.
    pub fn bare_word(&self, word: &str) -> Option<(&'static AttrSpec, &'static str)> {
        self.attrs.iter().find_map(|a| match a.ty {
            AttrType::Word(words) => words.iter().find(|w| w.eq_ignore_ascii_case(word)).map(|w| (a, *w)),
            AttrType::Flag if a.key.eq_ignore_ascii_case(word) => Some((a, "yes")),
            _ => None,
        })
    }
}

/// Other words for an attribute: of which kinds, the word, the key.
const OTHER_WORDS: [(&[Kind], &str, &str); 4] = [
    (&[Kind::Charger, Kind::DcDc], "absorption", "voltage"),
    (&[Kind::Charger, Kind::DcDc], "charges", "voltage"),
    (&[Kind::Controller, Kind::InverterCharger, Kind::WindTurbine], "charges", "absorption"),
    (&[Kind::Controller], "pv-most", "voltage"),
];

const fn q(key: &'static str, dimension: Dimension, bare: bool, doc: &'static str) -> AttrSpec {
    AttrSpec { key, ty: AttrType::Quantity(dimension, bare), doc }
}
const fn w(key: &'static str, words: &'static [&'static str], doc: &'static str) -> AttrSpec {
    AttrSpec { key, ty: AttrType::Word(words), doc }
}
const fn f(key: &'static str, doc: &'static str) -> AttrSpec {
    AttrSpec { key, ty: AttrType::Flag, doc }
}
const fn n(key: &'static str, doc: &'static str) -> AttrSpec {
    AttrSpec { key, ty: AttrType::Name, doc }
}

const MIN_SIZE: AttrSpec =
    q("min-size", Area, false, "Smallest conductor its maker asks for at its direct current terminals.");
const TORQUE: AttrSpec = q("torque", Torque, false, "Torque of its main terminals, maker's figure.");
const CLEAR_ABOVE: AttrSpec = q("clear-above", Length, false, "Clear air its maker asks for above it.");
const CLEAR_BELOW: AttrSpec = q("clear-below", Length, false, "Clear air its maker asks for below it.");
const CLEAR_SIDES: AttrSpec = q("clear-sides", Length, false, "Clear air its maker asks for at its sides.");
const DOCUMENT: AttrSpec = AttrSpec {
    key: "document",
    ty: AttrType::Words,
    doc: "Where its maker's figures stand: the document and the page.",
};

use Dimension::{Area, Charge, Count, Current, Length, Power, Ratio, Resistance, Temperature, Time, Torque, Voltage};

const RATING: AttrSpec = q("rating", Current, true, "Current rating.");
const EFFICIENCY: AttrSpec =
    q("efficiency", Ratio, false, "Efficiency at the working point; 85 % assumed until measured.");
const REMOTE: AttrSpec = f("remote", "Can be switched from a remote switch as well.");
const SCREEN: AttrSpec = f("screen", "Can be switched from a screen or a telephone as well.");
const IGNITION: AttrSpec = f("ignition", "Starts with the vehicle's ignition as well.");
const AUTO_START: AttrSpec = f("auto-start", "Starts by itself, on a low battery or when a supply fails.");
const DELAY: AttrSpec =
    q("delay", Time, false, "How long it is set to wait before it takes the input that it prefers.");
const IDLE: AttrSpec = q("idle", Power, false, "Power taken when on and unloaded.");
const POLES: AttrSpec = w(
    "poles",
    &["1-pole", "2-pole", "3-pole"],
    "Poles that open: 1-pole leaves the neutral joined, 2-pole opens line and neutral; on two hots 2-pole opens the hots and 3-pole the neutral too.",
);
const ISOLATED: AttrSpec =
    w("isolation", &["isolated", "not-isolated"], "Whether the output is isolated from the input.");
const BONDED: AttrSpec = w(
    "bond",
    &["bond-none", "bond-fixed", "bond-switched"],
    "Neutral-earth bond inside: none (floating), fixed, or switched (joined only while it is itself the source).",
);
const ON: AttrSpec = n("on", "The outlet it is plugged into, or the terminal it is fed from.");
const TWO_HOT: AttrSpec = w("legs", &["two-hot"], "Has two hots of opposite phase, as on a 120/240 V supply.");
const LEGS: AttrSpec = w(
    "legs",
    &["two-hot", "in-phase"],
    "Two hots: two-hot where their voltages are opposite, in-phase where both are fed alike (an adapter, one inverter on both legs).",
);
const LISTENS: AttrSpec =
    f("listens", "Obeys the battery's management unit, by a signal that was seen and a setting that was read.");
const FLOAT: AttrSpec = q("float", Voltage, false, "Voltage it holds a full battery at.");
const ABSORPTION: AttrSpec = q("absorption", Voltage, false, "Highest voltage it charges to, as set.");
const REBULK: AttrSpec = q("rebulk", Voltage, false, "Voltage at which it starts charging a full battery again.");
const CURRENT_LIMIT: AttrSpec =
    q("current-limit", Current, false, "Charge current it is set to, where that is less than it could give.");
const INPUT_LIMIT: AttrSpec = q("input-limit", Current, false, "Most current it is set to draw from what feeds it.");
const DEVICE_CLASS: AttrSpec = w(
    "class",
    &["class-t", "bolt-down", "terminal", "blade", "large-blade", "glass", "gg", "curve-b", "curve-c", "curve-d"],
    "Construction of the device.",
);
const CURVE: AttrSpec = w("class", &["curve-b", "curve-c", "curve-d"], "How soon it opens on a short.");
const RATED: AttrSpec = q("rated", Voltage, false, "Rated DC voltage.");
const DUTY: AttrSpec = w(
    "duty",
    &["ac-only", "dc-rated"],
    "Whether it is made for direct current; breakers with curve B, C or D are taken as ac-only where nothing is said.",
);
const RCD_TYPE: AttrSpec = w(
    "rcd-type",
    &["type-ac", "type-a", "type-f", "type-b"],
    "Which residual currents it sees: sinusoidal (AC), pulsating too (A, F), smooth direct current too (B).",
);
const AIR_MOST: AttrSpec =
    q("air-most", Temperature, false, "Warmest air in which its maker lets it work at full power.");
const WAVE: AttrSpec = w("wave", &["sine", "stepped"], "Wave form of its output.");
const STANDS: AttrSpec = w(
    "stands",
    &["outdoors", "sink", "bathroom", "wet"],
    "Where it is used: outdoors, within reach of a sink, in a bathroom, in the wet.",
);
const MAX_DEVICE: AttrSpec =
    q("max-device", Current, false, "Largest overcurrent device its maker allows ahead of it.");
const BREAKING: AttrSpec = q("breaking", Current, false, "Breaking capacity.");

/// Every kind of component.
pub static KINDS: &[KindSpec] = &[
    KindSpec {
        kind: Kind::Battery,
        words: &["battery", "bank"],
        title: "battery",
        attrs: &[
            w("chemistry", &["lifepo4", "agm", "flooded", "gel", "nickel-lithium"], "Chemistry."),
            q("voltage", Voltage, true, "Nominal voltage of one battery."),
            q("capacity", Charge, true, "Capacity of one battery."),
            q("count", Count, true, "How many like batteries."),
            q("cells", Count, false, "How many cells in series one battery has."),
            w("wiring", &["parallel", "series"], "How the batteries of a bank are joined."),
            q("strings", Count, false, "How many strings in series lie in parallel; 2s2p is x4 series strings x2."),
            w("taps", &["same-end", "opposite-ends", "centre"], "Where the bank is tapped."),
            f("starter", "The engine's own battery."),
            q("internal", Resistance, false, "Internal resistance of one battery."),
            AIR_MOST,
            CLEAR_ABOVE,
            CLEAR_BELOW,
            CLEAR_SIDES,
            q("charge-limit", Current, false, "Greatest charge current of one battery, maker's figure."),
            q("discharge", Current, false, "Greatest continuous discharge current of one battery, maker's figure."),
            q("absorption", Voltage, false, "Highest charge voltage of one battery, maker's figure."),
            q("links", Area, false, "Size of the links between the batteries of a bank."),
            q("link-length", Length, false, "Length of each link; 0.3 m where nothing is said."),
            w(
                "management",
                &["management-inside", "management-contactor", "management-signal"],
                "What its management unit does: opens inside, opens a contactor, or only signals.",
            ),
            q("low-cut", Voltage, false, "Voltage of one battery at which its management opens when it is empty."),
            q("high-cut", Voltage, false, "Voltage of one battery at which its management opens when it is too full."),
            TORQUE,
            DOCUMENT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Inlet,
        words: &["inlet", "shore"],
        title: "shore inlet",
        attrs: &[
            q("voltage", Voltage, true, "Nominal supply voltage."),
            q("rating", Current, true, "Rating of the supply's breaker."),
            LEGS,
            w(
                "supply",
                &["reversed", "earthless", "reversed-earthless", "tt", "pme"],
                "The supply as tested, where it is not sound: reversed, without earth, or both; or how it is earthed: by its own rod (tt), by its neutral (pme).",
            ),
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Generator,
        words: &["generator"],
        title: "generator",
        attrs: &[
            q("voltage", Voltage, true, "Output voltage."),
            q("rating", Current, true, "Current its own breaker or winding allows."),
            q("power", Power, true, "Rated power."),
            BONDED,
            LEGS,
            REMOTE,
            SCREEN,
            AUTO_START,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Inverter,
        words: &["inverter"],
        title: "inverter",
        attrs: &[
            q("power", Power, true, "Continuous output power."),
            q("dc", Voltage, false, "Nominal DC voltage."),
            q("ac", Voltage, false, "AC output voltage from hot to neutral."),
            BONDED,
            ISOLATED,
            EFFICIENCY,
            WAVE,
            IDLE,
            REMOTE,
            SCREEN,
            IGNITION,
            AUTO_START,
            q("warning", Voltage, false, "Battery voltage at which it warns."),
            q("cut-off", Voltage, false, "Battery voltage at which it switches off."),
            q("restart", Voltage, false, "Battery voltage at which it starts again."),
            LISTENS,
            LEGS,
            AIR_MOST,
            CLEAR_ABOVE,
            CLEAR_BELOW,
            CLEAR_SIDES,
            MAX_DEVICE,
            MIN_SIZE,
            TORQUE,
            DOCUMENT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::InverterCharger,
        words: &["inverter-charger"],
        title: "inverter-charger",
        attrs: &[
            q("power", Power, true, "Continuous output power."),
            q("dc", Voltage, false, "Nominal DC voltage."),
            q("ac", Voltage, false, "AC output voltage."),
            q("charge", Current, true, "Greatest charge current."),
            ABSORPTION,
            FLOAT,
            REBULK,
            CURRENT_LIMIT,
            INPUT_LIMIT,
            q("relay", Current, false, "Rating of the transfer relay."),
            DELAY,
            w("neutral", &["neutral-common", "neutral-switched"], "Whether the transfer relay also opens the neutral."),
            f("shore-only", "Has a second output that is live on shore only (port aux)."),
            f("two-input", "Has a second input (port in2), taken while the first is dead."),
            q("warning", Voltage, false, "Battery voltage at which it warns."),
            q("cut-off", Voltage, false, "Battery voltage at which it switches off."),
            q("restart", Voltage, false, "Battery voltage at which it starts again."),
            LISTENS,
            f("feed-in", "Set to feed energy back into the supply."),
            AIR_MOST,
            CLEAR_ABOVE,
            CLEAR_BELOW,
            CLEAR_SIDES,
            f("assist", "May add inverter power to the shore supply."),
            BONDED,
            ISOLATED,
            EFFICIENCY,
            WAVE,
            IDLE,
            REMOTE,
            SCREEN,
            IGNITION,
            AUTO_START,
            w(
                "legs",
                &["two-hot", "in-phase", "one-leg"],
                "Two hots pass through; inverting it feeds them opposite (two-hot), alike (in-phase) or the first alone (one-leg).",
            ),
            MAX_DEVICE,
            MIN_SIZE,
            TORQUE,
            DOCUMENT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Charger,
        words: &["charger", "converter", "converter-charger"],
        title: "charger",
        attrs: &[
            q("rating", Current, true, "Greatest charge current."),
            q("voltage", Voltage, true, "Charge voltage."),
            FLOAT,
            REBULK,
            CURRENT_LIMIT,
            INPUT_LIMIT,
            LISTENS,
            EFFICIENCY,
            AIR_MOST,
            CLEAR_ABOVE,
            CLEAR_BELOW,
            CLEAR_SIDES,
            f("plug-in", "Plugs into an outlet."),
            ON,
            MAX_DEVICE,
            MIN_SIZE,
            TORQUE,
            DOCUMENT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::DcDc,
        words: &["dcdc", "maintainer"],
        title: "DC-DC charger",
        attrs: &[
            q("rating", Current, true, "Greatest output current."),
            q("voltage", Voltage, true, "Output voltage."),
            FLOAT,
            REBULK,
            CURRENT_LIMIT,
            INPUT_LIMIT,
            LISTENS,
            w(
                "enable",
                &["engine", "always", "by-voltage", "trigger"],
                "What makes it run: the engine, always, the voltage at its input, or a wire on its terminal signal.",
            ),
            q("start", Voltage, false, "Voltage at its input at which it starts."),
            f("pv-input", "Has an input for an array as well (terminals pv+ and pv-)."),
            q("pv-most", Voltage, false, "Greatest voltage of its array input."),
            ISOLATED,
            EFFICIENCY,
            AIR_MOST,
            CLEAR_ABOVE,
            CLEAR_BELOW,
            CLEAR_SIDES,
            MAX_DEVICE,
            MIN_SIZE,
            TORQUE,
            DOCUMENT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Array,
        words: &["array", "solar"],
        title: "solar array",
        attrs: &[
            q("isc", Current, true, "Short-circuit current of the whole array."),
            q("voc", Voltage, true, "Open-circuit voltage of the whole array."),
            q("power", Power, true, "Rated power."),
            q("strings", Count, true, "How many strings lie in parallel."),
            f("string-fuses", "Each string has a device of its own."),
            q("coldest", Temperature, false, "Lowest air temperature where the rig is used."),
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Controller,
        words: &["controller"],
        title: "solar controller",
        attrs: &[
            q("rating", Current, true, "Greatest output current."),
            q("voltage", Voltage, true, "Greatest input voltage."),
            ABSORPTION,
            FLOAT,
            REBULK,
            CURRENT_LIMIT,
            AIR_MOST,
            CLEAR_ABOVE,
            CLEAR_BELOW,
            CLEAR_SIDES,
            LISTENS,
            MAX_DEVICE,
            MIN_SIZE,
            TORQUE,
            DOCUMENT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::WindTurbine,
        words: &["wind-turbine", "wind"],
        title: "wind turbine",
        attrs: &[
            q("power", Power, true, "Rated power."),
            q("rating", Current, true, "Most current that it gives into the battery, maker's figure."),
            q("voltage", Voltage, true, "Nominal voltage of the battery that it is made for."),
            w(
                "brake",
                &["brake-switch", "brake-by-hand", "brake-none"],
                "How it is stopped: by a switch that shorts its windings, by hand at its tail or rope, or not at all.",
            ),
            q("dump", Power, false, "Load that its controller turns on when the battery is full or gone."),
            ABSORPTION,
            FLOAT,
            LISTENS,
            MAX_DEVICE,
            MIN_SIZE,
            TORQUE,
            DOCUMENT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Alternator,
        words: &["alternator"],
        title: "alternator",
        attrs: &[RATING, LISTENS],
        ways: false,
    },
    KindSpec {
        kind: Kind::Tow,
        words: &["tow", "coupling"],
        title: "tow coupling",
        attrs: &[q("rating", Current, true, "Device in the tow vehicle ahead of the pin.")],
        ways: false,
    },
    KindSpec {
        kind: Kind::Isolator,
        words: &["isolator", "switch", "disconnect"],
        title: "isolator",
        attrs: &[
            RATING,
            POLES,
            TWO_HOT,
            REMOTE,
            SCREEN,
            f("pull-pin", "Open while its pin is in: closed by pulling it, as a breakaway switch is."),
            TORQUE,
            DOCUMENT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::DcSocket,
        words: &["dc-socket"],
        title: "DC socket",
        attrs: &[
            RATING,
            w(
                "pins",
                &["male", "female"],
                "The contacts of its fixed half: male pins stand bare while nothing is plugged in.",
            ),
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Relay,
        words: &["relay", "combiner"],
        title: "combining relay",
        attrs: &[RATING, w("enable", &["engine", "always"], "What closes it.")],
        ways: false,
    },
    KindSpec {
        kind: Kind::AcContactor,
        words: &["ac-contactor"],
        title: "AC contactor",
        attrs: &[
            RATING,
            POLES,
            TWO_HOT,
            n(
                "coil",
                "What its coil hangs on: a component that is a source of mains, or welded; its own line side where nothing is said.",
            ),
            n("interlock", "Name of an interlock: of all contactors with this name at most one is closed."),
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Transfer,
        words: &["transfer", "ats"],
        title: "transfer switch",
        attrs: &[
            w("operation", &["manual", "automatic"], "Operated by hand, or by what is live at its inputs."),
            w("priority", &["a-first", "b-first"], "The input an automatic switch prefers."),
            DELAY,
            POLES,
            RATING,
            TWO_HOT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::PlugChangeover,
        words: &["plug-changeover"],
        title: "plug changeover",
        attrs: &[RATING, TWO_HOT],
        ways: false,
    },
    KindSpec {
        kind: Kind::Fuse,
        words: &["fuse"],
        title: "fuse",
        attrs: &[
            RATING,
            DEVICE_CLASS,
            BREAKING,
            RATED,
            n("marking", "What is stamped on a cartridge: T10AH250V, F5AL250V."),
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Breaker,
        words: &["breaker"],
        title: "circuit breaker",
        attrs: &[
            RATING,
            POLES,
            CURVE,
            BREAKING,
            RATED,
            DUTY,
            TWO_HOT,
            n("interlock", "Name of a mechanical interlock: of all breakers with this name at most one can be closed."),
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Rcd,
        words: &["rcd", "gfci"],
        title: "RCD",
        attrs: &[
            q("rcd", Current, false, "Residual operating current."),
            RCD_TYPE,
            q("rating", Current, true, "Contact rating."),
            w("poles", &["1-pole", "2-pole"], "Poles that open; a neutral that runs through is not opened."),
            TWO_HOT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Rcbo,
        words: &["rcbo"],
        title: "RCBO",
        attrs: &[RATING, q("rcd", Current, false, "Residual operating current."), RCD_TYPE, POLES, CURVE, TWO_HOT],
        ways: false,
    },
    KindSpec {
        kind: Kind::LoadDisconnect,
        words: &["load-disconnect", "contactor"],
        title: "load disconnect",
        attrs: &[
            RATING,
            q("cut-off", Voltage, false, "Battery voltage at which it opens."),
            q("restart", Voltage, false, "Battery voltage at which it closes again."),
            REMOTE,
            SCREEN,
            LISTENS,
            f("pre-charge", "Charges the capacitors behind it through a resistor before it closes."),
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::Guard,
        words: &["guard", "surge-guard"],
        title: "supply guard",
        attrs: &[RATING, TWO_HOT],
        ways: false,
    },
    KindSpec {
        kind: Kind::Bus,
        words: &["bus", "stud"],
        title: "bus bar",
        attrs: &[RATING, TORQUE, DOCUMENT],
        ways: false,
    },
    KindSpec {
        kind: Kind::JointBox,
        words: &["joint-box", "junction-box", "assembly"],
        title: "joint box",
        attrs: &[
            q("leads", Count, true, "How many leads or cables enter it; two where nothing is said."),
            w(
                "inside",
                &["joined", "apart", "earths-apart"],
                "What was seen inside: its leads joined like to like, none joined to any other, or their earths alone not. A device inside is entered as a component of its own.",
            ),
            RATING,
        ],
        ways: false,
    },
    KindSpec { kind: Kind::Shunt, words: &["shunt"], title: "shunt", attrs: &[RATING, TORQUE, DOCUMENT], ways: false },
    KindSpec {
        kind: Kind::Panel,
        words: &["panel", "consumer-unit"],
        title: "AC panel",
        attrs: &[
            q("voltage", Voltage, true, "Nominal voltage."),
            q("main", Current, true, "Rating of the main breaker; without one the panel has main lugs."),
            q("rcd", Current, false, "Residual operating current of a device at the panel's main."),
            RCD_TYPE,
            f("jumper", "A link joins the neutral bar to the earth bar."),
            POLES,
            w("legs", &["two-hot"], "Has two hot bars, of opposite phase on a 120/240 V supply."),
        ],
        ways: true,
    },
    KindSpec {
        kind: Kind::FuseBlock,
        words: &["fuse-block"],
        title: "fuse block",
        attrs: &[RATING, TORQUE, DOCUMENT],
        ways: true,
    },
    KindSpec { kind: Kind::Chassis, words: &["chassis"], title: "chassis", attrs: &[], ways: false },
    KindSpec {
        kind: Kind::Electrode,
        words: &["electrode", "earth-rod"],
        title: "earth electrode",
        attrs: &[],
        ways: false,
    },
    KindSpec {
        kind: Kind::Outlet,
        words: &["outlet", "socket", "strip"],
        title: "outlet",
        attrs: &[RATING, STANDS, TWO_HOT],
        ways: false,
    },
    KindSpec {
        kind: Kind::GfciOutlet,
        words: &["gfci-outlet", "rcd-outlet"],
        title: "outlet with RCD",
        attrs: &[
            q("rcd", Current, false, "Residual operating current."),
            RCD_TYPE,
            q("rating", Current, true, "Contact rating."),
            STANDS,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::AcLoad,
        words: &["ac-load"],
        title: "AC appliance",
        attrs: &[
            q("voltage", Voltage, true, "Voltage it is made for."),
            q("power", Power, true, "Rated power."),
            q("current", Current, true, "Rated current."),
            w(
                "legs",
                &["two-hot"],
                "Works between two hots of opposite phase; a neutral landed on it serves its small parts.",
            ),
            f("sine-only", "Needs a sine wave: a motor, a compressor, an induction hob, some chargers."),
            n("control", "The DC terminal that feeds its electronics: without that it does nothing."),
            n("else", "The DC appliance that it is while there is no mains: a refrigerator that chooses by itself."),
            f("chooses-mains", "Takes mains by itself whenever there is any, as some refrigerators and heaters do."),
            REMOTE,
            SCREEN,
            MAX_DEVICE,
            ON,
            DOCUMENT,
        ],
        ways: false,
    },
    KindSpec {
        kind: Kind::DcLoad,
        words: &["dc-load"],
        title: "DC appliance",
        attrs: &[
            q("voltage", Voltage, true, "Voltage it is made for."),
            q("current", Current, true, "Rated current."),
            q("power", Power, true, "Rated power."),
            q("resistance", Resistance, false, "Resistance of a heater."),
            f("vital", "Safety depends on it: alarms, navigation lights, brakes."),
            f("breakaway", "Brakes that a breakaway switch applies: vital, and no steady load."),
            REMOTE,
            SCREEN,
            MAX_DEVICE,
            ON,
            MIN_SIZE,
            DOCUMENT,
        ],
        ways: false,
    },
];
