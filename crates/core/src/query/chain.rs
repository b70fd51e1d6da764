//! Counts of the posts that each condition of a query leaves, in the order written.

use super::ast::Condition;
use super::scope::Scope;
use super::{Query, Written};
use crate::catalogue::PostId;

/// The posts of a query's sources, and how many of them are left after each of its conditions.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chain {
    /// The content sets and named queries after `from`; empty for all content sets.
    pub from: Vec<String>,
    /// The number of listed posts of the sources, in the languages that are asked for.
    pub posts: usize,
    /// The conditions that must all hold, in the order written.
    pub links: Vec<ChainLink>,
}

/// A condition of a chain.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChainLink {
    /// The condition, as it is written in a query.
    pub condition: String,
    /// The number of posts that meet it and all conditions before.
    pub posts: usize,
    /// The number of posts of the sources that meet it, whatever the others say.
    pub alone: usize,
}

impl Query<Written> {
    /// Counts the posts after each condition on the page of `this`, before offset and limit; `total` are those of the query.
    /// `None` if the query cannot be resolved. Takes as long as running a query of one condition for each, and for each
    /// between the first and the last a query of several.
    #[must_use]
    pub fn chain(&self, scope: Scope<'_>, this: Option<PostId>, total: usize) -> Option<Chain> {
        let count = |condition| Some(self.alone(condition, scope, this)?.total);
        let tests = self.tests().unwrap_or_default();
        let links = tests.iter().enumerate().map(|(at, test)| {
            let is_last = at + 1 == tests.len();
            let alone = match at {
                0 if is_last => total,
                _ => count(Some(test.clone()))?,
            };
            Some(ChainLink {
                condition: test.to_string(),
                posts: match at {
                    0 => alone,
                    _ if is_last => total,
                    _ => count(Some(Condition::And(tests[..=at].to_vec())))?,
                },
                alone,
            })
        });
        let from = &self.statement().from;
        Some(Chain {
            from: from.iter().map(|name| name.node.clone()).collect(),
            posts: count(None)?,
            links: links.collect::<Option<_>>()?,
        })
    }
}

#[cfg(test)]
mod tests {
    use crate::query::Query;
    use crate::source::EmbeddedText;
    use crate::testing::Small;
    use rstest::rstest;

    fn small() -> Small {
        let posts = [
            ("posts/a.md", "title: A\ndate: 2026-01-01\ntags: [lime]"),
            ("posts/b.md", "title: B\ndate: 2025-01-01\ntags: [lime]"),
            ("posts/c.md", "title: C\ndate: 2026-02-01\ntags: [mud]"),
            (
                "posts/d.md",
                "title: D\ndate: 2026-02-01\ntags: [lime]\ndraft: true",
            ),
        ];
        Small::new("", &posts.map(|(path, front)| (path, front, "")))
    }

    #[rstest]
    #[case::nothing("", &[3], &[])]
    #[case::one("from posts where tag = 'lime'", &[3, 2], &[2])]
    #[case::two("where year = 2026 and tag = 'lime'", &[3, 2, 1], &[2, 2])]
    #[case::in_the_order_written("where tag = 'lime' and year = 2025 limit 1", &[3, 2, 1], &[2, 1])]
    #[case::either("where (tag = 'lime' or tag = 'mud') and year = 2024", &[3, 3, 0], &[3, 0])]
    #[case::either_alone("where tag = 'mud' or year = 2025", &[3, 2], &[2])]
    #[case::this("where tag has any (this.tag) and not current", &[3, 2, 1], &[2, 2])]
    fn each_condition_leaves_posts(
        #[case] text: &str,
        #[case] posts: &[usize],
        #[case] alone: &[usize],
    ) {
        let small = small();
        let query = Query::parse(&EmbeddedText::command_line(text)).unwrap();
        let this = small.catalogue.find("a", crate::id::LocaleId::SITE);
        let total = small.query(text).run(&small.catalogue, this).total;
        let chain = query.chain(small.scope(), this, total).unwrap();
        let left = chain.links.iter().map(|link| link.posts);
        let left: Vec<usize> = std::iter::once(chain.posts).chain(left).collect();
        assert_eq!(left, posts);
        let own: Vec<usize> = chain.links.iter().map(|link| link.alone).collect();
        assert_eq!(own, alone);
    }
}
