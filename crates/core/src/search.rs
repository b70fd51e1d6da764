//! The data that the scripts of the pages search: the titles of a list, or the summaries and terms of the site, as
//! compact JSON, and the full-text index. The scripts' files say how they are read.

pub mod full_text;

use std::borrow::Cow;

use indexmap::IndexSet;
use serde::Serialize;
use serde_json::value::{RawValue, to_raw_value};

use crate::catalogue::{Catalogue, PostId};
use crate::post::Post;

/// The row of a post in the data: title, address, date (ISO 8601), date in words.
#[derive(Debug, Serialize)]
#[serde(transparent)]
pub struct Row(Box<RawValue>);

impl Row {
    /// The row of a post, whose `link` is as pages have it, and its day in words.
    #[must_use]
    pub fn new(post: &Post, link: &str, day: &str) -> Self {
        let date = post.date.map(|date| date.iso()).unwrap_or_default();
        Self::of(&(&*post.title, link, date, day))
    }

    /// The row of a post with the beginning of its summary, for the full-text search.
    #[must_use]
    pub fn with_summary(post: &Post, link: &str, day: &str) -> Self {
        let date = post.date.map(|date| date.iso()).unwrap_or_default();
        let summary = post.summary.as_deref().unwrap_or_default();
        Self::of(&(&*post.title, link, date, day, beginning(summary)))
    }

    fn of(values: &impl Serialize) -> Self {
        Self(to_raw_value(values).expect("texts have a form in JSON"))
    }
}

/// The maximum length of the beginning of a summary, in characters.
const SUMMARY: usize = 200;

/// Returns the first words of a text, with an ellipsis if there are more.
fn beginning(text: &str) -> Cow<'_, str> {
    let Some((end, _)) = text.char_indices().nth(SUMMARY) else {
        return text.into();
    };
    let cut = &text[..end];
    let words = cut.rfind(' ').map_or(cut, |space| &cut[..space]);
    format!("{words} …").into()
}

/// The titles of a list.
#[derive(Debug, Serialize)]
struct Titles<'a> {
    posts: Vec<&'a Row>,
}

/// The texts of a site: of each post its row, its summary, and the numbers of its terms.
#[derive(Debug, Serialize)]
struct Texts<'a> {
    terms: IndexSet<&'a str>,
    posts: Vec<(&'a Row, &'a str, Vec<usize>)>,
}

/// The titles of a list, in its order.
#[must_use]
pub fn titles<'a>(rows: impl Iterator<Item = &'a Row>) -> String {
    json(&Titles {
        posts: rows.collect(),
    })
}

/// Returns titles, summaries and terms of all fields of posts, in their order. A term's name is written once,
/// however many posts have it.
#[must_use]
pub fn texts<'a>(catalogue: &Catalogue, posts: impl Iterator<Item = (PostId, &'a Row)>) -> String {
    let mut terms = IndexSet::new();
    let fields = catalogue.term_tables();
    let mut numbers = |id: PostId| {
        let each = fields.iter().enumerate().flat_map(|(field, table)| {
            let own = catalogue.terms_of(id, field).iter();
            own.map(|term| table.term(*term).name.as_str())
        });
        each.map(|name| terms.insert_full(name).0).collect()
    };
    let posts = posts.map(|(id, row)| {
        let summary = catalogue.post(id).summary.as_deref();
        (row, summary.unwrap_or_default(), numbers(id))
    });
    let posts = posts.collect();
    json(&Texts { terms, posts })
}

fn json(value: &impl Serialize) -> String {
    let text = serde_json::to_string(value);
    let mut text = text.expect("texts and numbers in lists have a form in JSON");
    text.push('\n');
    text
}

#[cfg(test)]
mod tests;
