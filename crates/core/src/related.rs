//! The list of related posts: what a post names itself, then what the query gives, then what tops
//! it up.

pub mod overview;

use crate::catalogue::{Catalogue, PostId};
use crate::diagnostic::{Code, Collected, Diagnostic, Diagnostics};
use crate::query::{Query, Resolved, Scope, Written};
use crate::settings::{Related, Settings};
use crate::similarity::{BoundedHits, Drift};
use crate::source::{EmbeddedText, Source};

/// The query of the list, where the settings give none.
const QUERY: &str = "from posts where likeness > 0 order by likeness desc limit 4";

/// The queries that make the related posts of every post.
#[derive(Debug)]
pub struct RelatedList {
    query: Query<Resolved>,
    fill: Option<Query<Resolved>>,
    limit: usize,
}

/// The related posts of a post.
#[derive(Debug)]
pub struct RelatedPosts {
    /// The posts, in the order of the list.
    pub posts: Vec<PostId>,
    /// The number of posts without those that fill up the list.
    pub found: usize,
    /// The hits of the query, for [`RelatedList::find`] after an edit; `None` if it was not run, or depends on
    /// more than likeness.
    pub hits: Option<BoundedHits>,
}

/// The query of a list of the posts most alike, by the settings' weights, where none is given: in
/// its index the likeness of any two posts can be looked up.
#[must_use]
pub fn likeness(settings: &Settings, scope: Scope<'_>) -> Option<Query<Resolved>> {
    let scope = scope.on_page(true);
    resolved(&default_query(settings), scope, &mut Diagnostics::new()).map(|(_, query)| query)
}

impl RelatedList {
    /// Reads the queries of `[related]`, or of the table of a content set in its place, for the posts of the scope's
    /// language; `None` after an error.
    #[must_use]
    pub fn new(
        related: &Related,
        settings: &Settings,
        scope: Scope<'_>,
    ) -> Collected<Option<Self>> {
        let mut diagnostics = Diagnostics::new();
        let output = read(related, settings, scope.on_page(true), &mut diagnostics);
        Collected {
            output,
            diagnostics,
        }
    }

    /// Returns the related posts of `this`: at most as many as the query's limit, never itself, none twice, none
    /// that is excluded.
    #[must_use]
    pub fn of(&self, catalogue: &Catalogue, this: PostId) -> Vec<PostId> {
        self.find(catalogue, this, None).posts
    }

    /// Returns the related posts of `this`, in less time if it is known what the query found before an edit of
    /// texts.
    #[must_use]
    pub fn find(
        &self,
        catalogue: &Catalogue,
        this: PostId,
        before: Option<(&BoundedHits, &Drift)>,
    ) -> RelatedPosts {
        let mut posts: Vec<PostId> = Vec::new();
        let mut add = |more: &mut dyn Iterator<Item = PostId>| {
            for post in more {
                if posts.len() < self.limit && post != this && !posts.contains(&post) {
                    posts.push(post);
                }
            }
            posts.len()
        };
        let mut found = add(&mut catalogue.pinned(this));
        let mut hits = None;
        if found < self.limit {
            hits = self.query.bounded_hits(catalogue, this, before);
            let answer = match &hits {
                Some(hits) => self.query.first_of(hits),
                None => self.query.first(catalogue, Some(this)),
            };
            found = add(&mut answer.into_iter());
        }
        if let Some(fill) = self.fill.as_ref().filter(|_| found < self.limit) {
            add(&mut fill.first(catalogue, Some(this)).into_iter());
        }
        RelatedPosts { posts, found, hits }
    }

    /// The query of the list.
    #[must_use]
    pub fn query(&self) -> &Query<Resolved> {
        &self.query
    }
}

fn read(
    related: &Related,
    settings: &Settings,
    scope: Scope<'_>,
    diagnostics: &mut Diagnostics,
) -> Option<RelatedList> {
    let query = related.query.clone();
    let query = query.unwrap_or_else(|| default_query(settings));
    let (written, query) = resolved(&query, scope, diagnostics)?;
    let fill = match &related.fill {
        Some(fill) => Some(resolved(fill, scope, diagnostics)?.1),
        None => None,
    };
    let Some(limit) = written.statement().limit else {
        diagnostics.push(
            Diagnostic::error(
                Code::InvalidQuery,
                written.location(),
                "the query of the related posts has no limit",
            )
            .help("add a limit: `… limit 4`"),
        );
        return None;
    };
    // No list has more posts than there are, and room is made for as many as are asked for.
    let limit = limit.min(scope.catalogue.all().count());
    // Beyond the limit there is one for the post itself, and one for each that was there before.
    let most = limit + 1 + scope.catalogue.most_pinned();
    let cut = |query: Query<Resolved>, most: usize| match query.limit() {
        Some(limit) if limit < most => query,
        _ => query.with_limit(most),
    };
    Some(RelatedList {
        query: query.with_limit(most),
        fill: fill.map(|fill| cut(fill, most + limit)),
        limit,
    })
}

/// The default query; of all content sets where none is called `posts`.
/// Returns the query of the list, where the settings give none: of the posts of `posts`, or of all on a site without this
/// content set.
#[must_use]
pub fn default_query(settings: &Settings) -> EmbeddedText {
    let posts = settings.content.iter().any(|set| set.name == "posts");
    let text = if posts {
        QUERY
    } else {
        QUERY.trim_start_matches("from posts ")
    };
    EmbeddedText::new(
        text,
        &Source::new(crate::settings::FILE, text),
        crate::source::Span::new(0, text.len()),
    )
}

fn resolved(
    embedded: &EmbeddedText,
    scope: Scope<'_>,
    diagnostics: &mut Diagnostics,
) -> Option<(Query<Written>, Query<Resolved>)> {
    let written = Query::parse(embedded)
        .map_err(|diagnostic| diagnostics.push(*diagnostic))
        .ok()?;
    let query = written.resolve(scope).into_output(diagnostics)?;
    Some((written, query))
}

#[cfg(test)]
mod tests;
