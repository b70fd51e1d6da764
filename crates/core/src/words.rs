//! The words of titles and texts: cut by Unicode's word boundaries (UAX 29), without regard to
//! case, without stop words, stemmed (Snowball) where the language has a stemmer.

mod count;
mod cut;
pub mod stop_words;

use std::fmt;
use std::sync::Arc;

use indexmap::IndexSet;
use rustc_hash::{FxBuildHasher, FxHashMap};
use tabulae_similarity::{CountMatrix, Term};

pub use self::count::Counting;
use self::count::{Counter, STOP, is_of};
pub(crate) use self::cut::Cutter;
use crate::id::{CountedBy, number};
use crate::parallel;
use crate::post::Post;

/// The words of one text of every post.
#[derive(Debug, Default)]
pub struct WordTable {
    stems: IndexSet<Box<str>, FxBuildHasher>,
    /// The stems of each post with their counts.
    pub counts: Arc<CountMatrix>,
}

/// The words of titles and of texts.
#[derive(Debug, Default)]
pub struct WordTables {
    /// Of the titles.
    pub title: WordTable,
    /// Of the texts.
    pub body: WordTable,
}

/// The words of texts that were counted before.
#[derive(Default)]
pub struct KnownWords {
    /// The counts of the texts that were read in this build.
    pub counted: Counting,
    /// The stems of the counts of `of`, by number.
    pub stems: Vec<Box<str>>,
    /// Returns the stems of a post's text with their counts; `None` if they are not known.
    pub of: Option<CountsOf>,
}

/// Gives how often a post's text has which stem, by the number of the stem.
pub type CountsOf = Box<dyn Fn(&Post) -> Option<Vec<(u32, u32)>> + Send + Sync>;

impl fmt::Debug for KnownWords {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "KnownWords of {} stems", self.stems.len())
    }
}

impl WordTables {
    /// Counts the words of all posts, in parallel, those aside that are known. Stems are numbered
    /// by how many posts have them, the commonest first, so that what is looked up most lies
    /// side by side; of equals by their alphabet, so that the numbers depend on nothing else.
    #[must_use]
    pub fn new(posts: &[Post], language: &str, known: &KnownWords) -> Self {
        let title = |post: &Post, counter: &mut Counter| counter.count(&post.title);
        let body =
            |post: &Post, counter: &mut Counter| match known.of.as_ref().and_then(|of| of(post)) {
                Some(counts) => counter.take(&counts, &known.stems),
                None => counter.count(&crate::html::text(&post.html.get())),
            };
        Self {
            title: WordTable::new(posts, language, Vec::new(), title),
            body: WordTable::new(posts, language, known.counted.take(), body),
        }
    }
}

impl WordTable {
    /// The words of posts, those aside that were `counted` already.
    fn new(
        posts: &[Post],
        language: &str,
        counted: Vec<Counter>,
        count: impl Fn(&Post, &mut Counter) + Sync,
    ) -> Self {
        let by = |post: &Post| post.counted.filter(|by| is_of(*by, &counted));
        let others: Vec<&Post> = posts.iter().filter(|post| by(post).is_none()).collect();
        let others = parallel::parts(&others, |part| {
            let mut counter = Counter::new(language);
            part.iter().for_each(|post| count(post, &mut counter));
            counter
        });
        let each = {
            let mut next = (number(counted.len())..)
                .zip(&others)
                .flat_map(|(at, counter)| counter.texts(at));
            let each = posts.iter().map(|post| by(post).or_else(|| next.next()));
            each.collect::<Vec<Option<CountedBy>>>()
        };
        let counters: Vec<Counter> = counted.into_iter().chain(others).collect();
        let stems = in_order(&counters);
        let renumbered: Vec<Counter> = parallel::each(counters, |counter| {
            let own = counter.stems.iter();
            let numbers = own.map(|stem| stems.get_index_of(stem).map_or(STOP, number));
            let numbers: Vec<u32> = numbers.collect();
            counter.renumbered(&numbers)
        });
        let entries = renumbered.iter().map(|counter| counter.words.len()).sum();
        let mut counts = CountMatrix::with_capacity(entries);
        for by in each.into_iter().flatten() {
            let words = renumbered[by.counter as usize].words_of(by.text);
            counts.push(words.iter().map(|(stem, count)| (Term(*stem), *count)));
        }
        Self {
            stems,
            counts: Arc::new(counts),
        }
    }

    /// The stem of this number.
    #[must_use]
    pub fn stem(&self, number: u32) -> &str {
        &self.stems[number as usize]
    }

    /// Returns the number of a stem; `None` if no text has it.
    #[must_use]
    pub fn number(&self, stem: &str) -> Option<u32> {
        self.stems.get_index_of(stem).map(number)
    }

    /// All stems, by number.
    pub fn stems(&self) -> impl Iterator<Item = &str> {
        self.stems.iter().map(|stem| &**stem)
    }
}

/// The stems of all chunks, those that most posts have first.
fn in_order(chunks: &[Counter]) -> IndexSet<Box<str>, FxBuildHasher> {
    let mut posts: FxHashMap<&str, u32> = FxHashMap::default();
    for chunk in chunks {
        let mut own = vec![0; chunk.stems.len()];
        chunk
            .words
            .iter()
            .for_each(|(stem, _)| own[*stem as usize] += 1);
        for (stem, count) in chunk.stems.iter().zip(own) {
            *posts.entry(stem).or_default() += count;
        }
    }
    let stems = posts.into_iter().filter(|(_, posts)| *posts > 0);
    let mut stems: Vec<(&str, u32)> = stems.collect();
    stems.sort_unstable_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(b.0)));
    stems.into_iter().map(|(stem, _)| stem.into()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::Small;
    use proptest::prelude::*;
    use tabulae_similarity::Doc;

    proptest! {
        #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

        #[test]
        fn words_that_were_counted_while_posts_were_read_are_the_same(
            posts in prop::collection::vec(("[a-c]{1,2}( [a-c]{1,2}){0,4}", any::<bool>()), 1..6),
        ) {
            let paths: Vec<String> = (0..posts.len()).map(|at| format!("posts/{at}.md")).collect();
            let small = paths.iter().zip(&posts).map(|(path, (text, _))| (&**path, "title: T\ndate: 2026-01-01", &**text));
            let small = Small::new("", &small.collect::<Vec<_>>());
            let read: Vec<Post> = small
                .catalogue
                .all()
                .map(|id| small.catalogue.post(id).clone())
                .collect();
            let plain = WordTables::new(&read, "en", &KnownWords::default());
            let counting = Counting::new("en");
            let counted = |mut post: Post| {
                let (_, is_counted) = posts[post.path[6..7].parse::<usize>().unwrap()];
                post.counted = is_counted.then(|| counting.count(&post.html.get()));
                post
            };
            let counted: Vec<Post> = read.into_iter().map(counted).collect();
            let known = KnownWords { counted: counting, ..KnownWords::default() };
            let tables = WordTables::new(&counted, "en", &known);
            prop_assert!(tables.body.stems().eq(plain.body.stems()));
            for at in 0..number(counted.len()) {
                let words = |tables: &WordTables| tables.body.counts.row(Doc(at)).iter().collect::<Vec<_>>();
                prop_assert_eq!(words(&tables), words(&plain));
            }
        }
    }
}
