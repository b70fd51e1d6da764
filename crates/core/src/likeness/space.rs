//! One aspect of all posts as sparse vectors: their components, cosines, and the lists of who has
//! what.

use std::ops::Range;
use std::sync::{Arc, LazyLock};

use super::classes::Classes;
use super::packed::Packed;
use super::{Aspect, Weighed};
use crate::catalogue::{Catalogue, PostId};
use crate::id::number;
use crate::parallel;
use crate::words::{Counted, Counts};

/// One aspect of all posts: sparse vectors.
#[derive(Debug)]
pub(super) struct Space {
    pub(super) weighed: Weighed,
    /// Each post's features, with how often it has them.
    counts: Arc<Counts>,
    /// ln(1 + N/df) by feature.
    pub(super) idf: Vec<f64>,
    /// The length of each post's vector; 0 where it has no features.
    norms: Vec<f64>,
    /// By term the classes that have it, with its component in the vector of length 1.
    pub(super) lists: Lists,
    /// By word the same of posts by their places, section by section.
    pub(super) words: Vec<Packed>,
    /// Words with lower numbers have no list: many posts have them, and they tell little.
    common: u32,
}

/// What a post has of the common words in one aspect.
pub(super) struct HasCommon<W> {
    /// Their numbers, which rise, and how often it has each.
    pub(super) words: W,
    /// The length of their part in the vector of length 1.
    pub(super) norm: f32,
    /// The length of the post's whole vector; 0 where it has no words.
    pub(super) whole: f64,
    /// What tells which other words it may have.
    pub(super) mark: u64,
}

/// Lists of classes by term, one behind the other.
#[derive(Debug, Default)]
pub(super) struct Lists {
    starts: Vec<u32>,
    entries: Vec<(u32, f32)>,
}

impl Lists {
    pub(super) fn of(&self, feature: u32) -> &[(u32, f32)] {
        let feature = feature as usize;
        &self.entries[self.starts[feature] as usize..self.starts[feature + 1] as usize]
    }

    /// The part of the list that is about some of the classes.
    pub(super) fn among(&self, feature: u32, classes: &Range<u32>) -> &[(u32, f32)] {
        let list = self.of(feature);
        let start = list.partition_point(|(class, _)| *class < classes.start);
        let end = list.partition_point(|(class, _)| *class < classes.end);
        &list[start..end]
    }
}

/// 1 + ln(count), the frequency of a word in a text, for small counts.
pub(super) static FREQUENCIES: LazyLock<[f64; 256]> = LazyLock::new(|| {
    let mut frequencies = [0.0; 256];
    for (count, frequency) in (0u32..).zip(&mut frequencies) {
        *frequency = frequency_of(count.max(1));
    }
    frequencies
});

/// The same of any count.
fn frequency(count: u32) -> f64 {
    let known = FREQUENCIES.get(count as usize).copied();
    known.unwrap_or_else(|| frequency_of(count))
}

fn frequency_of(count: u32) -> f64 {
    1.0 + f64::from(count).ln()
}

impl Space {
    /// One aspect, where for a post no more than so many `entries` of lists of words are walked.
    pub(super) fn new(
        catalogue: &Catalogue,
        weighed: Weighed,
        found: &[PostId],
        entries: usize,
    ) -> Self {
        let counts = match weighed.aspect {
            Aspect::Terms(field) => Arc::new(terms(catalogue, field)),
            Aspect::Title => Arc::clone(&catalogue.words().title.counts),
            Aspect::Body => Arc::clone(&catalogue.words().body.counts),
        };
        let mut df = vec![0u32; counts.kinds()];
        for id in found {
            for feature in counts.of(id.0 as usize).numbers {
                df[*feature as usize] += 1;
            }
        }
        let n = f64::from(number(found.len()));
        let idf = df.iter().map(|df| (n / f64::from((*df).max(1))).ln_1p());
        let mut space = Self {
            weighed,
            counts,
            idf: idf.collect(),
            norms: Vec::new(),
            lists: Lists::default(),
            words: Vec::new(),
            common: 0,
        };
        if !space.of_terms() {
            space.common = common(&df, found.len() * entries);
        }
        let posts: Vec<PostId> = catalogue.all().collect();
        space.norms = parallel::map(&posts, |id| space.norm(*id));
        space
    }

    /// Whether what is shared are terms, not words.
    pub(super) fn of_terms(&self) -> bool {
        matches!(self.weighed.aspect, Aspect::Terms(_))
    }

    /// The features of a post with their counts.
    pub(super) fn of(&self, id: PostId) -> Counted<'_> {
        self.counts.of(id.0 as usize)
    }

    fn component(&self, feature: u32, count: u32) -> f64 {
        frequency(count) * self.idf[feature as usize]
    }

    /// The cosine in terms with the post whose weights are laid out, as exact as single precision
    /// is; 0 just where nothing is shared.
    pub(super) fn roughly(&self, weights: &[f32], other: PostId) -> f64 {
        let norm = self.norms[other.0 as usize];
        let terms = self.of(other).numbers.iter();
        let dot: f32 = terms.map(|term| weights[*term as usize]).sum();
        if norm > 0.0 {
            f64::from(dot) / norm
        } else {
            0.0
        }
    }

    /// What the words that have lists add to the cosine with the post whose weights are laid out, as
    /// exact as single precision is.
    pub(super) fn roughly_listed(&self, weights: &[f32], other: PostId) -> f64 {
        let norm = self.norms[other.0 as usize];
        let of = self.of(other);
        let listed = self.common_words(other)..of.numbers.len();
        let products = listed.map(|at| {
            let weight = weights[of.numbers[at] as usize];
            if weight > 0.0 {
                weight * rough(frequency(of.count(at)))
            } else {
                0.0
            }
        });
        let dot: f32 = products.sum();
        if norm > 0.0 {
            f64::from(dot) / norm
        } else {
            0.0
        }
    }

    /// The length of a post's vector; 0 where it has no features.
    pub(super) fn norm_of(&self, id: PostId) -> f64 {
        self.norms[id.0 as usize]
    }

    fn norm(&self, id: PostId) -> f64 {
        let squares = self
            .of(id)
            .iter()
            .map(|(feature, count)| self.component(feature, count).powi(2));
        squares.sum::<f64>().sqrt()
    }

    /// What a post has of the common words, which are the first that it has.
    pub(super) fn common_of(&self, id: PostId) -> HasCommon<impl Iterator<Item = (u32, u32)>> {
        let squares = self
            .compared_unit(id)
            .map(|(_, component)| component.powi(2));
        HasCommon {
            words: self.of(id).iter().take(self.common_words(id)),
            norm: rough(squares.sum::<f64>().sqrt()),
            whole: self.norms[id.0 as usize],
            mark: self.mark(id),
        }
    }

    /// A bit for each word that has a list and that a post has, the same for some others, too.
    pub(super) fn mark(&self, id: PostId) -> u64 {
        let words = &self.of(id).numbers[self.common_words(id)..];
        // The first digits of a product with a large odd number are as good as any.
        let bits = words
            .iter()
            .map(|word| 1 << (word.wrapping_mul(0x9e37_79b1) >> 26));
        bits.fold(0, |mark, bit: u64| mark | bit)
    }

    /// How many common words a post has.
    fn common_words(&self, id: PostId) -> usize {
        let features = self.of(id).numbers;
        features.partition_point(|feature| *feature < self.common)
    }

    /// How many of a post's features, the first, are compared one by one: all terms, and common
    /// words.
    pub(super) fn compared_length(&self, id: PostId) -> usize {
        if self.of_terms() {
            self.of(id).numbers.len()
        } else {
            self.common_words(id)
        }
    }

    /// These features with their components in the post's vector of length 1.
    pub(super) fn compared_unit(&self, id: PostId) -> impl Iterator<Item = (u32, f64)> {
        self.unit(id, 0..self.compared_length(id))
    }

    /// What a post has that has lists, which common words do not, with its components in the vector
    /// of length 1.
    pub(super) fn listed(&self, id: PostId) -> impl ExactSizeIterator<Item = (u32, f64)> {
        self.unit(id, self.common_words(id)..self.of(id).numbers.len())
    }

    /// Some components of a post's vector of length 1.
    fn unit(
        &self,
        id: PostId,
        features: Range<usize>,
    ) -> impl ExactSizeIterator<Item = (u32, f64)> {
        let norm = self.norms[id.0 as usize];
        let of = self.of(id);
        features.map(move |at| {
            let feature = of.numbers[at];
            (feature, self.component(feature, of.count(at)) / norm)
        })
    }

    /// The cosine of two posts' vectors, 0 to 1; 0 where one has none.
    pub(super) fn cosine(&self, a: PostId, b: PostId) -> f64 {
        let norms = self.norms[a.0 as usize] * self.norms[b.0 as usize];
        if norms <= 0.0 {
            return 0.0;
        }
        let mut dot = 0.0;
        self.both(a, b, |feature, of_a, of_b| {
            dot += self.component(feature, of_a) * self.component(feature, of_b);
        });
        dot / norms
    }

    /// The same with the post whose components are laid out: to the last digit, as the same products
    /// are added up in the same order, and nothing for what is not shared.
    pub(super) fn cosine_laid(&self, components: &[f64], a: PostId, b: PostId) -> f64 {
        let norms = self.norms[a.0 as usize] * self.norms[b.0 as usize];
        if norms <= 0.0 {
            return 0.0;
        }
        let of = self.of(b).iter();
        let products = of
            .map(|(feature, count)| components[feature as usize] * self.component(feature, count));
        products.fold(0.0, |dot, product| dot + product) / norms
    }

    /// What a post has, with its components in a vector that is not of length 1.
    pub(super) fn components(&self, id: PostId) -> impl Iterator<Item = (u32, f64)> {
        let of = self.of(id).iter();
        of.map(|(feature, count)| (feature, self.component(feature, count)))
    }

    /// Hands on what both posts have, with both counts, in rising order.
    fn both(&self, a: PostId, b: PostId, mut see: impl FnMut(u32, u32, u32)) {
        let (of_a, of_b) = (self.of(a), self.of(b));
        let (mut left, mut right) = (0, 0);
        while let (Some(x), Some(y)) = (of_a.numbers.get(left), of_b.numbers.get(right)) {
            if x == y {
                see(*x, of_a.count(left), of_b.count(right));
            }
            left += usize::from(x <= y);
            right += usize::from(y <= x);
        }
    }

    /// What both posts have, that which counts most first.
    pub(super) fn shared(&self, a: PostId, b: PostId) -> Vec<u32> {
        let mut shared = Vec::new();
        self.both(a, b, |feature, of_a, of_b| {
            shared.push((
                self.component(feature, of_a) * self.component(feature, of_b),
                feature,
            ));
        });
        shared.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        shared.into_iter().map(|(_, feature)| feature).collect()
    }

    /// The lists of words that are about any of some places, with the section of each.
    pub(super) fn words_about(
        &self,
        places: &Range<u32>,
    ) -> impl Iterator<Item = (Range<u32>, &Packed)> {
        let sections = self.words.iter().map(|lists| (lists.places(), lists));
        sections.filter(|(section, _)| section.start < places.end && places.start < section.end)
    }

    /// Makes the lists, those of words for each section of the places.
    pub(super) fn list(&mut self, classes: &Classes, sections: &[Range<u32>]) {
        if self.of_terms() {
            self.lists = self.lists(classes.firsts());
            return;
        }
        let posts = classes.all();
        let listed = |place: u32| self.listed(posts[place as usize]);
        let words = self.idf.len();
        self.words = parallel::each(sections.to_vec(), |places| {
            Packed::new(words, places, listed)
        });
    }

    /// By term the classes that have it, each known by its first post.
    fn lists(&self, firsts: impl Iterator<Item = PostId> + Clone) -> Lists {
        let mut starts = vec![0u32; self.idf.len() + 1];
        for post in firsts.clone() {
            for term in self.of(post).numbers {
                starts[*term as usize + 1] += 1;
            }
        }
        for at in 1..starts.len() {
            starts[at] += starts[at - 1];
        }
        let mut next = starts.clone();
        let mut entries = vec![(0, 0.0); starts.last().map_or(0, |end| *end as usize)];
        for (class, post) in (0..).zip(firsts) {
            for (term, component) in self.listed(post) {
                let at = &mut next[term as usize];
                entries[*at as usize] = (class, rough(component));
                *at += 1;
            }
        }
        Lists { starts, entries }
    }
}

/// How many of the first words have no list, so that no more than `most` entries of lists are
/// walked for all posts. Words are numbered by falling frequency.
fn common(df: &[u32], most: usize) -> u32 {
    let mut entries = 0;
    let listed = df.iter().rev().take_while(|df| {
        // Each of the posts that have it walks as many.
        entries += u64::from(**df).pow(2);
        entries <= most as u64
    });
    number(df.len() - listed.count())
}

/// In single precision, which is enough to narrow a search.
#[expect(clippy::cast_possible_truncation, reason = "that is its purpose")]
pub(super) fn rough(exact: f64) -> f32 {
    exact as f32
}

/// The terms of each post.
fn terms(catalogue: &Catalogue, field: usize) -> Counts {
    let mut counts = Counts::default();
    for id in catalogue.all() {
        let mut terms: Vec<u32> = catalogue
            .terms_of(id, field)
            .iter()
            .map(|id| id.0)
            .collect();
        terms.sort_unstable();
        counts.push(terms.into_iter().map(|term| (term, 1)));
    }
    counts
}
