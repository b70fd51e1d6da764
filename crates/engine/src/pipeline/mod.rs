//! Pipelines: what commands do from end to end. The only module that knows all others.

pub(crate) mod audit;
mod broken_links;
mod build;
mod current;
mod echoes;
pub(crate) mod explain;
pub(crate) mod fixes;
mod next_cache;
pub(crate) mod page_lists;
mod post_fingerprints;
pub(crate) mod rename;
mod root;
mod session;
pub(crate) mod source_files;
pub(crate) mod terms;
pub(crate) mod text_findings;
pub(crate) mod weave;

pub(crate) use self::build::build;
pub(crate) use self::echoes::drop_echoes;
pub(crate) use self::root::find_root;
pub(crate) use self::session::Session;
pub(crate) use self::source_files::{write_change, write_new};
