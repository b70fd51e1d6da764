//! The words of titles and texts. For similarity: cut by Unicode's word boundaries (UAX 29), without regard to
//! case, without stop words, stemmed (Snowball) where the language has a stemmer. For the search page: all words,
//! without regard to case and accents.

mod count;
mod cut;
mod folded;
pub mod stop_words;

use std::fmt;
use std::sync::Arc;

use indexmap::IndexSet;
use rustc_hash::{FxBuildHasher, FxHashMap};
use tabulae_similarity::{CountMatrix, Doc, Term};

use self::count::{Counter, KNOWN, STOP, is_of};
pub use self::count::{Counting, Occurrence, WordRule};
pub(crate) use self::cut::Cutter;
pub(crate) use self::folded::each_run;
pub use self::folded::fold_word;
use crate::id::{CountedBy, PostId, number};
use crate::parallel;
use crate::post::Post;

/// The words of one text of every post.
#[derive(Debug, Default)]
pub struct WordTable {
    stems: IndexSet<Box<str>, FxBuildHasher>,
    /// The stems of each post with their counts.
    pub counts: Arc<CountMatrix>,
}

/// The stems of titles and of texts.
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

/// The words of texts that were counted before, by the rules for stems and for folded words.
#[derive(Debug, Default)]
pub struct KnownTexts {
    /// The stems.
    pub stems: KnownWords,
    /// The folded words.
    pub folded: KnownWords,
}

/// Returns the number of the rule of a post's text.
type RuleOf<'a> = &'a dyn Fn(&Post) -> usize;

/// Returns the counter that counted a post's text.
type CounterOf<'a> = &'a dyn Fn(&Post) -> Option<CountedBy>;

/// Gives how often a post's text has which stem, by the number of the stem.
pub type CountsOf = Box<dyn Fn(&Post) -> Option<Vec<(u32, u32)>> + Send + Sync>;

impl fmt::Debug for KnownWords {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "KnownWords of {} stems", self.stems.len())
    }
}

impl WordTables {
    /// Counts the stems of all posts, each by the rule of its language (of `languages`, by number), in parallel,
    /// those aside that are known.
    #[must_use]
    pub fn new(posts: &[Arc<Post>], languages: &[&str], known: &KnownWords) -> Self {
        let rules = languages
            .iter()
            .map(|tag| WordRule::Stems((*tag).to_owned()));
        let rules: Vec<WordRule> = rules.collect();
        let rule = |post: &Post| post.locale.at();
        let title = |post: &Post, counter: &mut Counter| counter.count(&post.title);
        let none = |_: &Post| None;
        Self {
            title: WordTable::new(posts, (&rules, &rule), (Vec::new(), &none), &[], title),
            body: WordTable::of_texts(posts, (&rules, &rule), &|post| post.counted.stems, known),
        }
    }
}

impl WordTable {
    /// Counts the folded words of the texts of all posts, in parallel, those aside that are known.
    #[must_use]
    pub fn folded(posts: &[Arc<Post>], known: &KnownWords) -> Self {
        let rules = [WordRule::Folded];
        Self::of_texts(posts, (&rules, &|_| 0), &|post| post.counted.folded, known)
    }

    fn of_texts(
        posts: &[Arc<Post>],
        rules: (&[WordRule], RuleOf<'_>),
        counted: CounterOf<'_>,
        known: &KnownWords,
    ) -> Self {
        let stems = known.stems.len();
        let is_known = |(stem, _): &(u32, u32)| (*stem as usize) < stems;
        let body = |post: &Post, counter: &mut Counter| {
            let counts = known.of.as_ref().and_then(|of| of(post));
            match counts.filter(|counts| counts.iter().all(is_known)) {
                Some(counts) => counter.take(&counts),
                None => counter.count(&post.html.text()),
            }
        };
        Self::new(
            posts,
            rules,
            (known.counted.take(), counted),
            &known.stems,
            body,
        )
    }

    /// Counts the words of posts, those aside that were `counted` already. `known` are the stems by whose numbers
    /// counts are taken over. Stems are numbered by how many posts have them, the commonest first, so that what is
    /// looked up most lies side by side; of equals by their alphabet, so that the numbers depend on nothing else.
    fn new(
        posts: &[Arc<Post>],
        (rules, rule_of): (&[WordRule], RuleOf<'_>),
        (counted, counted_by): (Vec<Counter>, CounterOf<'_>),
        known: &[Box<str>],
        count: impl Fn(&Post, &mut Counter) + Sync,
    ) -> Self {
        let by = |post: &Post| counted_by(post).filter(|by| is_of(*by, &counted));
        let mut each: Vec<Option<CountedBy>> = posts.iter().map(|post| by(post)).collect();
        let mut counters = counted;
        for (at, rule) in rules.iter().enumerate() {
            let others = (0..posts.len()).filter(|post| each[*post].is_none());
            let others = others.filter(|post| rule_of(&posts[*post]) == at);
            let others: Vec<usize> = others.collect();
            let new = parallel::parts(&others, |part| {
                let mut counter = Counter::new(rule);
                part.iter()
                    .for_each(|post| count(&posts[*post], &mut counter));
                counter
            });
            let texts = (number(counters.len())..).zip(&new);
            let texts = texts.flat_map(|(at, counter)| counter.texts(at));
            for (post, text) in others.into_iter().zip(texts) {
                each[post] = Some(text);
            }
            counters.extend(new);
        }
        let (stems, known) = in_order(&counters, known);
        let renumbered: Vec<Counter> = parallel::each(counters, |counter| {
            let own = counter.stems.iter();
            let own = own.map(|stem| stems.get_index_of(stem).map_or(STOP, number));
            let own: Vec<u32> = own.collect();
            counter.renumbered(&own, &known)
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

    /// Returns the words of all posts but one, whose text changed, so that the others need not be counted again.
    pub(crate) fn known_but(&self, changed: PostId, posts: &[Arc<Post>]) -> KnownWords {
        let others = posts
            .iter()
            .zip(0..)
            .filter(|(_, at)| PostId(*at) != changed);
        let others = others.map(|(post, at)| (post.path.clone(), Doc(at)));
        let others: FxHashMap<String, Doc> = others.collect();
        let counts = Arc::clone(&self.counts);
        KnownWords {
            counted: Counting::default(),
            stems: self.stems.iter().cloned().collect(),
            of: Some(Box::new(move |post| {
                let row = counts.row(*others.get(&post.path)?);
                Some(
                    row.iter()
                        .map(|(stem, count)| (stem.0, count.into()))
                        .collect(),
                )
            })),
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

/// Returns the stems of all counters, those that most posts have first, and by the number of each stem that was
/// known before its number among them.
fn in_order(
    counters: &[Counter],
    known: &[Box<str>],
) -> (IndexSet<Box<str>, FxBuildHasher>, Vec<u32>) {
    let mut posts_of_known = vec![0u32; known.len()];
    let mut posts_of_own: FxHashMap<&str, u32> = FxHashMap::default();
    for counter in counters {
        let mut own = vec![0; counter.stems.len()];
        for (stem, _) in &counter.words {
            match stem & KNOWN {
                0 => own[*stem as usize] += 1,
                _ => posts_of_known[(stem & !KNOWN) as usize] += 1,
            }
        }
        let own = counter
            .stems
            .iter()
            .zip(own)
            .filter(|(_, posts)| *posts > 0);
        for (stem, posts) in own {
            *posts_of_own.entry(stem).or_default() += posts;
        }
    }
    // A stem that was known before may be counted again.
    let known = known.iter().zip(posts_of_known).zip(0..);
    let mut stems: Vec<(&str, u32, Option<u32>)> = known
        .map(|((stem, posts), at)| {
            let again = posts_of_own.remove(&**stem).unwrap_or_default();
            (&**stem, posts + again, Some(at))
        })
        .collect();
    let mut numbers = vec![STOP; stems.len()];
    stems.extend(
        posts_of_own
            .into_iter()
            .map(|(stem, posts)| (stem, posts, None)),
    );
    stems.retain(|(_, posts, _)| *posts > 0);
    // Stable, as that is fast for what is nearly in order.
    stems.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(b.0)));
    for ((.., at), number) in stems.iter().zip(0..) {
        if let Some(at) = at {
            numbers[*at as usize] = number;
        }
    }
    let stems = stems.into_iter().map(|(stem, ..)| stem.into());
    (stems.collect(), numbers)
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;
    use crate::testing::Small;
    use proptest::prelude::*;
    use tabulae_similarity::Doc;

    /// Posts with these texts, each in the file of its number.
    fn read(texts: &[(String, bool)]) -> Vec<Arc<Post>> {
        let paths: Vec<String> = (0..texts.len())
            .map(|at| format!("posts/{at}.md"))
            .collect();
        let front = "title: T\ndate: 2026-01-01";
        let files = paths.iter().zip(texts);
        let files = files.map(|(path, (text, _))| (&**path, front, &**text));
        let small = Small::new("", &files.collect::<Vec<_>>());
        let ids = small.catalogue.all();
        ids.map(|id| Arc::new(small.catalogue.post(id).clone()))
            .collect()
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

        #[test]
        fn words_that_were_counted_while_posts_were_read_are_the_same(
            posts in prop::collection::vec(("[a-c]{1,2}( [a-c]{1,2}){0,4}", any::<bool>()), 1..6),
        ) {
            let read = read(&posts);
            let plain = WordTables::new(&read, &["en"], &KnownWords::default());
            let counting = Counting::new(vec![WordRule::Stems("en".to_owned())]);
            let counted = |post: Arc<Post>| {
                let mut post = Arc::unwrap_or_clone(post);
                let (_, is_counted) = posts[post.path[6..7].parse::<usize>().unwrap()];
                post.counted.stems = is_counted.then(|| counting.count(&post.html.text(), 0));
                Arc::new(post)
            };
            let counted: Vec<Arc<Post>> = read.into_iter().map(counted).collect();
            let known = KnownWords { counted: counting, ..KnownWords::default() };
            let tables = WordTables::new(&counted, &["en"], &known);
            prop_assert!(tables.body.stems().eq(plain.body.stems()));
            for at in 0..number(counted.len()) {
                let words = |tables: &WordTables| tables.body.counts.row(Doc(at)).iter().collect::<Vec<_>>();
                prop_assert_eq!(words(&tables), words(&plain));
            }
        }

        /// Some posts have the counts of an earlier build, by its stems, of which some are not in use any more.
        #[test]
        fn words_that_were_known_before_are_the_same(
            posts in prop::collection::vec(("[a-c]{1,2}( [a-c]{1,2}){0,4}", any::<bool>()), 1..6),
            before in prop::collection::vec("[a-d]{1,2}", 0..9),
        ) {
            let read = read(&posts);
            let plain = WordTables::new(&read, &["en"], &KnownWords::default());
            let rows: BTreeMap<String, Vec<(String, u32)>> = read
                .iter()
                .zip((0..).map(Doc))
                .filter(|(post, _)| posts[post.path[6..7].parse::<usize>().unwrap()].1)
                .map(|(post, doc)| {
                    let row = plain.body.counts.row(doc).iter();
                    let row = row.map(|(stem, count)| (plain.body.stem(stem.0).to_owned(), u32::from(count)));
                    (post.path.to_string(), row.collect())
                })
                .collect();
            let known = before.into_iter().chain(rows.values().flatten().map(|(stem, _)| stem.clone()));
            let stems: IndexSet<Box<str>> = known.map(Into::into).collect();
            let numbers = stems.clone();
            let known = KnownWords {
                stems: stems.into_iter().collect(),
                of: Some(Box::new(move |post: &Post| {
                    let row = rows.get(&*post.path)?.iter();
                    Some(row.map(|(stem, count)| (number(numbers.get_index_of(&**stem).unwrap()), *count)).collect())
                })),
                ..KnownWords::default()
            };
            let tables = WordTables::new(&read, &["en"], &known);
            prop_assert!(tables.body.stems().eq(plain.body.stems()));
            for at in 0..number(read.len()) {
                let words = |tables: &WordTables| tables.body.counts.row(Doc(at)).iter().collect::<Vec<_>>();
                prop_assert_eq!(words(&tables), words(&plain));
            }
        }
    }

    /// "Walls" and "Mauern" are stemmed by the rules of their languages (Snowball); "die" is a stop word in German
    /// only.
    #[test]
    fn each_post_is_counted_in_its_language() {
        let text = "walls mauern die";
        let posts = [
            ("posts/a.md", "title: T\ndate: 2026-01-02", text),
            ("posts/b.de.md", "title: T\ndate: 2026-01-01", text),
        ];
        let small = Small::new("[locale.de]\n", &posts);
        let words = |counts: &CountMatrix, post: u32, table: &WordTable| {
            let row = counts.row(Doc(post)).iter();
            let mut stems: Vec<String> =
                row.map(|(stem, _)| table.stem(stem.0).to_owned()).collect();
            stems.sort();
            stems
        };
        let body = &small.catalogue.words().body;
        let expected = [vec!["die", "mauern", "wall"], vec!["mau", "wall"]];
        let stems = [0, 1].map(|post| words(&body.counts, post, body));
        assert_eq!(stems, expected);
        // The same while posts are read.
        let counting = Counting::new(
            ["en", "de"]
                .map(|tag| WordRule::Stems(tag.to_owned()))
                .into(),
        );
        let mut posts: Vec<Arc<Post>> = small
            .catalogue
            .all()
            .map(|id| Arc::new(small.catalogue.post(id).clone()))
            .collect();
        for post in posts.iter_mut().filter_map(Arc::get_mut) {
            let text = post.html.text();
            post.counted.stems = Some(counting.count(&text, post.locale.at()));
        }
        let known = KnownWords {
            counted: counting,
            ..KnownWords::default()
        };
        let tables = WordTables::new(&posts, &["en", "de"], &known);
        let stems = [0, 1].map(|post| words(&tables.body.counts, post, &tables.body));
        assert_eq!(stems, expected);
    }
}
