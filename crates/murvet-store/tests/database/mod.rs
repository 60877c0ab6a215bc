//! A database of its own for a test, on the server that `./murvet test` starts.

use diesel::QueryableByName;
use diesel::sql_types::Text;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl, SimpleAsyncConnection};

#[derive(QueryableByName)]
struct Named {
    #[diesel(sql_type = Text)]
    datname: String,
}

/// The address of an empty database. Those of test programs that have ended are dropped first: a run of all
/// tests would else leave most of a gigabyte behind.
pub async fn database(name: &str) -> String {
    let server = std::env::var("MURVET_TEST_SERVER").expect("MURVET_TEST_SERVER is set by ./murvet test");
    let name = format!("test_{name}_{}", std::process::id());
    let mut c = AsyncPgConnection::establish(&format!("{server}/postgres")).await.expect("the server answers");
    let there = "SELECT datname::text AS datname FROM pg_database WHERE datname ~ '^test_.*_[0-9]+$'";
    let there: Vec<Named> = diesel::sql_query(there).load(&mut c).await.expect("answers");
    for Named { datname } in there {
        let owner = datname.rsplit('_').next().unwrap_or_default();
        if !std::path::Path::new("/proc").join(owner).exists() {
            // Another test program may drop it at the same moment.
            c.batch_execute(&format!("DROP DATABASE IF EXISTS {datname}")).await.ok();
        }
    }
    c.batch_execute(&format!("DROP DATABASE IF EXISTS {name}")).await.expect("dropped");
    c.batch_execute(&format!("CREATE DATABASE {name}")).await.expect("created");
    format!("{server}/{name}")
}
