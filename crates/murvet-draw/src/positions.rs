//! Positions of controls as signs.

/// The sign of a position: a bar where the control is on or closed (IEC 60417-5007), a ring where it is off or open
/// (IEC 60417-5008), the letter of the throw of a changeover; recalled from memory. A position of another kind is written out.
///
/// ```
/// use murvet_draw::position_sign;
/// assert_eq!(["closed", "unplugged", "at b", "half way"].map(position_sign), ["|", "○", "b", "half way"]);
/// ```
pub fn position_sign(code: &str) -> &str {
    match code {
        "on"
        | "running"
        | "on shore"
        | "closed"
        | "plugged in"
        | "turning"
        | "hitched, its engine running"
        | "pin pulled" => "|",
        "off" | "stopped" | "unplugged" | "open" | "braked" | "unhitched" | "pin in" => "○",
        other => other.strip_prefix("at ").or(other.strip_prefix("in ")).unwrap_or(other),
    }
}
