//! Long lists of names in a sentence, folded: a headline says how many there are, and the names stand below it by their label.

use murvet_core::catalogue::Kind;
use murvet_core::rig::Rig;

/// From so many names on a list is folded.
const MANY: usize = 5;

/// A sentence with its long lists folded: the sentence, and of each list its count in words and its names.
#[derive(Debug, PartialEq)]
pub(crate) struct Folded {
    pub words: String,
    pub lists: Vec<(String, String)>,
}

/// Folds the lists of a sentence. A list is names of components of the rig one after the other, nothing else between them than a
/// comma and a blank; so no other words of the sentence can be taken for one.
pub(crate) fn folded(rig: &Rig, sentence: &str) -> Folded {
    let parts: Vec<&str> = sentence.split(", ").collect();
    let known = |id: &str| rig.component(id).is_some();
    // The word with which a part ends, and the one with which it begins.
    let ends = |part: &str| part.rsplit(' ').next().unwrap_or_default().to_owned();
    let begins = |part: &str| part.split([' ', '.', ';', ':']).next().unwrap_or_default().to_owned();
    let (mut words, mut lists) = (String::new(), Vec::new());
    let mut at = 0;
    while at < parts.len() {
        if at > 0 {
            words.push_str(", ");
        }
        let first = ends(parts[at]);
        // How far the list goes: whole parts that are names, then one that begins with a name.
        let mut last = at;
        if known(&first) {
            while last + 1 < parts.len() && known(parts[last + 1]) {
                last += 1;
            }
            if last + 1 < parts.len() && known(&begins(parts[last + 1])) {
                last += 1;
            }
        }
        if last - at + 1 < MANY {
            words.push_str(parts[at]);
            at += 1;
            continue;
        }
        let tail = begins(parts[last]);
        let ids = std::iter::once(first.as_str()).chain(parts[at + 1..last].iter().copied()).chain([tail.as_str()]);
        let list: Vec<_> = ids.filter_map(|id| rig.component(id)).collect();
        let load =
            |k: Kind| matches!(k, Kind::DcLoad | Kind::AcLoad | Kind::Outlet | Kind::GfciOutlet | Kind::DcSocket);
        let loads = list.iter().filter(|c| load(c.kind)).count();
        let count = if loads == list.len() {
            crate::say("names.loads", &[&loads])
        } else {
            crate::say("names.components", &[&list.len()])
        };
        words.push_str(parts[at].strip_suffix(first.as_str()).unwrap_or_default());
        words.push_str(&count);
        words.push_str(parts[last].strip_prefix(tail.as_str()).unwrap_or_default());
        let names: Vec<&str> = list.iter().map(|c| c.title()).collect();
        lists.push((count, names.join(", ")));
        at = last + 1;
    }
    Folded { words, lists }
}

#[cfg(test)]
mod tests {
    use super::*;
    use murvet_core::notation::parse;

    fn rig() -> Rig {
        let text: String = ["lamps", "pump", "fan", "fridge", "usb", "a"].map(|n| format!("dc-load {n}\n")).concat();
        parse(&format!("{text}inverter inv: 500W dc 12V ac 230V \"Inverter\"\n")).expect("parses")
    }

    #[test]
    fn a_long_list_is_counted_in_the_headline_and_named_below_it() {
        let told = folded(&rig(), "Solar feeds lamps, pump, fan, fridge, usb with no battery, and a fan.");
        assert_eq!(told.words, "Solar feeds 5 loads with no battery, and a fan.");
        assert_eq!(told.lists, [("5 loads".to_owned(), "lamps, pump, fan, fridge, usb".to_owned())]);
        let told = folded(&rig(), "inv, lamps, pump, fan, fridge: all of them.");
        assert_eq!(told.words, "5 components: all of them.");
        assert_eq!(told.lists[0].1, "Inverter, lamps, pump, fan, fridge");
    }

    #[test]
    fn what_is_no_long_list_of_names_stays_as_it_is() {
        for sentence in [
            "Battery a charges itself: lamps, pump, fan, fridge.",
            "a, of 5 m, 2.5 mm2, red, and lamps, carries 4 A, may carry 3 A, and so on.",
            "Nothing here.",
            "",
        ] {
            assert_eq!(folded(&rig(), sentence), Folded { words: sentence.to_owned(), lists: Vec::new() });
        }
    }
}
