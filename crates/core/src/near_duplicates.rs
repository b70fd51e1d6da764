//! Terms that look like one another and are probably meant to be one: found by what they have in
//! common, never by comparing all pairs.

use std::cmp::Reverse;
use std::hash::{Hash, Hasher};

use rustc_hash::{FxHashMap, FxHasher};
use unicode_segmentation::UnicodeSegmentation;

use crate::id::{PostId, TermId, number};
use crate::language::fold_accents;
use crate::term::Term;
use crate::words::Cutter;

/// A term that is probably another spelling of one that more posts have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NearDuplicate {
    /// The rarer of the two.
    pub term: TermId,
    /// The commoner, which it looks like; of equals the one that is in use for longer.
    pub like: TermId,
    /// The reason why they are near-duplicates.
    pub how: How,
    /// The term that `like` itself is a spelling of, or else `like`: the one to keep.
    pub keep: TermId,
}

/// A reason why two terms are near-duplicates; the surest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum How {
    /// Equal letters, apart from accents, signs and word boundaries.
    Letters,
    /// One slug, so that the pages of both have one address.
    Slug,
    /// Equal words with other endings.
    Endings,
    /// Equal words, apart from endings, in another order.
    Order,
    /// One letter is another, too many, missing or in another's place; in long names two.
    Slip,
}

impl How {
    /// In a few words, after "they differ by".
    #[must_use]
    pub fn about(self) -> &'static str {
        match self {
            How::Letters => "signs, accents or where words part",
            How::Slug => "letters or signs that an address does not keep",
            How::Endings => "an ending",
            How::Order => "the order of their words",
            How::Slip => "a letter or two",
        }
    }
}

/// The length from which names may differ by one letter, in characters.
const ONE_OFF: usize = 5;
/// The length from which names may differ by two letters, in characters.
const TWO_OFF: std::ops::RangeInclusive<usize> = 10..=32;
/// A trace that more terms leave tells nothing of them.
const CROWD: usize = 64;

/// The terms of one field that look like another, those first whose commoner one most posts
/// have. Each is there once, with the term that it is most surely a spelling of. Terms that no
/// listed post has are left out; nested ones are compared with those beside them.
///
/// A slip counts only where the rarer term has two posts at most, or a fifth of the other's, and
/// never in digits, as `2025` and `2026` are two things.
#[must_use]
pub fn near_duplicates(terms: &[Term], language: &str) -> Vec<NearDuplicate> {
    let cutter = Cutter::new(language);
    let used: Vec<Traits> = (0..number(terms.len()))
        .map(TermId)
        .filter(|id| !terms[id.0 as usize].posts.is_empty())
        .map(|id| Traits::of(id, &terms[id.0 as usize], &cutter))
        .collect();
    let mut best: FxHashMap<TermId, (How, usize)> = FxHashMap::default();
    for how in [How::Letters, How::Slug, How::Endings, How::Order, How::Slip] {
        for (a, b) in candidates(&used, how) {
            if how == How::Slip && !is_slip(&used[a], &used[b]) {
                continue;
            }
            let (rarer, commoner) = if used[a].rank() < used[b].rank() {
                (b, a)
            } else {
                (a, b)
            };
            let found = (how, commoner);
            let known = best.entry(used[rarer].id).or_insert(found);
            let order = |(how, at): (How, usize)| (how, used[at].rank());
            if order(found) < order(*known) {
                *known = found;
            }
        }
    }
    let mut found: Vec<(usize, NearDuplicate)> = Vec::new();
    for (at, term) in used.iter().enumerate() {
        let Some((how, like)) = best.get(&term.id).copied() else {
            continue;
        };
        let next = |at: &usize| best.get(&used[*at].id).map(|(_, at)| *at);
        let keep = std::iter::successors(Some(like), next).last();
        let near_duplicate = NearDuplicate {
            term: term.id,
            like: used[like].id,
            how,
            keep: used[keep.unwrap_or(like)].id,
        };
        found.push((at, near_duplicate));
    }
    let rank = |id: TermId| {
        let term = &terms[id.0 as usize];
        (Reverse(term.posts.len()), term.name.as_str())
    };
    found.sort_by_key(|(at, found)| (rank(found.keep), used[*at].rank()));
    found.into_iter().map(|(_, found)| found).collect()
}

/// The properties of a term that are compared.
struct Traits<'a> {
    id: TermId,
    name: &'a str,
    slug: &'a str,
    posts: usize,
    /// The oldest post: the newer the lower.
    oldest: Option<PostId>,
    parent: Option<TermId>,
    /// The name folded, as it is compared letter by letter.
    letters: Vec<char>,
    stems: Vec<String>,
}

impl<'a> Traits<'a> {
    fn of(id: TermId, term: &'a Term, cutter: &Cutter) -> Self {
        let last = match term.parent {
            Some(_) => term.identity.rsplit('/').next().unwrap_or_default(),
            None => &term.identity,
        };
        let words = last.unicode_words();
        Self {
            id,
            name: &term.name,
            slug: &term.slug,
            posts: term.posts.len(),
            oldest: term.posts.last().copied(),
            parent: term.parent,
            letters: last.chars().collect(),
            stems: words.map(|word| cutter.stem_of_any(word)).collect(),
        }
    }

    /// The commonest first, of equals that with the oldest post, then by name.
    fn rank(&self) -> (Reverse<(usize, Option<PostId>)>, &str) {
        (Reverse((self.posts, self.oldest)), self.name)
    }

    /// The hashes that it shares with its near-duplicates.
    fn traces(&self, how: How) -> Vec<u64> {
        match how {
            How::Letters => {
                let name: String = self.letters.iter().collect();
                let plain = fold_accents(&name);
                let kept: String = plain.chars().filter(|c| c.is_alphanumeric()).collect();
                let trace = (!kept.is_empty()).then(|| self.hash(kept));
                trace.into_iter().collect()
            }
            How::Slug if !self.slug.is_empty() => {
                let mut hasher = FxHasher::default();
                (self.parent.map(|id| id.0), self.slug).hash(&mut hasher);
                vec![hasher.finish()]
            }
            How::Endings if !self.stems.is_empty() => vec![self.hash((&self.stems, 'e'))],
            How::Order if self.stems.len() > 1 => {
                let mut sorted = self.stems.clone();
                sorted.sort_unstable();
                vec![self.hash((sorted, 'o'))]
            }
            How::Slip if self.letters.len() + 1 >= ONE_OFF => self.slips(),
            _ => Vec::new(),
        }
    }

    /// The name without each of its letters in turn, and where two may be off without each two:
    /// names that are so far apart leave one trace at least in common. Digits are never left out.
    fn slips(&self) -> Vec<u64> {
        let letters = &self.letters;
        let mut traces = vec![self.hash(letters)];
        let kept = |without: &[usize]| -> Vec<char> {
            let letters = letters.iter().enumerate();
            letters
                .filter(|(at, _)| !without.contains(at))
                .map(|(_, c)| *c)
                .collect()
        };
        let may_go = |at: &usize| !letters[*at].is_numeric();
        let near = TWO_OFF.start() - 2..=TWO_OFF.end() + 2;
        for one in (0..letters.len()).filter(may_go) {
            traces.push(self.hash(kept(&[one])));
            if near.contains(&letters.len()) {
                let others = (one + 1..letters.len()).filter(may_go);
                traces.extend(others.map(|two| self.hash(kept(&[one, two]))));
            }
        }
        traces.sort_unstable();
        traces.dedup();
        traces
    }

    fn hash(&self, of: impl Hash) -> u64 {
        // Such signs are spelt out, and tell names apart: C++ is not C#.
        let signs = self.letters.iter().filter(|c| "+#&@%".contains(**c));
        let signs: String = signs.collect();
        let mut hasher = FxHasher::default();
        (self.parent.map(|id| id.0), signs, of).hash(&mut hasher);
        hasher.finish()
    }
}

/// Pairs that leave a trace in common.
fn candidates(used: &[Traits<'_>], how: How) -> Vec<(usize, usize)> {
    let mut traces: Vec<(u64, usize)> = Vec::new();
    for (at, term) in used.iter().enumerate() {
        traces.extend(term.traces(how).into_iter().map(|trace| (trace, at)));
    }
    traces.sort_unstable();
    let mut pairs = Vec::new();
    for crowd in traces.chunk_by(|a, b| a.0 == b.0) {
        if how == How::Slip && crowd.len() > CROWD {
            continue;
        }
        for (at, (_, a)) in crowd.iter().enumerate() {
            pairs.extend(crowd[at + 1..].iter().map(|(_, b)| (*a, *b)));
        }
    }
    pairs.sort_unstable();
    pairs.dedup();
    pairs
}

/// Returns true if one of two names is probably the other with a slip in it.
fn is_slip(a: &Traits<'_>, b: &Traits<'_>) -> bool {
    let (rarer, commoner) = (a.posts.min(b.posts), a.posts.max(b.posts));
    if rarer > 2 && rarer * 5 > commoner {
        return false;
    }
    let shorter = a.letters.len().min(b.letters.len());
    let far = match shorter {
        short if short < ONE_OFF => return false,
        short if TWO_OFF.contains(&short) => 2,
        _ => 1,
    };
    let text = |traits: &Traits<'_>| traits.letters.iter().collect::<String>();
    let digits = |traits: &Traits<'_>| -> Vec<char> {
        let letters = traits.letters.iter().copied();
        letters.filter(|c| c.is_numeric()).collect()
    };
    digits(a) == digits(b)
        && (shorter > 6 || a.letters.first() == b.letters.first())
        && strsim::osa_distance(&text(a), &text(b)) <= far
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::term::{identity, nested_identity};
    use rstest::rstest;

    fn term(name: &str, posts: usize) -> Term {
        Term {
            name: name.to_owned(),
            slug: String::new(),
            identity: identity(name),
            spellings: Vec::new(),
            posts: (0..number(posts)).map(PostId).collect(),
            parent: None,
            about: None,
            local: Default::default(),
            written: None,
        }
    }

    fn found(terms: &[Term]) -> Vec<(String, String, How)> {
        let name = |id: TermId| terms[id.0 as usize].name.clone();
        let found = near_duplicates(terms, "en").into_iter();
        found
            .map(|found| (name(found.term), name(found.like), found.how))
            .collect()
    }

    #[rstest]
    #[case::ending(("dredge", 2), ("dredging", 14), How::Endings)]
    #[case::plural(("lock", 9), ("locks", 10), How::Endings)]
    #[case::order(("gates lock", 1), ("lock gate", 3), How::Order)]
    #[case::apart(("workparty", 4), ("work party", 5), How::Letters)]
    #[case::accent(("cafe", 1), ("café", 2), How::Letters)]
    #[case::dot(("St. Ann", 1), ("St Ann", 2), How::Letters)]
    #[case::one_letter(("masonary", 1), ("masonry", 7), How::Slip)]
    #[case::swapped(("hreons", 1), ("herons", 7), How::Slip)]
    #[case::two_letters(("voluntears day", 1), ("volunteer's day", 7), How::Slip)]
    #[case::rare_beside_common(("kingfesher", 3), ("kingfisher", 15), How::Slip)]
    #[case::equals_by_name(("hreons", 1), ("herons", 1), How::Slip)]
    fn one_is_probably_the_other(
        #[case] rarer: (&str, usize),
        #[case] commoner: (&str, usize),
        #[case] how: How,
    ) {
        let both = [term(rarer.0, rarer.1), term(commoner.0, commoner.1)];
        let expected = (rarer.0.to_owned(), commoner.0.to_owned(), how);
        assert_eq!(found(&both), [expected]);
    }

    #[test]
    fn terms_with_one_slug_are_probably_one() {
        let of = |name: &str, slug: &str, posts: usize| Term {
            slug: slug.to_owned(),
            ..term(name, posts)
        };
        let terms = [
            of("Æther", "aether", 1),
            of("Aether", "aether", 4),
            of("C", "c", 2),
        ];
        let expected = ("Æther".to_owned(), "Aether".to_owned(), How::Slug);
        assert_eq!(found(&terms), [expected]);
    }

    #[rstest]
    #[case::years(("floods 2025", 1), ("floods 2026", 1))]
    #[case::short(("boat", 1), ("coat", 9))]
    #[case::other_beginning(("house", 1), ("mouse", 9))]
    #[case::both_in_use(("horses", 6), ("houses", 9))]
    #[case::signs(("c++", 1), ("c#", 9))]
    #[case::one_word_more(("lock", 3), ("lock gates", 9))]
    #[case::nobody_uses_it(("dredge", 0), ("dredging", 14))]
    fn two_terms_are_two(#[case] a: (&str, usize), #[case] b: (&str, usize)) {
        assert_eq!(found(&[term(a.0, a.1), term(b.0, b.1)]), []);
    }

    #[test]
    fn of_equals_the_older_is_kept() {
        let of = |name: &str, post: u32| Term {
            posts: vec![PostId(post)],
            ..term(name, 1)
        };
        let terms = [of("gate locks", 3), of("lock gates", 9)];
        let kept = near_duplicates(&terms, "en")[0].keep;
        assert_eq!(kept, TermId(1));
    }

    #[test]
    fn of_a_chain_the_commonest_is_kept() {
        let terms = [
            term("dredge", 2),
            term("dredging", 14),
            term("dredgin", 1),
            term("lime", 3),
        ];
        let found = near_duplicates(&terms, "en");
        let keeps: Vec<_> = found
            .iter()
            .map(|found| (found.term.0, found.keep.0))
            .collect();
        assert_eq!(keeps, [(0, 1), (2, 1)]);
    }

    #[test]
    fn nested_terms_are_compared_with_those_beside_them() {
        let nested = |name: &str, parent: u32| Term {
            identity: nested_identity(name),
            parent: Some(TermId(parent)),
            ..term(name, 3)
        };
        let terms = [
            term("Waterway", 9),
            term("Boats", 9),
            nested("Waterway/Lock", 0),
            nested("Waterway/Locks", 0),
            nested("Boats/Locks", 1),
        ];
        let names: Vec<_> = found(&terms).into_iter().map(|found| found.0).collect();
        assert_eq!(names, ["Waterway/Locks"]);
    }

    /// The slow way: every pair, by the distance alone.
    fn slips_of_all_pairs(terms: &[Term]) -> Vec<(usize, usize)> {
        let cutter = Cutter::new("en");
        let traits = |at: usize| Traits::of(TermId(number(at)), &terms[at], &cutter);
        let mut pairs = Vec::new();
        for a in 0..terms.len() {
            for b in a + 1..terms.len() {
                if is_slip(&traits(a), &traits(b)) {
                    pairs.push((a, b));
                }
            }
        }
        pairs
    }

    proptest::proptest! {
        #[test]
        fn no_slip_is_overlooked(names in proptest::collection::vec("[abc]{3,13}", 2..20)) {
            let terms: Vec<Term> = names.iter().map(|name| term(name, 1)).collect();
            let cutter = Cutter::new("en");
            let used: Vec<_> = (0..terms.len())
                .map(|at| Traits::of(TermId(number(at)), &terms[at], &cutter))
                .collect();
            let mut found = candidates(&used, How::Slip);
            found.retain(|(a, b)| is_slip(&used[*a], &used[*b]));
            proptest::prop_assert_eq!(found, slips_of_all_pairs(&terms));
        }
    }
}
