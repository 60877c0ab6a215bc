//! The text of the pages, in one catalogue: `text/en.txt`, a line a message. Another language is another file with the same
//! keys. What the core says of a rig is the trade's own words and stands there.

use std::collections::BTreeMap;
use std::fmt::Display;
use std::sync::LazyLock;

static ENGLISH: LazyLock<BTreeMap<&'static str, &'static str>> = LazyLock::new(|| read(include_str!("../text/en.txt")));

/// Messages by key; comments start with `#`.
fn read(text: &'static str) -> BTreeMap<&'static str, &'static str> {
    text.lines().filter(|l| !l.starts_with('#')).filter_map(|l| l.split_once(" = ")).collect()
}

/// A message. A key without one shows itself; a test keeps it from happening.
pub(crate) fn t(key: &'static str) -> &'static str {
    ENGLISH.get(key).copied().unwrap_or(key)
}

/// The messages of the script, as JSON that cannot end the element it stands in.
pub(crate) fn script_words() -> String {
    let own: BTreeMap<_, _> = ENGLISH.iter().filter(|(k, _)| k.starts_with("script.")).collect();
    serde_json::to_string(&own).unwrap_or_default().replace('<', "\\u003c")
}

/// A message with values put in for `{0}`, `{1}` and so on. What is put in is not looked at again.
pub(crate) fn say(key: &'static str, values: &[&dyn Display]) -> String {
    let mut out = String::new();
    let mut rest = t(key);
    while let Some((before, after)) = rest.split_once('{') {
        out.push_str(before);
        let value = after.split_once('}').and_then(|(n, tail)| Some((values.get(n.parse::<usize>().ok()?)?, tail)));
        match value {
            Some((value, tail)) => {
                out.push_str(&value.to_string());
                rest = tail;
            }
            None => {
                out.push('{');
                rest = after;
            }
        }
    }
    out + rest
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn every_message_is_used_and_every_use_has_a_message() {
        let known: BTreeSet<&str> = ENGLISH.keys().copied().collect();
        let (mut used, mut missing) = (BTreeSet::new(), BTreeSet::new());
        for folder in ["templates", "src", "src/stations", "src/stations/readings", "src/stations/ends", "../../assets"]
        {
            let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join(folder);
            for file in std::fs::read_dir(folder).expect("a folder").flatten().filter(|f| f.file_name() != "text.rs") {
                let text = std::fs::read_to_string(file.path()).unwrap_or_default();
                let parts: Vec<&str> = text.split('"').collect();
                for pair in parts.windows(2) {
                    // What an owner reads has its own messages.
                    let before = pair[0].trim_end();
                    let asks = [" t(", ":t(", "say(", "said("].iter().any(|call| before.ends_with(call))
                        && !before.ends_with("text.say(");
                    if let Some(key) = known.get(pair[1]) {
                        used.insert(*key);
                    } else if asks {
                        missing.insert(pair[1].to_owned());
                    }
                }
            }
        }
        let idle: Vec<_> = known.difference(&used).collect();
        assert!(missing.is_empty() && idle.is_empty(), "without a message: {missing:?}; without a use: {idle:?}");
    }

    #[test]
    fn what_is_put_in_is_not_read_as_a_message() {
        assert_eq!(say("no.such {1}: {0}", &[&"{1}", &7]), "no.such 7: {1}");
        assert_eq!(say("no.such {x} {", &[]), "no.such {x} {");
    }
}
