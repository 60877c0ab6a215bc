//! One file with everything of a visit, sealed by the firm that made it.
//!
//! A bundle is a ZIP archive. `manifest.json` names each other file with its size and SHA-256 and the public key of the firm, as
//! canonical JSON (RFC 8785); `seal.json` holds the Ed25519 signature over those bytes. What is not in the manifest is not in the
//! bundle: [`open`] refuses anything more, anything less, and anything that is not as it was.
//!
//! Keys are not handled here: [`pack`] is given a signer, [`open`] a verifier.
//!
//! ```
//! use murvet_bundle::{Made, Seal, open, pack};
//! # use ed25519_dalek::{Signer, SigningKey, Signature, VerifyingKey};
//! let key = SigningKey::from_bytes(&[7; 32]);
//! let made = Made { firm: "Fern Hill Inspections", at: "2026-05-03T10:00:00Z", key: &key.verifying_key().to_bytes() };
//! let files = [("rig.txt".to_owned(), b"bus a\n".to_vec())].into();
//! let bytes = pack(&made, &files, &|text| key.sign(text).to_bytes().to_vec()).unwrap();
//! let verify = |text: &[u8], seal: &Seal| {
//!     let key: [u8; 32] = seal.key.as_slice().try_into().unwrap();
//!     let signature = Signature::from_slice(&seal.signature).unwrap();
//!     VerifyingKey::from_bytes(&key).unwrap().verify_strict(text, &signature).is_ok()
//! };
//! assert_eq!(open(&bytes, &verify).unwrap().files["rig.txt"], b"bus a\n");
//! ```

mod hex;
mod manifest;
mod pack;
mod unpack;

pub use hex::{hex, unhex};
pub use manifest::{MOST_BYTES, MOST_FILES, MOST_ONE};
pub use pack::{Made, NotPacked, pack};
pub use unpack::{Bundle, Refused, open};

/// A signature and the public key it was made with.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Seal {
    /// Ed25519, 32 bytes.
    pub key: Vec<u8>,
    /// Ed25519, 64 bytes.
    pub signature: Vec<u8>,
}
