//! Making a bundle.

use crate::hex::hex;
use crate::manifest::{FORMAT, Listed, MANIFEST, MOST_BYTES, MOST_FILES, MOST_ONE, Manifest, SEAL, Sealed, allowed};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::io::{Cursor, Write};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

/// By whom and when a bundle is made.
#[derive(Debug, Clone, Copy)]
pub struct Made<'a> {
    /// The firm.
    pub firm: &'a str,
    /// RFC 3339.
    pub at: &'a str,
    /// Its public key.
    pub key: &'a [u8],
}

/// Why there is no bundle.
#[derive(Debug, thiserror::Error)]
pub enum NotPacked {
    /// A name that no bundle may hold.
    #[error("\"{0}\" is no name for a file in a bundle")]
    Name(String),
    /// It would be larger than another firm opens.
    #[error("it would be too large: at most {MOST_FILES} files, 40 MB each and 400 MB together")]
    TooLarge,
    /// The archive could not be written.
    #[error("the archive could not be written: {0}")]
    Written(String),
}

/// Packs files and seals them. The same files, firm, moment and key give the same bytes.
///
/// # Errors
/// See [`NotPacked`].
pub fn pack(
    made: &Made<'_>,
    files: &BTreeMap<String, Vec<u8>>,
    sign: &dyn Fn(&[u8]) -> Vec<u8>,
) -> Result<Vec<u8>, NotPacked> {
    let size = |bytes: &Vec<u8>| u64::try_from(bytes.len()).unwrap_or(u64::MAX);
    if let Some(name) = files.keys().find(|n| !allowed(n) || *n == MANIFEST || *n == SEAL) {
        return Err(NotPacked::Name(name.clone()));
    }
    let total: u64 = files.values().map(size).fold(0, u64::saturating_add);
    if files.len() > MOST_FILES || total > MOST_BYTES || files.values().any(|b| size(b) > MOST_ONE) {
        return Err(NotPacked::TooLarge);
    }
    let listed = |(name, bytes): (&String, &Vec<u8>)| Listed {
        name: name.clone(),
        size: size(bytes),
        sha256: hex(&Sha256::digest(bytes)),
    };
    let manifest = Manifest {
        format: FORMAT.to_owned(),
        firm: made.firm.to_owned(),
        made_at: made.at.to_owned(),
        key: hex(made.key),
        files: files.iter().map(listed).collect(),
    };
    let failed = |e: &dyn std::fmt::Display| NotPacked::Written(e.to_string());
    let manifest = serde_json_canonicalizer::to_vec(&manifest).map_err(|e| failed(&e))?;
    let seal = Sealed { key: hex(made.key), signature: hex(&sign(&manifest)) };
    let seal = serde_json_canonicalizer::to_vec(&seal).map_err(|e| failed(&e))?;
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let own = [(MANIFEST, &manifest), (SEAL, &seal)];
    for (name, bytes) in own.into_iter().chain(files.iter().map(|(n, b)| (n.as_str(), b))) {
        // Photographs are packed already.
        let method = if name.ends_with(".jpg") { CompressionMethod::Stored } else { CompressionMethod::Deflated };
        let options = SimpleFileOptions::default()
            .compression_method(method)
            .last_modified_time(DateTime::default())
            .unix_permissions(0o644);
        zip.start_file(name, options).map_err(|e| failed(&e))?;
        zip.write_all(bytes).map_err(|e| failed(&e))?;
    }
    Ok(zip.finish().map_err(|e| failed(&e))?.into_inner())
}
