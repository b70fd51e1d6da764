//! The core of Tabulae: from texts and values to catalogue, queries, archives and feeds.
//!
//! Nothing here touches the file system, the environment, the clock or a terminal; what a
//! build needs of the world is handed in.

pub mod addresses;
pub mod archive;
pub mod audit;
pub mod catalogue;
pub mod diagnostic;
pub mod edit;
pub mod effective;
pub mod export;
pub mod feed;
pub mod front_matter;
pub mod html;
pub mod id;
pub mod key_lints;
pub mod language;
pub mod lint_levels;
pub mod near_duplicates;
pub mod note;
pub mod pager;
mod parallel;
pub mod post;
pub mod query;
pub mod related;
pub mod route;
pub mod schema;
pub mod search;
pub mod settings;
pub mod similarity;
pub mod slip;
pub mod source;
pub mod template_tags;
pub mod term;
#[cfg(test)]
mod testing;
pub mod time;
pub mod value;
pub mod weave;
pub mod words;
pub mod yields;
