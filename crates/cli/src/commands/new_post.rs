//! `tabulae new TITLE`

use std::collections::BTreeMap;

use serde_json::json;

use crate::args::Args;
use crate::ui::{self, Status};

/// Writes a post with a title into a content set, and prints its path.
pub(super) fn run(
    args: &Args,
    (title, set): (&str, Option<&str>),
    tags: &[String],
    category: Option<&str>,
) -> Status {
    let mut terms = BTreeMap::new();
    if !tags.is_empty() {
        terms.insert("tag".to_owned(), tags.to_vec());
    }
    if let Some(category) = category {
        terms.insert("category".to_owned(), vec![category.to_owned()]);
    }
    match args.workspace().write_post(title, set, &terms) {
        Err(error) => ui::failed(args, error.diagnostics()),
        Ok(path) if args.is_json() => ui::json(&json!({ "post": path }), &[]),
        Ok(path) => ui::print(&format!("{path}\n")),
    }
}
