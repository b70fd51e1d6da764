//! Builds on memory: what is made, what is made again, and what is refused.

mod as_they_are;
mod assets;
mod audit;
pub(crate) mod bench;
mod causes;
mod composing;
mod edits;
mod errors;
mod exports;
mod fixes;
mod generated;
mod kills;
mod languages;
mod lists;
mod live;
mod messages;
mod metadata;
mod moved;
mod navigation;
mod own_look;
mod pages;
mod parts;
mod placeholders;
mod publishing;
mod related_overview;
mod rename;
mod restored;
mod search;
mod session;
mod slips;
mod templates;
mod texts;
mod words;

use std::collections::BTreeMap;

use self::bench::{Bench, SITE, collected, said};
use crate::Workspace;
use crate::options::BuildOptions;
use crate::publish::MemoryOutput as Out;
use tabulae_core::diagnostic::Diagnostic;
use tabulae_core::post::Include;

fn small() -> Bench {
    Bench::new("")
        .with(
            "posts/2026-03-14-lime.md",
            "---\ntitle: Lime & sand\ntags: [lime, Masonry]\ncategory: Locks\n---\n\nLime first.\n",
        )
        .with(
            "posts/2026-04-01-boat.md",
            "---\ntitle: A boat\ntags: lime\ncategory: Boats\n---\n\nA boat.\n",
        )
        .with(
            "posts/2025-01-02-old.md",
            "---\ntitle: Old\n---\n\nLong ago.\n",
        )
}

/// The text of each link in a part of a page, in order.
fn titles(html: &str) -> Vec<&str> {
    html.split("<h2>")
        .skip(1)
        .filter_map(|part| part.split_once('>')?.1.split_once("</a>"))
        .map(|(title, _)| title)
        .collect()
}
