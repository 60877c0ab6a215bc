//! A database that the version before filled is carried over: every row as it was, stored words as codes, and what is no code
//! refused from then on.

mod database;

use database::database;
use diesel::QueryableByName;
use diesel::sql_types::Text;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl, SimpleAsyncConnection};
use murvet_store::{NewFirmLimit, Store};

/// What the version before had applied, in order.
const BEFORE: [(&str, &str); 4] = [
    ("20261125000001", include_str!("../migrations/2026-11-25-000001_first/up.sql")),
    ("20261125000002", include_str!("../migrations/2026-11-25-000002_kept/up.sql")),
    ("20261125000003", include_str!("../migrations/2026-11-25-000003_at_the_rig/up.sql")),
    ("20261125000004", include_str!("../migrations/2026-11-25-000004_at_hand/up.sql")),
];

const FILLED: &str = "
    INSERT INTO firm (id, name, signing_seed) VALUES (1, 'Firm', decode(repeat('07', 32), 'hex'));
    INSERT INTO person (firm_id, id, login, name, qualification, password_hash) VALUES (1, 1, 'ana', 'Ana Bell', 'inspector', 'x');
    INSERT INTO customer (firm_id, id, name, contact) VALUES (1, 1, 'Customer', '');
    INSERT INTO rig (firm_id, id, customer_id, name, profile) VALUES (1, 1, 1, 'Rig', 'eu-uk');
    INSERT INTO rig_revision (firm_id, rig_id, number, text, note, person_id, made_at)
        VALUES (1, 1, 1, 'rig r profile eu-uk', '', 1, now()), (1, 1, 2, 'rig r profile eu-uk', '', 1, now());
    INSERT INTO visit (firm_id, id, rig_id, person_id, planned_on, hours, complaint)
        VALUES (1, 7, 1, 1, '2026-11-20', 4, 'hums');
    INSERT INTO reading (firm_id, id, visit_id, revision, test, title, value, unit, outcome, words, person_id, taken_at)
        VALUES (1, 1, 7, 1, 'rest:b', 'Resting voltage', 12.7, 'V', 'pass', 'w', 1, now()),
               (1, 2, 7, 1, 'drop:x', 'Lost', 0.4, 'V', 'pass, but not as predicted', 'w', 1, now()),
               (1, 3, 7, 2, 'n-e:p', 'Apart', 0.1, 'ohm', 'fail', 'w', 1, now());
    INSERT INTO \"override\" (firm_id, visit_id, phase, reason, person_id, at)
        VALUES (1, 7, 'On the inverter', 'no time for it', 1, now());
    INSERT INTO complaint (firm_id, id, visit_id, told_by, words, symptom, person_id, at)
        VALUES (1, 1, 7, 'Owner', 'hums', 'weak', 1, now());
    INSERT INTO complaint_standing (firm_id, complaint_id, standing, note, person_id, at)
        VALUES (1, 1, 'not reached', 'no time', 1, now());
    INSERT INTO finding_event (firm_id, visit_id, finding, statement, event, note, revision, person_id, at)
        VALUES (1, 7, 'r:s', 'It is wrong', 'deferred', 'part on order', 2, 1, now());
";

#[derive(QueryableByName)]
struct Said {
    #[diesel(sql_type = Text)]
    said: String,
}

async fn said(c: &mut AsyncPgConnection, query: &str) -> Vec<String> {
    let rows: Vec<Said> = diesel::sql_query(query).load(c).await.expect("answers");
    rows.into_iter().map(|r| r.said).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_the_version_before_kept_is_carried_over_as_codes() {
    let url = database("migrated").await;
    let mut c = AsyncPgConnection::establish(&url).await.expect("connects");
    c.batch_execute("CREATE TABLE __diesel_schema_migrations (version VARCHAR(50) PRIMARY KEY, run_on TIMESTAMP NOT NULL DEFAULT now())")
        .await
        .expect("made");
    for (version, sql) in BEFORE {
        c.batch_execute(sql).await.expect("applied");
        let note = format!("INSERT INTO __diesel_schema_migrations (version) VALUES ('{version}')");
        c.batch_execute(&note).await.expect("noted");
    }
    c.batch_execute(FILLED).await.expect("filled");
    // The present version opens it.
    let store = Store::open(&url).await.expect("migrates");
    let outcomes = said(&mut c, "SELECT outcome AS said FROM reading ORDER BY id").await;
    assert_eq!(outcomes, ["pass", "differs", "fail"]);
    assert_eq!(said(&mut c, "SELECT phase AS said FROM \"override\"").await, ["inverter"]);
    assert_eq!(said(&mut c, "SELECT standing AS said FROM complaint_standing").await, ["not-reached"]);
    // Nothing else of the rows changed, and a visit from before is one of the whole plan.
    let visit = store.visit(1, 7).await.expect("the visit");
    assert_eq!((visit.kind.as_str(), visit.since, visit.hours), ("finished", 1, 4.0));
    let readings = store.readings(1, 7).await.expect("listed");
    assert_eq!(
        readings.iter().map(|r| (r.test.as_str(), r.value)).collect::<Vec<_>>(),
        [("rest:b", 12.7), ("drop:x", 0.4), ("n-e:p", 0.1)]
    );
    assert_eq!(store.events(1, 7).await.expect("listed")[0].event, "deferred");
    assert_eq!(store.complaints(1, 7).await.expect("listed")[0].delay_minutes, None);
    // A customer from before reads in the language of the region until one is chosen; a limit of the firm's own names its base.
    assert_eq!(visit.customer_language, None);
    store.set_customer_language(1, 7, Some("es")).await.expect("kept");
    assert_eq!(store.visit(1, 7).await.expect("the visit").customer_language.as_deref(), Some("es"));
    let now = chrono::DateTime::from_timestamp(1_700_000_000, 0).expect("a time");
    let limit = |value| NewFirmLimit { base: "eu-uk", field: "drop_other", value, source: "ours", reason: "dim" };
    store.add_firm_limit(1, &limit(Some("0.05")), 1, now).await.expect("entered");
    store.add_firm_limit(1, &limit(None), 1, now).await.expect("taken back");
    let limits = store.firm_limits(1).await.expect("listed");
    let said: Vec<_> = limits.iter().map(|l| (l.value.as_deref(), l.person.as_str())).collect();
    assert_eq!(said, [(None, "Ana Bell"), (Some("0.05"), "Ana Bell")], "the newest first");
    assert!(store.firm_limits(2).await.expect("listed").is_empty());
    // What is no code is refused.
    for wrong in [
        "UPDATE customer SET language = 'spanish'",
        "INSERT INTO firm_limit (firm_id, base, field, source, reason, person_id, at) VALUES (1, 'EU', 'x', 's', 'r', 1, now())",
        "UPDATE reading SET outcome = 'passed' WHERE id = 1",
        "UPDATE \"override\" SET phase = 'On the inverter'",
        "UPDATE complaint_standing SET standing = 'not reached'",
        "UPDATE finding_event SET event = 'closed'",
        "UPDATE rig SET profile = 'NA'",
        "UPDATE visit SET kind = 'yearly'",
        "UPDATE complaint SET symptom = 'humming'",
    ] {
        assert!(c.batch_execute(wrong).await.is_err(), "{wrong}");
    }

    // Whoever a row names is a person of its firm: no table with a person is without the key that says so.
    let without = self::said(
        &mut c,
        "SELECT t.table_name AS said FROM information_schema.columns t WHERE t.column_name = 'person_id' AND NOT EXISTS (
             SELECT 1 FROM pg_constraint k WHERE k.contype = 'f' AND k.conrelid = quote_ident(t.table_name)::regclass
                AND k.confrelid = 'person'::regclass)",
    )
    .await;
    assert!(without.is_empty(), "{without:?}");
    let named = "INSERT INTO safe_step (firm_id, visit_id, step, person_id, done_at) VALUES (1, 7, 'x', 99, now())";
    assert!(c.batch_execute(named).await.is_err(), "nobody of that number");
}

/// Tables that say who somebody is before the firm is known, and the firms themselves: the same on every machine, should the others
/// be spread by firm.
const OF_ALL: [&str; 4] = ["__diesel_schema_migrations", "firm", "sent_form", "session"];

#[tokio::test(flavor = "multi_thread")]
async fn every_table_can_be_spread_by_firm() {
    let url = database("spread").await;
    Store::open(&url).await.expect("migrated");
    let mut c = AsyncPgConnection::establish(&url).await.expect("connects");
    let tables = said(
        &mut c,
        "SELECT relname::text AS said FROM pg_class WHERE relkind = 'r' AND relnamespace = 'public'::regnamespace",
    )
    .await;
    assert!(tables.len() > 35, "{tables:?}");
    // Of each key the first column, by the table it is of; and of what a column is filled from that it is the database's own.
    let keys = "SELECT t.relname || ' ' || a.attname AS said FROM pg_constraint k JOIN pg_class t ON t.oid = k.conrelid
        JOIN pg_attribute a ON a.attrelid = t.oid AND a.attnum = k.conkey[1]
        WHERE k.contype IN ('p', 'u') AND t.relnamespace = 'public'::regnamespace";
    let keys: Vec<(String, String)> = said(&mut c, keys)
        .await
        .iter()
        .filter_map(|k| k.split_once(' '))
        .map(|(t, a)| (t.to_owned(), a.to_owned()))
        .collect();
    for table in tables.iter().filter(|t| !OF_ALL.contains(&t.as_str())) {
        let own: Vec<&str> = keys.iter().filter(|(t, _)| t == table).map(|(_, a)| a.as_str()).collect();
        assert!(!own.is_empty(), "{table} has a key");
        // A name to sign in with is one in all firms: it is what the firm is found by.
        let other: Vec<&&str> =
            own.iter().filter(|a| **a != "firm_id" && (table.as_str(), **a) != ("person", "login")).collect();
        assert!(other.is_empty(), "{table}: a key begins with {other:?}");
    }
    // What a row names is of its own firm: firm points at firm, first.
    let named =
        "SELECT t.relname || ' -> ' || o.relname AS said FROM pg_constraint k JOIN pg_class t ON t.oid = k.conrelid
        JOIN pg_class o ON o.oid = k.confrelid
        JOIN pg_attribute a ON a.attrelid = t.oid AND a.attnum = k.conkey[1]
        JOIN pg_attribute b ON b.attrelid = o.oid AND b.attnum = k.confkey[1]
        WHERE k.contype = 'f' AND NOT (a.attname = 'firm_id' AND (b.attname = 'firm_id' OR o.relname = 'firm'))";
    assert_eq!(said(&mut c, named).await, [""; 0], "keys into another firm");
}
