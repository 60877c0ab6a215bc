//! The tree of a page, as the parser of browsers reads it.

use html5ever::serialize::{SerializeOpts, TraversalScope, serialize};
use html5ever::tendril::TendrilSink;
use html5ever::{ParseOpts, parse_document};
use markup5ever_rcdom::{Handle, NodeData, RcDom, SerializableHandle};

/// An element of the page.
#[derive(Clone)]
pub(crate) struct Element(Handle);

/// What an element holds.
pub(crate) enum Child {
    Text(String),
    Element(Element),
}

/// A page. Its elements hold what is in them only as long as it is there: the tree is taken apart with it.
pub(crate) struct Page(Element);

impl Page {
    /// Reads a page; whatever is wrong in it is read as browsers do.
    pub(crate) fn read(html: &str) -> Page {
        Page(Element(parse_document(RcDom::default(), ParseOpts::default()).one(html).document))
    }

    /// Its `main`, or the whole where it has none.
    pub(crate) fn main(&self) -> Element {
        self.0.find("main").unwrap_or_else(|| self.0.clone())
    }
}

impl Element {
    /// Its name; empty for the page itself.
    pub(crate) fn name(&self) -> &str {
        match &self.0.data {
            NodeData::Element { name, .. } => &name.local,
            _ => "",
        }
    }

    pub(crate) fn attr(&self, wanted: &str) -> Option<String> {
        let NodeData::Element { attrs, .. } = &self.0.data else { return None };
        attrs.borrow().iter().find(|a| &*a.name.local == wanted).map(|a| a.value.to_string())
    }

    pub(crate) fn classes(&self) -> Vec<String> {
        self.attr("class").unwrap_or_default().split_whitespace().map(str::to_owned).collect()
    }

    pub(crate) fn has(&self, class: &str) -> bool {
        self.classes().iter().any(|c| c == class)
    }

    pub(crate) fn children(&self) -> Vec<Child> {
        let child = |h: &Handle| match &h.data {
            NodeData::Text { contents } => Some(Child::Text(contents.borrow().to_string())),
            NodeData::Element { .. } => Some(Child::Element(Element(h.clone()))),
            _ => None,
        };
        self.0.children.borrow().iter().filter_map(child).collect()
    }

    pub(crate) fn elements(&self) -> Vec<Element> {
        let element = |c| match c {
            Child::Element(e) => Some(e),
            Child::Text(_) => None,
        };
        self.children().into_iter().filter_map(element).collect()
    }

    /// The first element of a name below it, in the order of the page.
    fn find(&self, name: &str) -> Option<Element> {
        self.elements().into_iter().find_map(|e| if e.name() == name { Some(e) } else { e.find(name) })
    }

    /// It and what is in it, as text.
    pub(crate) fn html(&self) -> String {
        let mut out = Vec::new();
        let options = SerializeOpts { traversal_scope: TraversalScope::IncludeNode, ..SerializeOpts::default() };
        // Writing to memory does not fail.
        serialize(&mut out, &SerializableHandle::from(self.0.clone()), options).ok();
        String::from_utf8(out).unwrap_or_default()
    }
}
