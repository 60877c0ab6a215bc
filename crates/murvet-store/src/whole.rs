//! Everything of one firm: taken out as JSON, or removed for good. Which tables there are and what hangs on what is asked of the
//! database itself, so no table is forgotten.

use crate::{Result, Store, StoreError};
use diesel::QueryableByName;
use diesel::sql_types::{BigInt, Text};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};

/// Tables that are nobody's to take along: what proves who somebody is.
const KEPT_BACK: [&str; 3] = ["session", "second_factor", "recovery_code"];

/// A table with the rows that a firm has in it, each a JSON object.
#[derive(Debug, Clone)]
pub struct FirmTable {
    /// Its name.
    pub name: String,
    /// Its rows.
    pub rows: Vec<String>,
}

#[derive(QueryableByName)]
struct Line {
    #[diesel(sql_type = Text)]
    text: String,
}

#[derive(QueryableByName)]
struct Link {
    #[diesel(sql_type = Text)]
    from: String,
    #[diesel(sql_type = Text)]
    to: String,
}

/// The tables whose rows belong to a firm, in the form in which a statement names them.
async fn tables(c: &mut AsyncPgConnection) -> Result<Vec<String>> {
    const OWN: &str = "SELECT quote_ident(c.table_name) AS text FROM information_schema.columns c
        JOIN information_schema.tables t USING (table_schema, table_name)
        WHERE c.table_schema = current_schema() AND c.column_name = 'firm_id' AND t.table_type = 'BASE TABLE' ORDER BY 1";
    let lines: Vec<Line> = diesel::sql_query(OWN).load(c).await?;
    Ok(lines.into_iter().map(|l| l.text).collect())
}

/// Tables in an order in which their rows can go: one that names another goes before it. Where two name each other there is no such
/// order, and the database would say so; a table that names itself is no hindrance, for its rows go in one statement.
fn leaves_first(mut tables: Vec<String>, links: &[Link]) -> Vec<String> {
    let mut order = Vec::new();
    while !tables.is_empty() {
        let named = |t: &String| links.iter().any(|l| l.to == *t && l.from != *t && tables.contains(&l.from));
        let (later, now): (Vec<String>, Vec<String>) = tables.iter().cloned().partition(named);
        if now.is_empty() {
            order.extend(later);
            break;
        }
        order.extend(now);
        tables = later;
    }
    order
}

impl Store {
    /// Everything of a firm as it stands at one moment: the firm and every table with rows of it, without what proves who somebody is
    /// (hashes of passwords, sessions, second factors) and without the key it signs with.
    ///
    /// # Errors
    /// When there is no such firm, or the database fails.
    pub async fn export_firm(&self, firm: i64) -> Result<Vec<FirmTable>> {
        let mut c = self.connection().await?;
        let all = async |c: &mut AsyncPgConnection| {
            // A large firm takes longer than any request may.
            diesel::sql_query("SET LOCAL statement_timeout = 0").execute(c).await?;
            let one = "SELECT (to_jsonb(f) - 'signing_seed')::text AS text FROM firm f WHERE id = $1";
            let own: Vec<Line> = diesel::sql_query(one).bind::<BigInt, _>(firm).load(c).await?;
            if own.is_empty() {
                return Err(StoreError::NotFound);
            }
            let rows = |lines: Vec<Line>| lines.into_iter().map(|l| l.text).collect();
            let mut out = vec![FirmTable { name: "firm".to_owned(), rows: rows(own) }];
            for name in tables(c).await?.into_iter().filter(|t| !KEPT_BACK.contains(&t.as_str())) {
                // The name comes from the database and is quoted by it.
                let of = format!(
                    "SELECT (to_jsonb(t) - 'password_hash')::text AS text FROM {name} t WHERE firm_id = $1 ORDER BY t"
                );
                let found: Vec<Line> = diesel::sql_query(of).bind::<BigInt, _>(firm).load(c).await?;
                out.push(FirmTable { name: name.trim_matches('"').to_owned(), rows: rows(found) });
            }
            Ok(out)
        };
        c.build_transaction().repeatable_read().read_only().run(all).await
    }

    /// Removes everything of a firm for good. Gives how many rows went.
    ///
    /// # Errors
    /// When there is no such firm, or the database fails; then nothing is removed.
    pub async fn remove_firm(&self, firm: i64) -> Result<usize> {
        let mut c = self.connection().await?;
        c.transaction(async |c| {
            // A large firm takes longer than any request may.
            diesel::sql_query("SET LOCAL statement_timeout = 0").execute(c).await?;
            const LINKS: &str = "SELECT a.relname::text AS \"from\", b.relname::text AS \"to\" FROM pg_constraint k
                JOIN pg_class a ON a.oid = k.conrelid JOIN pg_class b ON b.oid = k.confrelid WHERE k.contype = 'f'";
            let mut links: Vec<Link> = diesel::sql_query(LINKS).load(c).await?;
            let own = tables(c).await?;
            // Tables are compared by their quoted names.
            let quoted = |name: &str| own.iter().find(|t| t.trim_matches('"') == name).cloned();
            for link in &mut links {
                link.from = quoted(&link.from).unwrap_or_default();
                link.to = quoted(&link.to).unwrap_or_default();
            }
            let mut gone = 0;
            for name in leaves_first(own.clone(), &links) {
                let of = format!("DELETE FROM {name} WHERE firm_id = $1");
                gone += diesel::sql_query(of).bind::<BigInt, _>(firm).execute(c).await?;
            }
            let last = diesel::sql_query("DELETE FROM firm WHERE id = $1").bind::<BigInt, _>(firm).execute(c).await?;
            if last == 0 { Err(StoreError::NotFound) } else { Ok(gone + last) }
        })
        .await
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_table_goes_before_what_it_names() {
        let link = |from: &str, to: &str| Link { from: from.to_owned(), to: to.to_owned() };
        let links = [
            link("mark", "photograph"),
            link("photograph", "visit"),
            link("visit", "rig"),
            link("reading", "reading"),
            link("reading", "visit"),
        ];
        let names = |list: &[&str]| list.iter().map(|t| (*t).to_owned()).collect::<Vec<_>>();
        let order = leaves_first(names(&["rig", "visit", "photograph", "mark", "reading"]), &links);
        let at = |name: &str| order.iter().position(|t| t == name);
        assert!(links.iter().filter(|l| l.from != l.to).all(|l| at(&l.from) < at(&l.to)), "{order:?}");
        assert_eq!(order.len(), 5);
    }
}
