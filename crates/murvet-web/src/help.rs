//! What each screen is for, told where one stands: `text/help.txt`, a section a screen.

use std::collections::BTreeMap;
use std::sync::LazyLock;

/// Screens with their lines, as markup.
static SCREENS: LazyLock<BTreeMap<&'static str, String>> = LazyLock::new(|| {
    sections(include_str!("../text/help.txt")).into_iter().map(|(name, lines)| (name, markup(&lines))).collect()
});

/// Sections by name, each with its lines; comments start with `#`.
fn sections(text: &'static str) -> Vec<(&'static str, Vec<&'static str>)> {
    let mut all: Vec<(&str, Vec<&str>)> = Vec::new();
    for line in text.lines().map(str::trim).filter(|l| !l.is_empty() && !l.starts_with('#')) {
        match line.strip_prefix('[').and_then(|l| l.strip_suffix(']')) {
            Some(name) => all.push((name, Vec::new())),
            None => all.iter_mut().rev().take(1).for_each(|(_, lines)| lines.push(line)),
        }
    }
    all
}

fn markup(lines: &[&str]) -> String {
    let escaped = |line: &&str| line.replace('&', "&amp;").replace('<', "&lt;");
    let items: String = lines.iter().map(|l| format!("<li>{}</li>", escaped(l))).collect();
    format!("<ul>{items}</ul>")
}

/// The lines of a screen as markup; nothing where there are none, which a test keeps from happening.
pub(crate) fn of(screen: &'static str) -> &'static str {
    SCREENS.get(screen).map_or("", String::as_str)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn every_screen_has_at_most_five_lines_of_help() {
        let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("templates");
        let mut asked = BTreeSet::new();
        for file in std::fs::read_dir(folder).expect("a folder").flatten() {
            let text = std::fs::read_to_string(file.path()).expect("a template");
            let base =
                ["station.html", "outside.html"].iter().any(|b| text.contains(&format!("{{% extends \"{b}\" %}}")));
            let own = text.split("crate::help::of(\"").nth(1).and_then(|t| t.split('"').next());
            assert_eq!(base && !file.file_name().to_string_lossy().starts_with("error"), own.is_some(), "{file:?}");
            asked.extend(own.map(str::to_owned));
        }
        let told = sections(include_str!("../text/help.txt"));
        let names: BTreeSet<String> = told.iter().map(|(name, _)| (*name).to_owned()).collect();
        assert_eq!(asked, names);
        for (name, lines) in told {
            assert!((1..=5).contains(&lines.len()), "{name}: {lines:?}");
        }
    }
}
