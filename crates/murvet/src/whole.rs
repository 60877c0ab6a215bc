//! Everything of one firm in one archive, and its removal.

use crate::backup::{Kept, photographs};
use anyhow::{Context, bail};
use futures_util::StreamExt;
use murvet_store::{FirmTable, Store};
use object_store::path::Path as Key;
use object_store::{ObjectStore, ObjectStoreExt};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::io::Write;
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;
use std::sync::Arc;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

/// What a reader of the archive should know.
const ABOUT: &str = "Everything that Murvet keeps of one firm, as it stood at one moment: a table a file, a row a line, as JSON; bytes as hexadecimal \
after \\x. Photographs lie under photographs/. Left out are hashes of passwords, sessions, second factors and the key the firm signs with. \
contents.json has size and SHA-256 of every file.\n";

/// An archive that is being written, with what is in it so far.
struct Archive {
    zip: ZipWriter<std::fs::File>,
    contents: BTreeMap<String, (usize, String)>,
}

impl Archive {
    fn add(&mut self, name: &str, bytes: &[u8], packed: bool) -> anyhow::Result<()> {
        let method = if packed { CompressionMethod::Stored } else { CompressionMethod::Deflated };
        let options = SimpleFileOptions::default().compression_method(method).unix_permissions(0o600);
        self.zip.start_file(name, options)?;
        self.zip.write_all(bytes)?;
        let hash = Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect();
        self.contents.insert(name.to_owned(), (bytes.len(), hash));
        Ok(())
    }
}

/// Pictures of a firm in the place of photographs.
fn own(firm: i64) -> Key {
    Key::from(firm.to_string())
}

/// Writes everything of a firm into a new archive that its owner alone may read.
pub(crate) async fn export(store: &Store, name: &str, to: &Path, kept: &Kept) -> anyhow::Result<String> {
    let firm =
        store.firm_called(name).await.with_context(|| format!("there is no one firm \"{name}\"; give its number"))?;
    // The records first: a picture is kept before the record that names it, so every one of them is there afterwards.
    let tables: Vec<FirmTable> = store.export_firm(firm).await?;
    let file = std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(to);
    let file = file.with_context(|| format!("{} cannot be made, or is there already", to.display()))?;
    let mut archive = Archive { zip: ZipWriter::new(file), contents: BTreeMap::new() };
    archive.add("README.txt", ABOUT.as_bytes(), false)?;
    let mut rows = 0;
    for table in tables {
        rows += table.rows.len();
        archive.add(&format!("{}.jsonl", table.name), (table.rows.join("\n") + "\n").as_bytes(), false)?;
    }
    let mut pictures = 0;
    if let Some(objects) = photographs(kept)? {
        let mut all = objects.list(Some(&own(firm)));
        while let Some(found) = all.next().await {
            let place = found?.location;
            let bytes = objects.get(&place).await?.bytes().await?;
            archive.add(&format!("photographs/{place}"), &bytes, true)?;
            pictures += 1;
        }
    }
    let contents = serde_json::to_vec_pretty(&archive.contents)?;
    archive.add("contents.json", &contents, false)?;
    archive.zip.finish()?.sync_all()?;
    Ok(format!("{}: {rows} rows and {pictures} pictures of firm {firm}", to.display()))
}

/// Removes everything of a firm for good, pictures last: a record without its picture would be a loss nobody asked for.
pub(crate) async fn remove(store: &Store, name: &str, for_good: &str, kept: &Kept) -> anyhow::Result<String> {
    let firm =
        store.firm_called(name).await.with_context(|| format!("there is no one firm \"{name}\"; give its number"))?;
    let called = store.firm_name(firm).await?;
    if for_good != called {
        bail!("everything of \"{called}\" would be gone for good; say so with --for-good \"{called}\"");
    }
    let objects: Option<Arc<dyn ObjectStore>> = photographs(kept)?;
    let rows = store.remove_firm(firm).await?;
    let mut pictures = 0;
    if let Some(objects) = objects {
        let mut all = objects.list(Some(&own(firm)));
        let mut places = Vec::new();
        while let Some(found) = all.next().await {
            places.push(found?.location);
        }
        for place in places {
            objects.delete(&place).await?;
            pictures += 1;
        }
    }
    Ok(format!(
        "{called}: {rows} rows and {pictures} pictures are gone. Backups that were made before still have them."
    ))
}
