//! What the script of the pages looks through: the titles of a list, or the texts of the site,
//! as compact JSON. The script's file says how it is read.

use indexmap::IndexSet;
use jiff::civil::Date;
use serde::Serialize;

use crate::catalogue::{Catalogue, PostId};

/// Title, address, date (ISO 8601), date in words.
type Row<'a> = (&'a str, &'a str, String, &'a str);

/// The titles of a list.
#[derive(Debug, Serialize)]
struct Titles<'a> {
    posts: Vec<Row<'a>>,
}

/// The texts of a site: of each post its row, its summary, and the numbers of its terms.
#[derive(Debug, Serialize)]
struct Texts<'a> {
    terms: IndexSet<&'a str>,
    posts: Vec<(Row<'a>, &'a str, Vec<usize>)>,
}

/// What the rows of posts are made of.
#[derive(Clone, Copy)]
pub struct Rows<'a> {
    /// The posts.
    pub catalogue: &'a Catalogue,
    /// The day of a post in words.
    pub day: &'a dyn Fn(Date) -> &'a str,
    /// The address of a post, as a page links to it.
    pub link: &'a dyn Fn(PostId) -> &'a str,
}

impl std::fmt::Debug for Rows<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Rows").finish_non_exhaustive()
    }
}

impl<'a> Rows<'a> {
    fn row(&self, id: PostId) -> Row<'a> {
        let post = self.catalogue.post(id);
        let day = post.date.map(|date| date.day);
        (
            &post.title,
            (self.link)(id),
            post.date.map(|date| date.iso()).unwrap_or_default(),
            day.map(self.day).unwrap_or_default(),
        )
    }

    /// The titles of `posts`, in their order.
    #[must_use]
    pub fn titles(&self, posts: &[PostId]) -> String {
        json(&Titles {
            posts: posts.iter().map(|id| self.row(*id)).collect(),
        })
    }

    /// Titles, summaries and terms of all fields of `posts`, in their order. A term's name stands
    /// once, however many posts have it.
    #[must_use]
    pub fn texts(&self, posts: &[PostId]) -> String {
        let mut terms = IndexSet::new();
        let fields = self.catalogue.term_tables();
        let mut numbers = |id: PostId| {
            let each = fields.iter().enumerate().flat_map(|(field, table)| {
                let own = self.catalogue.terms_of(id, field).iter();
                own.map(|term| table.term(*term).name.as_str())
            });
            each.map(|name| terms.insert_full(name).0).collect()
        };
        let posts = posts.iter().map(|id| {
            let summary = self.catalogue.post(*id).summary.as_deref();
            (self.row(*id), summary.unwrap_or_default(), numbers(*id))
        });
        let posts = posts.collect();
        json(&Texts { terms, posts })
    }
}

/// Texts and numbers in lists always have a form in JSON.
fn json(value: &impl Serialize) -> String {
    let mut text = serde_json::to_string(value).unwrap_or_default();
    text.push('\n');
    text
}
