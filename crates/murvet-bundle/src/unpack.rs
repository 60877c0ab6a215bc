//! Opening a bundle that somebody sent.

use crate::Seal;
use crate::hex::{hex, unhex};
use crate::manifest::{FORMAT, MANIFEST, MOST_BYTES, MOST_FILES, MOST_ONE, Manifest, SEAL, Sealed, allowed};
use sha2::{Digest, Sha256};
use std::collections::{BTreeMap, BTreeSet};
use std::io::{Cursor, Read};
use zip::{CompressionMethod, ZipArchive};

/// Why a bundle is not opened.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Refused {
    /// Not a ZIP archive, or one that breaks off or hides something.
    #[error("this is no bundle: {0}")]
    NoArchive(String),
    /// More files, or larger ones, than a bundle has.
    #[error("it is larger than a bundle may be: {0}")]
    TooLarge(String),
    /// A name that leads elsewhere or means another thing on another system.
    #[error("\"{0}\" is no name for a file in a bundle")]
    Name(String),
    /// A link, a folder, something encrypted, or packed in a way that bundles are not.
    #[error("\"{0}\" is not a plain file of a bundle: {1}")]
    Kind(String, &'static str),
    /// Manifest or seal cannot be read.
    #[error("{0} cannot be read: {1}")]
    Form(&'static str, String),
    /// Of a kind this version does not know.
    #[error("it says it is \"{0}\", which this version does not open")]
    Format(String),
    /// Signed with another key than the manifest names.
    #[error("the seal is of another key than the one that the manifest names")]
    Key,
    /// The signature does not fit.
    #[error("the seal does not fit the manifest: it was changed, or sealed with another key")]
    Seal,
    /// A file of the manifest is not there.
    #[error("\"{0}\" is missing")]
    Missing(String),
    /// A file that the manifest does not name, or names twice.
    #[error("\"{0}\" does not belong to it")]
    Foreign(String),
    /// Of another size than the manifest says.
    #[error("\"{0}\" has another size than it had when it was sealed")]
    Size(String),
    /// Of another content.
    #[error("\"{0}\" was changed after it was sealed")]
    Changed(String),
}

/// A bundle that is as it was when it was sealed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bundle {
    /// The firm as it calls itself; only the key proves who it is.
    pub firm: String,
    /// When it was made, RFC 3339, as it says.
    pub made_at: String,
    /// The key it was sealed with.
    pub key: Vec<u8>,
    /// Its files by name.
    pub files: BTreeMap<String, Vec<u8>>,
}

/// How many entries the end of the archive counts, so that none hides behind another of its name.
fn counted(bytes: &[u8]) -> Option<usize> {
    // The end has no comment in a bundle: it is the last 22 bytes.
    let end = bytes.len().checked_sub(22)?;
    let end = &bytes[end..];
    (end.starts_with(b"PK\x05\x06") && end[20..] == [0, 0]).then(|| usize::from(u16::from_le_bytes([end[10], end[11]])))
}

type Archive<'a> = ZipArchive<Cursor<&'a [u8]>>;

/// The bytes of an entry, never more than it may have.
fn entry(zip: &mut Archive<'_>, name: &str, most: u64) -> Result<Vec<u8>, Refused> {
    let file = zip.by_name(name).map_err(|_| Refused::Missing(name.to_owned()))?;
    let mut bytes = Vec::new();
    let read = file.take(most.saturating_add(1)).read_to_end(&mut bytes);
    read.map_err(|e| Refused::NoArchive(format!("\"{name}\": {e}")))?;
    if u64::try_from(bytes.len()).unwrap_or(u64::MAX) > most {
        return Err(Refused::TooLarge(format!("\"{name}\"")));
    }
    Ok(bytes)
}

/// The name in the header before an entry: the list at the end must say the same.
fn named_at(bytes: &[u8], start: u64) -> Option<&[u8]> {
    let header = bytes.get(usize::try_from(start).ok()?..)?;
    let length = usize::from(u16::from_le_bytes([*header.get(26)?, *header.get(27)?]));
    header.get(30..30 + length)
}

/// What every entry must be before anything of it is unpacked.
fn looked_at(zip: &mut Archive<'_>, bytes: &[u8]) -> Result<BTreeSet<String>, Refused> {
    let mut names = BTreeSet::new();
    for n in 0..zip.len() {
        let file = zip.by_index_raw(n).map_err(|e| Refused::NoArchive(e.to_string()))?;
        let name = String::from_utf8(file.name_raw().to_vec())
            .map_err(|_| Refused::Name(String::from_utf8_lossy(file.name_raw()).into_owned()))?;
        if !allowed(&name) {
            return Err(Refused::Name(name));
        }
        if named_at(bytes, file.header_start()) != Some(name.as_bytes()) {
            return Err(Refused::NoArchive(format!("\"{name}\" has another name where it stands")));
        }
        if file.encrypted() {
            return Err(Refused::Kind(name, "it is encrypted"));
        }
        if !matches!(file.compression(), CompressionMethod::Stored | CompressionMethod::Deflated) {
            return Err(Refused::Kind(name, "it is packed in another way"));
        }
        if file.unix_mode().is_some_and(|m| !matches!(m & 0o170_000, 0 | 0o100_000)) {
            return Err(Refused::Kind(name, "it is a link or a folder"));
        }
        if file.size() > MOST_ONE {
            return Err(Refused::TooLarge(format!("\"{name}\"")));
        }
        names.insert(name);
    }
    Ok(names)
}

/// Opens a bundle, checking everything before anything of it is used: form, names, sizes, seal, hashes.
///
/// `verify` says whether a seal fits a text. Nothing is written anywhere, and no more memory is used than [`MOST_BYTES`].
///
/// # Errors
/// See [`Refused`]; the first thing that is wrong.
pub fn open(bytes: &[u8], verify: &dyn Fn(&[u8], &Seal) -> bool) -> Result<Bundle, Refused> {
    let broken = |what: &str| Refused::NoArchive(what.to_owned());
    if !bytes.starts_with(b"PK\x03\x04") {
        return Err(broken("it is not a ZIP archive"));
    }
    let entries = counted(bytes).ok_or_else(|| broken("its end is missing or has something behind it"))?;
    if entries > MOST_FILES + 2 {
        return Err(Refused::TooLarge(format!("{entries} files")));
    }
    let mut zip = ZipArchive::new(Cursor::new(bytes)).map_err(|e| Refused::NoArchive(e.to_string()))?;
    if zip.len() != entries || zip.offset() != 0 {
        return Err(broken("two of its files have one name, or something stands before it"));
    }
    let names = looked_at(&mut zip, bytes)?;
    let text = entry(&mut zip, MANIFEST, MOST_ONE)?;
    let seal = entry(&mut zip, SEAL, 4_096)?;
    let sealed: Sealed = serde_json::from_slice(&seal).map_err(|e| Refused::Form("the seal", e.to_string()))?;
    let bytes_of = |hex: &str| unhex(hex).ok_or_else(|| Refused::Form("the seal", "no hexadecimal text".to_owned()));
    let seal = Seal { key: bytes_of(&sealed.key)?, signature: bytes_of(&sealed.signature)? };
    let manifest: Manifest = serde_json::from_slice(&text).map_err(|e| Refused::Form("the manifest", e.to_string()))?;
    if manifest.format != FORMAT {
        return Err(Refused::Format(manifest.format));
    }
    if manifest.key != sealed.key {
        return Err(Refused::Key);
    }
    if !verify(&text, &seal) {
        return Err(Refused::Seal);
    }
    let mut listed = BTreeSet::from([MANIFEST.to_owned(), SEAL.to_owned()]);
    let mut total: u64 = 0;
    for file in &manifest.files {
        total = total.saturating_add(file.size);
        if !listed.insert(file.name.clone()) {
            return Err(Refused::Foreign(file.name.clone()));
        }
        if !names.contains(&file.name) {
            return Err(Refused::Missing(file.name.clone()));
        }
    }
    if total > MOST_BYTES {
        return Err(Refused::TooLarge(format!("{total} bytes")));
    }
    if let Some(name) = names.difference(&listed).next() {
        return Err(Refused::Foreign(name.clone()));
    }
    let mut files = BTreeMap::new();
    for file in &manifest.files {
        // Not a byte more is unpacked than was sealed, so no entry swells.
        let bytes = entry(&mut zip, &file.name, file.size).map_err(|e| match e {
            Refused::TooLarge(_) => Refused::Size(file.name.clone()),
            other => other,
        })?;
        if u64::try_from(bytes.len()).ok() != Some(file.size) {
            return Err(Refused::Size(file.name.clone()));
        }
        if hex(&Sha256::digest(&bytes)) != file.sha256 {
            return Err(Refused::Changed(file.name.clone()));
        }
        files.insert(file.name.clone(), bytes);
    }
    Ok(Bundle { firm: manifest.firm, made_at: manifest.made_at, key: seal.key, files })
}
