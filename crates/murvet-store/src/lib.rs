//! Records in PostgreSQL. Nothing of the trade: texts, numbers, who and when.
//!
//! Every method is scoped to a firm: what belongs to another firm is not found. Revisions, readings,
//! events, actions and hand-overs are added and never changed.

/// Enters a row and gives its number once the row is committed. By itself a statement that returns a row is not enough: the
/// row may be sent before the commit, when the database goes down just then and empties its buffers. The answer to a commit
/// of its own is made only after the commit was written.
macro_rules! committed {
    ($connection:expr, $statement:expr) => {
        diesel_async::AsyncConnection::transaction(&mut *$connection, async |c| -> crate::Result<i64> {
            Ok($statement.get_result(c).await?)
        })
    };
}

/// The rows of a table beside the person of the firm whom each names.
macro_rules! by_person {
    ($table:ident) => {
        $table::table
            .inner_join(person::table.on(person::firm_id.eq($table::firm_id).and(person::id.eq($table::person_id))))
    };
}

/// Visits beside their rig, its customer, and who makes them.
macro_rules! visit_rows {
    () => {
        visit::table
            .inner_join(rig::table.on(rig::firm_id.eq(visit::firm_id).and(rig::id.eq(visit::rig_id))))
            .inner_join(customer::table.on(customer::firm_id.eq(rig::firm_id).and(customer::id.eq(rig::customer_id))))
            .inner_join(person::table.on(person::firm_id.eq(visit::firm_id).and(person::id.eq(visit::person_id))))
    };
}

mod accounts;
mod at_the_rig;
mod complaints;
mod fleet;
mod history;
mod instruments;
mod kept;
mod left_as;
mod licences;
mod limits;
mod marks;
mod months;
mod origin;
mod people;
mod records;
mod rigs;
pub mod schema;
mod second;
mod sent;
mod sign;
mod visit_changes;
mod whole;
mod work;

pub use accounts::{Change, Role, SessionRow, TrailRow};
pub use at_the_rig::{NewPhotograph, Override, Photograph};
pub use complaints::{Complaint, ComplaintStanding, NewComplaint};
pub use fleet::{
    FleetCall, FleetCount, FleetFigure, FleetFinding, FleetPlace, FleetRig, FleetRun, FleetShown, FleetSought,
    FleetTask, FleetVerdict, FleetWork,
};
pub use history::Sought;
pub use instruments::{Calibration, Instrument, LeftOut, NewCalibration};
pub use kept::{FirmChoice, KeptCalculation, NewCalculation, Sketch};
pub use left_as::LeftAs;
pub use licences::{Licence, NewLicence, NewReferralBack, Referral, ReferralBack};
pub use limits::{FirmLimit, NewFirmLimit};
pub use marks::{MOST_MARKS, Mark};
pub use months::Month;
pub use origin::{NewOrigin, Origin};
pub use people::{NewPerson, Person, SESSION_HOURS, SignIn, SignedIn, one_time_code, password_fits};
pub use records::{Action, FindingEvent, NewAction, NewEvent, NewReading, NewRepair, Reading, SafeStep};
pub use rigs::{NewRigVisit, NewVisit, Revision, Saved, Visit};
pub use second::SecondFactor;
pub use sent::{Sent, form_name};
pub use sign::{HandOver, SignError, verify_record};
pub use visit_changes::{VisitChange, VisitEdit, VisitEvent};
pub use whole::FirmTable;
pub use work::{PriceList, WorkText};

use diesel_async::pooled_connection::AsyncDieselConnectionManager;
use diesel_async::pooled_connection::deadpool::{Object, Pool};
use diesel_async::{AsyncConnection, AsyncMigrationHarness, AsyncPgConnection};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// What can go wrong with the records.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database does not answer.
    #[error("the database does not answer: {0}")]
    Connection(String),
    /// The database refused a statement.
    #[error("the database refused: {0}")]
    Query(#[from] diesel::result::Error),
    /// It is not there, or belongs to another firm.
    #[error("there is no such record")]
    NotFound,
    /// A password could not be hashed, or randomness is missing.
    #[error("the machine cannot make secrets: {0}")]
    Secret(String),
    /// A record could not be written down for signing.
    #[error("the record cannot be signed: {0}")]
    Sign(#[from] SignError),
}

/// The result of a store method.
pub type Result<T> = std::result::Result<T, StoreError>;

/// The lock under which tables are brought up to date: any number that nothing else in the database uses.
const MIGRATING: i64 = 0x6d75_7276_6574;

/// The address of the database with how long a statement may take and wait: what hangs longer is told, and gives its connection
/// back. Options that the address has already stay as they are.
fn limited(url: &str) -> String {
    const LIMITS: &str = "options=-c%20statement_timeout%3D20s%20-c%20lock_timeout%3D5s%20-c%20idle_in_transaction_session_timeout%3D30s";
    if url.contains("options=") {
        return url.to_owned();
    }
    let join = if url.contains('?') { '&' } else { '?' };
    format!("{url}{join}{LIMITS}")
}

/// How long a request waits for a connection.
const PATIENCE: std::time::Duration = std::time::Duration::from_secs(8);

/// How a pool of connections stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PoolState {
    /// Connections that are used.
    pub used: usize,
    /// Connections that are open and not used.
    pub idle: usize,
    /// Requests that wait for a connection.
    pub waited_for: usize,
}

/// A pool of connections.
#[derive(Clone)]
pub struct Store {
    pool: Pool<AsyncPgConnection>,
}

impl Store {
    /// Opens a pool and brings the tables up to date.
    ///
    /// # Errors
    /// When the database cannot be reached or a migration fails.
    pub async fn open(url: &str) -> Result<Store> {
        let manager = AsyncDieselConnectionManager::<AsyncPgConnection>::new(limited(url));
        let pool = Pool::builder(manager).max_size(8).build().map_err(|e| StoreError::Connection(e.to_string()))?;
        let store = Store { pool };
        // To bring a large table up to date, or to wait for the server that does, may take longer than any request may.
        let established = tokio::time::timeout(PATIENCE, AsyncPgConnection::establish(url)).await;
        let mut connection = established
            .map_err(|_| StoreError::Connection(format!("no connection within {} s", PATIENCE.as_secs())))?
            .map_err(|e| StoreError::Connection(e.to_string()))?;
        // Of several servers that start at once one brings the tables up to date, and the others wait for it. The lock belongs to
        // this connection alone, so it ends with the server that holds it.
        let lock = format!("SELECT pg_advisory_lock({MIGRATING})");
        diesel_async::RunQueryDsl::execute(diesel::sql_query(lock), &mut connection).await?;
        let mut harness = AsyncMigrationHarness::new(connection);
        let done = harness.run_pending_migrations(MIGRATIONS).map(|_| ()).map_err(|e| e.to_string());
        let mut connection = harness.into_inner();
        let unlock = format!("SELECT pg_advisory_unlock({MIGRATING})");
        diesel_async::RunQueryDsl::execute(diesel::sql_query(unlock), &mut connection).await?;
        done.map_err(StoreError::Connection)?;
        Ok(store)
    }

    /// How the pool of connections stands now.
    pub fn pool_state(&self) -> PoolState {
        let now = self.pool.status();
        PoolState { used: now.size - now.available.min(now.size), idle: now.available, waited_for: now.waiting }
    }

    /// A connection. Nobody waits for one for ever: a database that is gone or hangs is told within seconds.
    async fn connection(&self) -> Result<Object<AsyncPgConnection>> {
        match tokio::time::timeout(PATIENCE, self.pool.get()).await {
            Ok(got) => got.map_err(|e| StoreError::Connection(e.to_string())),
            Err(_) => Err(StoreError::Connection(format!("no connection within {} s", PATIENCE.as_secs()))),
        }
    }
}
