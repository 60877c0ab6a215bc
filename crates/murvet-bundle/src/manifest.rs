//! What a bundle says it holds.

use serde::{Deserialize, Serialize};

pub(crate) const FORMAT: &str = "murvet bundle 1";
pub(crate) const MANIFEST: &str = "manifest.json";
pub(crate) const SEAL: &str = "seal.json";

/// Most files in a bundle, manifest and seal not counted.
pub const MOST_FILES: usize = 2_000;
/// Most bytes of one file.
pub const MOST_ONE: u64 = 40 << 20;
/// Most bytes of all files together.
pub const MOST_BYTES: u64 = 400 << 20;

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Manifest {
    pub(crate) format: String,
    pub(crate) firm: String,
    pub(crate) made_at: String,
    pub(crate) key: String,
    pub(crate) files: Vec<Listed>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Listed {
    pub(crate) name: String,
    pub(crate) size: u64,
    pub(crate) sha256: String,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Sealed {
    pub(crate) key: String,
    pub(crate) signature: String,
}

/// Whether a name may be in a bundle: small letters, digits, `.`, `-` and `_`, in at most one folder, none beginning with a dot. So
/// no name leads out of a folder, and none means another thing on another system.
pub(crate) fn allowed(name: &str) -> bool {
    let plain = |part: &str| {
        !part.is_empty()
            && !part.starts_with('.')
            && part.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || matches!(b, b'.' | b'-' | b'_'))
    };
    let mut parts = name.split('/');
    name.len() <= 100 && parts.clone().count() <= 2 && parts.all(plain)
}
