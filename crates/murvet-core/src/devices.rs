//! When an overcurrent device opens: time-current bands by construction, and what a conductor stands meanwhile.

use crate::catalogue::Kind;
use crate::rig::Component;

/// One point of a band: at this multiple of the rating the device opens no sooner and no later, s.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Gate {
    /// Current over rating.
    pub multiple: f64,
    /// Shortest time, s; 0 where none is given.
    pub soonest_s: f64,
    /// Longest time, s.
    pub latest_s: f64,
}

/// The band of a device.
#[derive(Debug, Clone, PartialEq)]
pub struct Band {
    /// Points by rising multiple.
    pub gates: Vec<Gate>,
    /// It melts, rather than being tripped.
    pub fuse: bool,
    /// The band is of its construction, and not one that stands in for it.
    pub own: bool,
    /// A breaker with a magnetic curve of alternating current.
    pub curve: bool,
    /// Where it comes from.
    pub source: &'static str,
}

impl Band {
    /// The longest time in which it opens for certain at a multiple of its rating, s; nothing where it may hold. Of
    /// the points at or below the multiple the last: a greater current never opens later. Beyond its last point a fuse
    /// takes a constant I² t, for the element melts before heat flows off.
    ///
    /// ```
    /// use murvet_core::devices::band;
    /// use murvet_core::rig::Component;
    /// use murvet_core::catalogue::Kind;
    /// let blade = band(&Component::new("F", Kind::Fuse).with("class", "blade"), 15.0);
    /// assert_eq!(blade.latest_s(2.0), Some(5.0)); // ISO 8820-3, 2 x: 5 s
    /// assert_eq!(blade.latest_s(1.2), None);
    /// ```
    pub fn latest_s(&self, multiple: f64) -> Option<f64> {
        let last = self.gates.last()?;
        if self.fuse && multiple > last.multiple {
            return Some(last.latest_s * (last.multiple / multiple).powi(2));
        }
        let at = self.gates.iter().rposition(|g| g.multiple <= multiple * (1.0 + 1e-9))?;
        let (here, next) = (self.gates[at], self.gates.get(at + 1));
        // The curve of a fuse is convex on logarithmic scales, so the straight line between two points of its upper
        // bound lies above it and is a bound as well.
        match next.filter(|n| self.fuse && n.latest_s > 0.0) {
            Some(next) => {
                let share = (multiple / here.multiple).max(1.0).ln() / (next.multiple / here.multiple).ln();
                Some(here.latest_s * (next.latest_s / here.latest_s).powf(share))
            }
            None => Some(here.latest_s),
        }
    }

    /// The shortest time in which it may open, s; nothing where it holds for certain. Of the points at or above the
    /// multiple the first, but the last one for anything greater.
    pub fn soonest_s(&self, multiple: f64) -> Option<f64> {
        let first = self.gates.first()?;
        if multiple < first.multiple * 0.8 {
            return None;
        }
        self.gates.iter().find(|g| g.multiple >= multiple).or(self.gates.last()).map(|g| g.soonest_s)
    }
}

impl Band {
    /// The band on direct current. The magnetic part of a breaker with a curve acts on the peak of an alternating current;
    /// on direct current its upper limit is higher by half: B 7, C 15 times the rating (IEC 60898-2, recalled; D by the
    /// same factor, common practice, no source).
    #[must_use]
    pub fn on_dc(mut self) -> Band {
        if self.curve
            && let Some(last) = self.gates.last_mut()
        {
            last.multiple = if last.multiple <= 5.0 { 7.0 } else { last.multiple * 1.5 };
            self.source = "IEC 60898-1, its magnetic band on direct current by IEC 60898-2 (recalled)";
        }
        self
    }
}

fn gates(points: &[(f64, f64, f64)]) -> Vec<Gate> {
    points.iter().map(|&(multiple, soonest_s, latest_s)| Gate { multiple, soonest_s, latest_s }).collect()
}

/// The band of a device by its construction; the slowest one where that is not known. `rating_a` is the rating of the
/// device itself, or of the way it stands in.
pub fn band(component: &Component, rating_a: f64) -> Band {
    const LARGE: &[(f64, f64, f64)] = &[(1.35, 60.0, 1800.0), (2.0, 2.0, 60.0), (3.5, 0.2, 7.0), (6.0, 0.04, 1.0)];
    let class = match component.kind {
        Kind::FuseBlock => "blade",
        Kind::Panel => "breaker",
        Kind::Breaker | Kind::Rcbo => component.word("class").unwrap_or("breaker"),
        _ => component.word("class").unwrap_or("unknown"),
    };
    match class {
        "blade" => Band {
            gates: gates(&[(1.35, 0.75, 600.0), (2.0, 0.15, 5.0), (3.5, 0.04, 0.5), (6.0, 0.0, 0.1)]),
            fuse: true,
            own: true,
            curve: false,
            source: "ISO 8820-3, blade fuses (recalled)",
        },
        "large-blade" => Band {
            gates: gates(LARGE),
            fuse: true,
            own: true,
            curve: false,
            source: "ISO 8820-3, large blade fuses (recalled)",
        },
        "glass" => {
            let points: &[(f64, f64, f64)] = match Cartridge::of(component) {
                Some(c) if c.slow => &[(2.1, 0.0, 1800.0), (2.75, 0.4, 80.0), (4.0, 0.15, 5.0), (10.0, 0.02, 0.3)],
                _ => &[(2.1, 0.0, 1800.0), (2.75, 0.05, 2.0), (4.0, 0.01, 0.3), (10.0, 0.0, 0.02)],
            };
            let source = "IEC 60127-2, cartridges by their marking, quick-acting where it was not read (recalled)";
            Band { gates: gates(points), fuse: true, own: true, curve: false, source }
        }
        "gg" => Band {
            gates: gates(&[(1.6, 1.0, 3600.0), (5.0, 0.05, 5.0), (10.0, 0.0, 0.1)]),
            fuse: true,
            own: true,
            curve: false,
            source: "IEC 60269-2, gG (recalled in outline)",
        },
        "curve-b" | "curve-c" | "curve-d" => {
            let instant = match class {
                "curve-b" => 5.0,
                "curve-c" => 10.0,
                _ => 20.0,
            };
            Band {
                gates: gates(&[(1.45, 60.0, 3600.0), (2.55, 1.0, 60.0), (instant, 0.0, 0.1)]),
                fuse: false,
                own: true,
                curve: true,
                source: "IEC 60898-1 (recalled)",
            }
        }
        "breaker" => {
            // UL 489: 135 % within 1 h to 50 A and 2 h above; 200 % within 2, 4 or 6 minutes by size.
            let (hour, minutes) = match rating_a {
                a if a <= 30.0 => (3600.0, 120.0),
                a if a <= 50.0 => (3600.0, 240.0),
                _ => (7200.0, 360.0),
            };
            Band {
                gates: gates(&[(1.35, 60.0, hour), (2.0, 5.0, minutes), (10.0, 0.0, 0.1)]),
                fuse: false,
                own: true,
                curve: false,
                source: "UL 489 (recalled); at ten times the rating at once, common practice, no source",
            }
        }
        _ => Band {
            gates: gates(LARGE),
            fuse: true,
            own: false,
            curve: false,
            source: "as a large blade fuse, for want of its own curve (common practice, no source)",
        },
    }
}

/// What the marking of a cartridge says: `T10AH250V` is slow, 10 A, of high breaking capacity (IEC 60127-1, recalled).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cartridge {
    /// Time lag: T, TT.
    pub slow: bool,
    /// H high, L low, E enhanced.
    pub breaking: Option<char>,
}

impl Cartridge {
    /// Reads the marking of a fuse; nothing where it has none.
    ///
    /// ```
    /// use murvet_core::{catalogue::Kind, devices::Cartridge, rig::Component};
    /// let fuse = Component::new("F", Kind::Fuse).with("marking", "T10AH250V");
    /// assert_eq!(Cartridge::of(&fuse), Some(Cartridge { slow: true, breaking: Some('H') }));
    /// ```
    pub fn of(component: &Component) -> Option<Cartridge> {
        let text = component.word("marking")?.to_ascii_uppercase();
        let amperes = text.find('A').map_or("", |at| &text[at + 1..]);
        let breaking = amperes.chars().next().filter(|c| ['H', 'L', 'E'].contains(c));
        Some(Cartridge { slow: text.starts_with('T'), breaking })
    }
}

/// k of a copper conductor, A √s / mm², by its insulation: PVC of 70 C 115, of 90 C 100, of 105 C 88 (IEC 60364-4-43
/// table 43A, recalled).
pub fn adiabatic_k(insulation_c: Option<f64>) -> f64 {
    match insulation_c.unwrap_or(70.0) {
        c if c < 80.0 => 115.0,
        c if c < 100.0 => 100.0,
        _ => 88.0,
    }
}

/// How long a copper conductor of this area stands a current without heat flowing off, s: I² t = k² S², valid from 0.1 s
/// to 5 s, with k of [`adiabatic_k`].
///
/// ```
/// // 1.5 mm2 in PVC of 70 C at 100 A: 115² x 1.5² / 100² = 2.98 s.
/// assert!((murvet_core::devices::adiabatic_s(1.5, Some(70.0), 100.0) - 2.976).abs() < 0.001);
/// ```
pub fn adiabatic_s(area_mm2: f64, insulation_c: Option<f64>, amps: f64) -> f64 {
    (adiabatic_k(insulation_c) * area_mm2 / amps).powi(2)
}
