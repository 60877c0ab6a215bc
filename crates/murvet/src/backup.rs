//! A backup of everything the application keeps, and its way back.
//!
//! A backup is a folder: `records.dump` (PostgreSQL's own archive of one moment of the database, keys included), the photographs
//! under `photographs/`, and `backup.json`, written last, with size and SHA-256 of every file. The records are taken before the
//! photographs, and a photograph is kept before the record that names it: so every photograph of the records is there. Nothing is held
//! in memory whole. A backup is read back before it is called one; it holds signing keys and password hashes, so its folder is its
//! owner's alone.

use anyhow::{Context, bail};
use chrono::{DateTime, Utc};
use futures_util::StreamExt;
use murvet_web::photographs_at;
use object_store::path::Path as Key;
use object_store::{ObjectStore, ObjectStoreExt, WriteMultipart};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::io::Read;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};
use std::sync::Arc;

/// The form of a backup folder.
const FORM: u32 = 1;
const RECORDS: &str = "records.dump";
const PHOTOGRAPHS: &str = "photographs";
const CONTENTS: &str = "backup.json";

/// What a backup holds.
#[derive(Serialize, Deserialize)]
struct Contents {
    form: u32,
    version: String,
    made_at: DateTime<Utc>,
    /// Size and SHA-256 of each file, by its path in the folder.
    files: BTreeMap<String, (u64, String)>,
}

/// Where the records and the photographs are.
#[derive(clap::Args)]
pub(crate) struct Kept {
    /// Where photographs are kept, as for `serve`.
    #[arg(long, env = "MURVET_PHOTOGRAPHS")]
    photographs: Option<String>,
}

/// A program of PostgreSQL, from the path or from where Debian puts it.
fn program(name: &str) -> Command {
    let installed = std::fs::read_dir("/usr/lib/postgresql").into_iter().flatten().flatten();
    let mut newest: Vec<PathBuf> = installed.map(|d| d.path().join("bin").join(name)).filter(|p| p.exists()).collect();
    newest.sort();
    newest.pop().map_or_else(|| Command::new(name), Command::new)
}

fn ran(mut command: Command, what: &str) -> anyhow::Result<()> {
    let done = command.output().with_context(|| format!("{what}: {:?} does not start", command.get_program()))?;
    if !done.status.success() {
        bail!("{what}: {}", String::from_utf8_lossy(&done.stderr).trim());
    }
    Ok(())
}

/// A finished hash in hexadecimal.
fn hex(hash: Sha256) -> String {
    hash.finalize().iter().map(|b| format!("{b:02x}")).collect()
}

fn hash_of(file: &Path) -> anyhow::Result<(u64, String)> {
    let mut open = std::fs::File::open(file).with_context(|| format!("{} cannot be read", file.display()))?;
    let (mut hash, mut size, mut piece) = (Sha256::new(), 0, vec![0; 1 << 16]);
    loop {
        let read = open.read(&mut piece).with_context(|| format!("{} cannot be read", file.display()))?;
        if read == 0 {
            break;
        }
        hash.update(&piece[..read]);
        size += read as u64;
    }
    Ok((size, hex(hash)))
}

/// Checks every file of a backup against its size and hash, and the archive of the records by PostgreSQL's own reading.
fn checked(folder: &Path) -> anyhow::Result<Contents> {
    let listed = std::fs::read(folder.join(CONTENTS))
        .with_context(|| format!("{} is no backup: it has no {CONTENTS}, which is written last", folder.display()))?;
    let contents: Contents = serde_json::from_slice(&listed).with_context(|| format!("{CONTENTS} cannot be read"))?;
    if contents.form != FORM {
        bail!("the backup is of form {}, and this version reads form {FORM}", contents.form);
    }
    for (name, known) in &contents.files {
        let inside = Path::new(name).components().all(|c| matches!(c, std::path::Component::Normal(_)));
        if !inside {
            bail!("{name} lies outside the backup");
        }
        if hash_of(&folder.join(name))? != *known {
            bail!("{name} is not what was backed up: its size or its hash differs");
        }
    }
    if !contents.files.contains_key(RECORDS) {
        bail!("the backup has no {RECORDS}");
    }
    let mut list = program("pg_restore");
    list.arg("--list").arg(folder.join(RECORDS));
    ran(list, "the archive of the records cannot be read")?;
    Ok(contents)
}

/// A program of PostgreSQL on the database in `DATABASE_URL`, whose password it is handed where no list of processes shows it.
fn on_the_database(name: &str) -> anyhow::Result<(Command, String)> {
    let told = crate::address_of_the_database()?;
    let mut url = url::Url::parse(&told).context("DATABASE_URL is no address")?;
    let mut command = program(name);
    if let Some(password) = url.password() {
        command.env("PGPASSWORD", percent_decoded(password));
        url.set_password(None).map_err(|()| anyhow::anyhow!("DATABASE_URL has a password and no host"))?;
    }
    Ok((command, url.into()))
}

/// The text behind an address's `%41`.
fn percent_decoded(text: &str) -> String {
    url::form_urlencoded::parse(format!("p={}", text.replace('+', "%2B").replace('&', "%26")).as_bytes())
        .next()
        .map_or_else(String::new, |(_, value)| value.into_owned())
}

pub(crate) fn photographs(kept: &Kept) -> anyhow::Result<Option<Arc<dyn ObjectStore>>> {
    let place = kept.photographs.as_deref();
    place.map(|p| photographs_at(p).map_err(|e| anyhow::anyhow!("photographs cannot be found there: {e}"))).transpose()
}

async fn back_up(to: &Path, kept: &Kept) -> anyhow::Result<Contents> {
    let empty = std::fs::read_dir(to).map(|mut d| d.next().is_none()).unwrap_or(true);
    if !empty {
        bail!("{} is not empty; a backup has a folder of its own", to.display());
    }
    std::fs::create_dir_all(to).with_context(|| format!("{} cannot be made", to.display()))?;
    std::fs::set_permissions(to, std::fs::Permissions::from_mode(0o700))?;
    let (mut dump, database) = on_the_database("pg_dump")?;
    dump.args(["--format=custom", "--no-owner", "--no-privileges", "--file"]).arg(to.join(RECORDS)).arg(database);
    ran(dump, "the records cannot be taken")?;
    let mut files = BTreeMap::from([(RECORDS.to_owned(), hash_of(&to.join(RECORDS))?)]);
    if let Some(objects) = photographs(kept)? {
        let mut all = objects.list(None);
        while let Some(found) = all.next().await {
            let name = format!("{PHOTOGRAPHS}/{}", found?.location);
            let file = to.join(&name);
            std::fs::create_dir_all(file.parent().context("a photograph lies nowhere")?)?;
            let key = Key::from(name.trim_start_matches(PHOTOGRAPHS).trim_start_matches('/'));
            let mut pieces = objects.get(&key).await?.into_stream();
            let mut out = tokio::fs::File::create(&file).await?;
            while let Some(piece) = pieces.next().await {
                tokio::io::AsyncWriteExt::write_all(&mut out, &piece?).await?;
            }
            out.sync_all().await?;
            files.insert(name, hash_of(&file)?);
        }
    }
    let contents = Contents { form: FORM, version: env!("CARGO_PKG_VERSION").to_owned(), made_at: Utc::now(), files };
    std::fs::write(to.join(CONTENTS), serde_json::to_vec_pretty(&contents)?)?;
    // What was written is read back before it is relied upon.
    checked(to)
}

async fn put_back(from: &Path, kept: &Kept) -> anyhow::Result<Contents> {
    let contents = checked(from)?;
    let objects = photographs(kept)?;
    if objects.is_none() && contents.files.len() > 1 {
        bail!("the backup has photographs: say with --photographs where they go");
    }
    // One transaction, into a database without tables: all of it is there, or none.
    let (mut restore, database) = on_the_database("pg_restore")?;
    restore
        .args(["--exit-on-error", "--single-transaction", "--no-owner", "--no-privileges", "--dbname"])
        .arg(database);
    restore.arg(from.join(RECORDS));
    ran(restore, "the records cannot be put back; the database has to be there and empty")?;
    if let Some(objects) = objects {
        for name in contents.files.keys().filter_map(|n| n.strip_prefix("photographs/")) {
            let mut file = tokio::fs::File::open(from.join(PHOTOGRAPHS).join(name)).await?;
            let mut put = WriteMultipart::new(objects.put_multipart(&Key::from(name)).await?);
            let mut piece = vec![0; 1 << 16];
            loop {
                let read = tokio::io::AsyncReadExt::read(&mut file, &mut piece).await?;
                if read == 0 {
                    break;
                }
                put.write(&piece[..read]);
            }
            put.finish().await?;
        }
        // Read back from where they are kept now.
        for (name, (size, known)) in
            contents.files.iter().filter_map(|(n, f)| Some((n.strip_prefix("photographs/")?, f)))
        {
            let mut pieces = objects.get(&Key::from(name)).await?.into_stream();
            let (mut hash, mut length) = (Sha256::new(), 0);
            while let Some(piece) = pieces.next().await {
                let piece = piece?;
                hash.update(&piece);
                length += piece.len() as u64;
            }
            if length != *size || hex(hash) != *known {
                bail!("photograph {name} was not put back as it was");
            }
        }
    }
    Ok(contents)
}

fn told(done: anyhow::Result<Contents>, what: &str) -> ExitCode {
    match done {
        Ok(c) => {
            let size: u64 = c.files.values().map(|(size, _)| size).sum();
            println!(
                "{what}: {} files, {size} bytes, of {}; every one read back",
                c.files.len(),
                c.made_at.format("%Y-%m-%d %H:%M UTC")
            );
            ExitCode::SUCCESS
        }
        Err(error) => {
            eprintln!("murvet: {error:#}");
            ExitCode::FAILURE
        }
    }
}

fn run(work: impl Future<Output = anyhow::Result<Contents>>) -> anyhow::Result<Contents> {
    tokio::runtime::Runtime::new().context("no runtime")?.block_on(work)
}

/// Writes a backup into a folder.
pub(crate) fn backup(to: &Path, kept: &Kept) -> ExitCode {
    told(run(back_up(to, kept)), "backed up")
}

/// Puts a backup into an empty database.
pub(crate) fn restore(from: &Path, kept: &Kept) -> ExitCode {
    told(run(put_back(from, kept)), "put back")
}
