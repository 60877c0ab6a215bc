//! What a finding is about: things of the rig, each by its kind, and the stable name that they make together.

use super::Context;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A thing of the rig.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum About {
    /// A component.
    Component {
        /// Its name.
        id: String,
    },
    /// A way of a component.
    Way {
        /// The component.
        component: String,
        /// The way.
        way: String,
    },
    /// A terminal of a component.
    Terminal {
        /// The component.
        component: String,
        /// The terminal.
        terminal: String,
    },
    /// A conductor of a run, or one core of a cable.
    Conductor {
        /// Its stable name.
        key: String,
    },
    /// A cable.
    Cable {
        /// Its name.
        id: String,
    },
    /// A place.
    Place {
        /// Its name.
        id: String,
    },
    /// A remark.
    Remark {
        /// On what: a component, a cable or a place, or a part of a component.
        on: String,
        /// Its word.
        word: String,
    },
}

impl About {
    /// The component that it is or belongs to.
    pub fn component(&self) -> Option<&str> {
        match self {
            About::Component { id } => Some(id),
            About::Way { component, .. } | About::Terminal { component, .. } => Some(component),
            About::Conductor { .. } | About::Cable { .. } | About::Place { .. } | About::Remark { .. } => None,
        }
    }
}

/// What a finding is about. With the rule its name identifies the finding in every audit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Subject {
    name: String,
    about: Vec<About>,
}

impl Subject {
    /// The things of a rig that a stable name joins. A name is put together by the rules from the names of things: one thing,
    /// several after `+`, two after `>`, two terminals after `--`, a thing and a kind of remark after `:`, a component and its way after `way`. A thing that has the
    /// whole name goes first, so that no sign in a name of one's own is taken for a joint.
    pub(super) fn of(ctx: &Context, name: &str) -> Subject {
        let mut about = Vec::new();
        resolve(ctx, name, &mut about);
        Subject { name: name.to_owned(), about }
    }

    /// Its stable name.
    pub fn as_str(&self) -> &str {
        &self.name
    }

    /// The things it is about, in the order of the name.
    pub fn about(&self) -> &[About] {
        &self.about
    }

    /// The device among them that a way or a component is: its component, and its way.
    pub fn devices(&self) -> impl Iterator<Item = (&str, Option<&str>)> {
        self.about.iter().filter_map(|a| match a {
            About::Component { id } => Some((id.as_str(), None)),
            About::Way { component, way } => Some((component.as_str(), Some(way.as_str()))),
            _ => None,
        })
    }

    /// The conductors among them, by their keys.
    pub fn conductors(&self) -> impl Iterator<Item = &str> {
        self.about.iter().filter_map(|a| match a {
            About::Conductor { key } => Some(key.as_str()),
            _ => None,
        })
    }

    /// The components among them, or to which they belong.
    pub fn components(&self) -> impl Iterator<Item = &str> {
        self.about.iter().filter_map(About::component)
    }
}

fn resolve(ctx: &Context, name: &str, about: &mut Vec<About>) {
    let rig = ctx.rig;
    if rig.component(name).is_some() {
        return about.push(About::Component { id: name.to_owned() });
    }
    if rig.cable(name).is_some() {
        return about.push(About::Cable { id: name.to_owned() });
    }
    if ctx.net.wires.iter().any(|w| w.key == name) {
        return about.push(About::Conductor { key: name.to_owned() });
    }
    if rig.place(name).is_some() {
        return about.push(About::Place { id: name.to_owned() });
    }
    for joint in ["+", ">", "--"] {
        if name.contains(joint) {
            return name.split(joint).for_each(|part| resolve(ctx, part, about));
        }
    }
    if let Some((on, word)) = name.split_once(':') {
        resolve(ctx, on, about);
        return about.push(About::Remark { on: on.to_owned(), word: word.to_owned() });
    }
    if let Some((component, way)) = name.split_once(" way ") {
        return about.push(About::Way { component: component.to_owned(), way: way.to_owned() });
    }
    if let Some((component, part)) = name.split_once('.')
        && let Some(p) = rig.component(component)
    {
        let (component, part) = (component.to_owned(), part.to_owned());
        about.push(if p.ways.iter().any(|w| w.id == part) {
            About::Way { component, way: part }
        } else {
            About::Terminal { component, terminal: part }
        });
    }
}

impl std::fmt::Display for Subject {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.name)
    }
}

impl std::ops::Deref for Subject {
    type Target = str;
    fn deref(&self) -> &str {
        &self.name
    }
}

impl PartialEq<str> for Subject {
    fn eq(&self, other: &str) -> bool {
        self.name == other
    }
}

impl PartialEq<&str> for Subject {
    fn eq(&self, other: &&str) -> bool {
        self.name == *other
    }
}

impl PartialEq<String> for Subject {
    fn eq(&self, other: &String) -> bool {
        self.name == *other
    }
}
