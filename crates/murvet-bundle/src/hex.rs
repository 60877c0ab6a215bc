//! Bytes as hexadecimal text.

/// Two small letters or digits a byte.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// Back again; nothing where it is no such text.
///
/// ```
/// use murvet_bundle::{hex, unhex};
/// assert_eq!(unhex(&hex(&[0, 171])), Some(vec![0, 171]));
/// assert_eq!(unhex("0g"), None);
/// ```
pub fn unhex(text: &str) -> Option<Vec<u8>> {
    if !text.len().is_multiple_of(2) || !text.bytes().all(|b| b.is_ascii_hexdigit()) {
        return None;
    }
    (0..text.len()).step_by(2).map(|i| u8::from_str_radix(&text[i..i + 2], 16).ok()).collect()
}
