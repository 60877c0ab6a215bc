//! Firms and people, from the command line.

use crate::backup::Kept;
use crate::whole;
use anyhow::{Context, bail};
use clap::Subcommand;
use murvet_store::{Change, NewPerson, Role, Store, password_fits};
use std::path::PathBuf;
use std::process::ExitCode;

/// What can be done to a firm.
#[derive(Subcommand)]
pub(crate) enum Firm {
    /// Enter a firm, with a signing key of its own.
    Add {
        /// Its name, as printed on hand-overs.
        name: String,
    },
    /// Write everything of a firm into one archive (ZIP): its records as JSON, its photographs.
    Export {
        /// The firm, by name or number.
        name: String,
        /// The archive; it must not be there yet.
        to: PathBuf,
        #[command(flatten)]
        kept: Kept,
    },
    /// Remove everything of a firm for good, its photographs too. Export it first.
    Remove {
        /// The firm, by name or number.
        name: String,
        /// The name of the firm once more.
        #[arg(long, default_value = "")]
        for_good: String,
        #[command(flatten)]
        kept: Kept,
    },
}

/// What can be done to a person.
#[derive(Subcommand)]
pub(crate) enum Person {
    /// Enter somebody.
    Add {
        /// The firm, by name or number.
        #[arg(long)]
        firm: String,
        /// What they may do, in words, as printed on hand-overs.
        #[arg(long)]
        qualification: String,
        /// The name to sign in with.
        login: String,
        /// The full name.
        name: String,
    },
    /// Close the account of somebody who has left; they are signed out everywhere, and what they did stays.
    Close {
        /// The name they sign in with.
        login: String,
    },
    /// Open a closed account again.
    Open {
        /// The name they sign in with.
        login: String,
    },
    /// Say what somebody may do.
    Role {
        /// The name they sign in with.
        login: String,
        /// `inspector`, `office` or `read-only`.
        role: String,
    },
    /// Take off the second factor of somebody who lost it with all codes; they are signed out everywhere.
    LostFactor {
        /// The name they sign in with.
        login: String,
    },
    /// Give somebody another password; they are signed out everywhere.
    Password {
        /// The name they sign in with.
        login: String,
    },
}

async fn store() -> anyhow::Result<Store> {
    let url = crate::address_of_the_database()?;
    Ok(Store::open(&url).await?)
}

/// The password, from the first line of standard input.
fn typed_password() -> anyhow::Result<String> {
    let mut line = String::new();
    std::io::stdin().read_line(&mut line).context("no password on standard input")?;
    let password = line.trim_end_matches(['\r', '\n']).to_owned();
    password_fits(&password)
        .map_err(|why| anyhow::anyhow!("{why} It is read from the first line of standard input."))?;
    Ok(password)
}

fn told(name: &str, what: &str) -> anyhow::Result<()> {
    if (1..=120).contains(&name.trim().chars().count()) {
        Ok(())
    } else {
        bail!("{what}: write it, in up to 120 characters")
    }
}

fn end(done: anyhow::Result<String>) -> ExitCode {
    match done {
        Ok(words) => {
            println!("{words}");
            ExitCode::SUCCESS
        }
        Err(error) => {
            eprintln!("murvet: {error:#}");
            ExitCode::FAILURE
        }
    }
}

fn run(work: impl Future<Output = anyhow::Result<String>>) -> ExitCode {
    end(tokio::runtime::Runtime::new().context("no runtime").and_then(|r| r.block_on(work)))
}

/// A change that was not made is an error, in words.
fn made(change: Change) -> anyhow::Result<()> {
    match change {
        Change::Made => Ok(()),
        Change::LastInspector => {
            bail!("nobody would be left who may do everything; give somebody else the role inspector")
        }
    }
}

async fn close(login: &str, close: bool) -> anyhow::Result<String> {
    let store = store().await?;
    let (firm, id) = store.person_called(login).await.with_context(|| format!("nobody signs in as {login}"))?;
    made(store.close_person(firm, id, id, close, chrono::Utc::now()).await?)?;
    Ok(format!("{login} {}", if close { "has left, and is signed out everywhere" } else { "is back" }))
}

pub(crate) fn firm(what: Firm) -> ExitCode {
    run(async move {
        match what {
            Firm::Add { name } => {
                told(&name, "the name of the firm")?;
                let key = store().await?.add_firm(name.trim()).await?;
                Ok(format!("firm {key}: {}", name.trim()))
            }
            Firm::Export { name, to, kept } => whole::export(&store().await?, &name, &to, &kept).await,
            Firm::Remove { name, for_good, kept } => whole::remove(&store().await?, &name, &for_good, &kept).await,
        }
    })
}

pub(crate) fn person(what: Person) -> ExitCode {
    run(async move {
        match what {
            Person::Add { firm, qualification, login, name } => {
                for (text, what) in [
                    (&login, "the name to sign in with"),
                    (&name, "the full name"),
                    (&qualification, "the qualification"),
                ] {
                    told(text, what)?;
                }
                let password = typed_password()?;
                let store = store().await?;
                let key = store
                    .firm_called(&firm)
                    .await
                    .with_context(|| format!("there is no one firm \"{firm}\"; give its number"))?;
                let new = NewPerson {
                    login: login.trim(),
                    name: name.trim(),
                    qualification: qualification.trim(),
                    password: &password,
                };
                let added = store.add_person(key, &new).await;
                let id = added.with_context(|| format!("{login} cannot be entered; is the name taken?"))?;
                Ok(format!("person {id} of firm {key}: {} signs in as {}", name.trim(), login.trim()))
            }
            Person::Close { login } => close(&login, true).await,
            Person::Open { login } => close(&login, false).await,
            Person::Role { login, role } => {
                let role = Role::of(&role).context("the role is none: inspector, office or read-only")?;
                let store = store().await?;
                let (firm, id) =
                    store.person_called(&login).await.with_context(|| format!("nobody signs in as {login}"))?;
                made(store.set_role(firm, id, id, role, chrono::Utc::now()).await?)?;
                Ok(format!("{login} is {}", role.code()))
            }
            Person::LostFactor { login } => {
                let store = store().await?;
                let (firm, id) =
                    store.person_called(&login).await.with_context(|| format!("nobody signs in as {login}"))?;
                store.lose_second_factor(firm, id, chrono::Utc::now()).await?;
                Ok(format!("{login} signs in by password alone, and is signed out everywhere"))
            }
            Person::Password { login } => {
                let password = typed_password()?;
                let store = store().await?;
                store
                    .set_password(login.trim(), &password)
                    .await
                    .with_context(|| format!("nobody signs in as {login}"))?;
                Ok(format!("{login} has another password and is signed out everywhere"))
            }
        }
    })
}
