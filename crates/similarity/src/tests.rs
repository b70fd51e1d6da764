//! Hand calculations, and the search against the definition.

use std::collections::BTreeSet;

use std::sync::Arc;

use proptest::collection::vec;
use proptest::prelude::*;
use rstest::rstest;

use crate::brute_force::BruteForce;
use crate::drift::{COMPARED, SPARE};
use crate::{
    BoundedHits, CountMatrix, Doc, Edited, Field, Hit, Index, Score, Search, Term, Tuning,
};

/// A field of documents given as terms with counts.
fn field(rows: &[Vec<(u32, u32)>], weight: f64) -> Field {
    let mut counts = CountMatrix::default();
    for row in rows {
        counts.push(row.iter().map(|(term, count)| (Term(*term), *count)));
    }
    Field {
        counts: Arc::new(counts),
        weight,
        required: false,
    }
}

fn required(field: Field) -> Field {
    Field {
        required: true,
        ..field
    }
}

fn docs(count: usize) -> Vec<Doc> {
    (0u32..).map(Doc).take(count).collect()
}

fn index(fields: Vec<Field>) -> Index {
    let docs = docs(fields[0].counts.height());
    Index::new(fields, docs, Tuning::default())
}

fn search(query: u32, k: usize) -> Search {
    Search {
        query: Doc(query),
        k,
        with_ties: false,
    }
}

// Four documents, of which two have term 0 and one each of terms 1, 2 and 3:
// idf(0) = ln(1 + 4/2) = ln 3 = 1.098612, the others' ln(1 + 4/1) = ln 5 = 1.609438.
fn tags() -> Vec<Vec<(u32, u32)>> {
    vec![
        vec![(0, 1), (1, 1)],
        vec![(0, 1), (2, 1)],
        vec![(3, 1)],
        vec![],
    ]
}

// a·b = ln²3 / (ln²3 + ln²5) = 1.206949 / (1.206949 + 2.590290) = 0.317849;
// in full: 1.2069489608 / 3.7972393629 = 0.3178490602.
#[rstest]
#[case::one_of_two(0, 1, 0.317_849_060)]
#[case::itself(1, 1, 1.0)]
#[case::nothing_shared(0, 2, 0.0)]
#[case::no_terms(0, 3, 0.0)]
#[case::no_terms_twice(3, 3, 0.0)]
fn a_score_is_the_cosine_of_tf_idf_vectors(#[case] a: u32, #[case] b: u32, #[case] expected: f64) {
    let index = index(vec![field(&tags(), 1.0)]);
    for (a, b) in [(a, b), (b, a)] {
        assert_eq!(index.score(Doc(a), Doc(b)), Score::from_ratio(expected));
    }
}

// Both documents have both terms, so that idf is the same: (1 + ln 300, 1) and (1, 1), whose cosine is
// (2 + ln 300) / (√2·√((1 + ln 300)² + 1)) = 7.703782475 / (1.414213562·6.777979246) = 0.803693049.
#[rstest]
#[case::several_tiers(Tuning::default())]
#[case::one_tier(Tuning { tiers: &[], ..Tuning::default() })]
fn a_count_of_hundreds_is_weighted_by_its_logarithm(#[case] tuning: Tuning<'_>) {
    let field = field(&[vec![(0, 300), (1, 1)], vec![(0, 1), (1, 1)]], 1.0);
    let index = Index::new(vec![field], docs(2), tuning);
    let hits = index.top_k(search(0, 1), |doc| doc == Doc(1));
    let score = Score::from_units(803_693_049);
    assert_eq!(hits, [Hit { doc: Doc(1), score }]);
}

#[rstest]
// The parts are 0.75 · 0.317849060 and 0.25 · 1.
#[case::weighted(vec![field(&tags(), 0.75), field(&vec![vec![(0, 1)]; 4], 0.25)], 488_386_795)]
#[case::required_and_shared(
    vec![required(field(&tags(), 0.75)), field(&vec![vec![(0, 1)]; 4], 0.25)],
    488_386_795
)]
#[case::required_and_missing(
    vec![field(&tags(), 0.75), required(field(&[vec![(0, 1)], vec![], vec![], vec![]], 0.25))],
    0
)]
fn a_score_is_the_weighted_sum_over_the_fields(#[case] fields: Vec<Field>, #[case] units: u32) {
    let index = index(fields);
    assert_eq!(index.score(Doc(0), Doc(1)), Score::from_units(units));
    let parts = index.breakdown(Doc(0), Doc(1)).into_iter();
    assert_eq!(parts.map(|each| each.part.units()).sum::<u32>(), units);
}

#[test]
fn shared_terms_are_those_that_add_most_first() {
    // Of three documents all have term 0, two term 1; the third has neither of 1 and 2.
    let rows = [
        vec![(0, 1), (1, 1), (2, 9)],
        vec![(0, 1), (1, 1), (2, 9)],
        vec![(0, 1)],
    ];
    let index = index(vec![field(&rows, 1.0)]);
    let shared = index.shared_terms(0, Doc(0), Doc(1));
    assert_eq!(shared, [Term(2), Term(1), Term(0)]);
}

#[rstest]
#[case::as_many_as_there_are(usize::MAX, 2)]
#[case::one(1, 1)]
#[case::none(0, 0)]
fn k_is_clamped_to_the_number_of_documents(#[case] k: usize, #[case] expected: usize) {
    let index = index(vec![field(&tags(), 1.0)]);
    assert_eq!(index.top_k(search(0, k), |_| true).len(), expected);
}

/// Documents that share all but one of 10,000 terms: the rounding errors of the products in single precision
/// are far larger than the difference of the scores.
#[test]
fn documents_of_10000_terms_are_compared_exactly() {
    let row = |skipped: u32, count: u32| -> Vec<(u32, u32)> {
        let terms = (0..10_000).filter(|term| *term != skipped);
        terms.map(|term| (term, 1 + (term + count) % 7)).collect()
    };
    let rows = [
        row(10_000, 0),
        row(17, 0),
        row(18, 0),
        row(19, 0),
        row(10_000, 1),
    ];
    let (fields, all) = (vec![field(&rows, 1.0)], docs(rows.len()));
    let definition = BruteForce::new(&fields, &all);
    for tiers in [&[][..], &[0.0], &[3.0, 9_999.0]] {
        let index = Index::new(
            fields.clone(),
            all.clone(),
            Tuning {
                tiers,
                comparison: 1,
                compared_term: 0,
                ..Tuning::default()
            },
        );
        for query in 0..5 {
            let hits = index.top_k(search(query, 5), |_| true);
            assert_best(&definition, Doc(query), 5, &hits, |_| true);
        }
    }
}

/// Holds hits to be the `k` best of the accepted ones by the definition, to nine digits. Documents of equal
/// scores may change places if the last bits of the definition's sums differ.
fn assert_best(
    definition: &BruteForce<'_>,
    query: Doc,
    k: usize,
    hits: &[Hit],
    accepted: impl Fn(Doc) -> bool,
) {
    let mut expected = definition.ranking(query);
    // What rounds to 0 is not found.
    expected.retain(|(doc, score)| accepted(*doc) && *score > 0.5e-9);
    assert_eq!(hits.len(), expected.len().min(k), "{query:?}: {hits:?}");
    for (hit, (_, score)) in hits.iter().zip(&expected) {
        assert!(accepted(hit.doc));
        let own = definition.score(query, hit.doc);
        for score in [*score, own] {
            assert!(
                (hit.score.ratio() - score).abs() < 1e-9,
                "{query:?}: {hit:?} {score}"
            );
        }
    }
}

/// A row of some documents: low terms are common.
fn row(terms: u32, length: usize) -> impl Strategy<Value = Vec<(u32, u32)>> {
    let term = (0..terms, 0..terms, 0..terms).prop_map(|(a, b, c)| a.min(b).min(c));
    vec((term, 1u32..4), 0..length).prop_map(|mut row| {
        row.sort_unstable();
        row.dedup_by_key(|(term, _)| *term);
        row
    })
}

/// Documents with a row in each of three fields: few kinds of few terms, more terms, and many words.
fn documents(count: std::ops::Range<usize>) -> impl Strategy<Value = Vec<[Vec<(u32, u32)>; 3]>> {
    let document = (row(3, 2), row(9, 4), row(90, 30));
    vec(document.prop_map(|(a, b, c)| [a, b, c]), count)
}

fn fields_of(documents: &[[Vec<(u32, u32)>; 3]], weights: [f64; 3], needs: usize) -> Vec<Field> {
    let each = (0..3).map(|at| {
        let rows: Vec<_> = documents.iter().map(|rows| rows[at].clone()).collect();
        Field {
            required: at == needs,
            ..field(&rows, weights[at])
        }
    });
    each.collect()
}

fn weights() -> impl Strategy<Value = [f64; 3]> {
    prop_oneof![
        Just([0.4, 0.6, 0.0]),
        Just([0.0, 1.0, 0.0]),
        Just([0.3, 0.3, 0.4]),
        Just([0.0, 0.0, 1.0]),
        Just([0.0, 0.0, 0.0]),
    ]
}

/// Measures of all kinds: tiers in one of which may be no term, and one document's terms may all be; candidates
/// that are looked for after each step, and after none.
fn tuning() -> impl Strategy<Value = Tuning<'static>> {
    let tiers = prop_oneof![
        Just(&[][..]),
        Just(&[0.0][..]),
        Just(&[0.1][..]),
        Just(&[0.02, 0.1, 0.3, 4.0][..]),
    ];
    let costs = (0usize..3, 0usize..3, 1usize..1_000, 0usize..9);
    let small =
        (tiers, costs).prop_map(
            |(tiers, (comparison, compared_term, scanned, spare))| Tuning {
                tiers,
                comparison,
                compared_term,
                scanned,
                spare,
            },
        );
    prop_oneof![4 => small, 1 => Just(Tuning::default())]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn the_search_finds_what_the_definition_says(
        documents in prop_oneof![9 => documents(1..14), 1 => documents(40..60)],
        weights in weights(),
        needs in 0usize..9,
        k in 1usize..6,
        one_in in 1u32..4,
        tuning in tuning(),
    ) {
        let fields = fields_of(&documents, weights, needs);
        // Not all are indexed, and not all indexed ones are accepted: the definition's documents.
        let indexed: Vec<Doc> = docs(documents.len()).into_iter().filter(|doc| doc.0 % 5 != 4).collect();
        let index = Index::new(fields.clone(), indexed.clone(), tuning);
        let definition = BruteForce::new(&fields, &indexed);
        for query in (0u32..).take(documents.len()) {
            let accepted = |doc: Doc| doc.0.is_multiple_of(one_in);
            let hits = index.top_k(search(query, k), accepted);
            assert_best(&definition, Doc(query), k, &hits, accepted);
        }
    }

    #[test]
    fn the_search_finds_what_comparing_all_pairs_finds(
        documents in documents(100..180),
        weights in weights(),
        needs in 0usize..9,
        k in 1usize..6,
        with_ties in any::<bool>(),
        one_in in 1u32..9,
        tuning in tuning(),
    ) {
        let fields = fields_of(&documents, weights, needs);
        let all = docs(documents.len());
        let index = Index::new(fields, all.clone(), tuning);
        for query in all.iter().step_by(7) {
            let accepted = |doc: Doc| doc != *query && doc.0.is_multiple_of(one_in);
            let others = all.iter().filter(|doc| accepted(**doc));
            let mut expected: Vec<Hit> = others
                .map(|doc| Hit { doc: *doc, score: index.score(*query, *doc) })
                .filter(|hit| hit.score > Score::ZERO)
                .collect();
            expected.sort_by(|a, b| b.score.cmp(&a.score).then(a.doc.cmp(&b.doc)));
            match expected.get(k - 1).copied() {
                Some(last) if with_ties => expected.retain(|hit| hit.score >= last.score),
                _ => expected.truncate(k),
            }
            let hits = index.top_k(Search { query: *query, k, with_ties }, accepted);
            prop_assert_eq!(hits, expected);
        }
    }

    #[test]
    fn what_shares_a_term_is_listed(documents in documents(1..20), weights in weights()) {
        let fields = fields_of(&documents, weights, 9);
        let index = index(fields.clone());
        for query in docs(documents.len()) {
            let shares = |other: &Doc| fields.iter().any(|field| {
                let has = |term: &Term| field.counts.row(*other).terms.contains(term);
                field.weight > 0.0 && field.counts.row(query).terms.iter().any(has)
            });
            let expected: Vec<Doc> = docs(documents.len()).into_iter().filter(shares).collect();
            prop_assert_eq!(index.sharing(query), expected);
        }
    }

    #[test]
    fn hits_that_are_confirmed_after_an_edit_are_those_of_a_search(
        documents in documents(30..70),
        edits in vec((any::<prop::sample::Index>(), row(90, 30)), 1..6),
        compared in 0usize..9,
        weights in weights(),
        needs in 0usize..9,
        k in 1usize..5,
        one_in in 1u32..4,
    ) {
        let is_indexed = |doc: &Doc| doc.0 % 7 != 6;
        let indexed: Vec<Doc> = docs(documents.len()).into_iter().filter(is_indexed).collect();
        let index_of = |documents: &[[Vec<(u32, u32)>; 3]]| {
            Index::new(fields_of(documents, weights, needs), indexed.clone(), Tuning::default())
        };
        let accepted = |doc: Doc| doc.0.is_multiple_of(one_in);
        let before = index_of(&documents);
        let mut edited = documents.clone();
        let mut earlier = Vec::new();
        for (at, row) in &edits {
            let at = at.index(documents.len());
            edited[at][2].clone_from(row);
            let terms = documents[at][2].iter().map(|(term, _)| Term(*term)).collect();
            earlier.retain(|known: &Edited| known.doc != docs(documents.len())[at]);
            earlier.push(Edited { doc: docs(documents.len())[at], field: 2, terms });
        }
        let after = index_of(&edited);
        let drift = after.drift(&earlier, compared);
        for query in docs(documents.len()) {
            let wanted = k + SPARE;
            let hits = BoundedHits::new(before.top_k(search(query.0, wanted), accepted), wanted);
            let confirmed = after.confirm(query, k, Score::ZERO, &hits, &drift, accepted);
            if let Some(confirmed) = confirmed {
                assert_confirmed(&confirmed, &after, search(query.0, k), accepted);
            }
        }
        // The first of these compare all documents, the others build the postings.
        let unsearched = index_of(&edited);
        let drift = unsearched.drift(&earlier, compared);
        prop_assert!(unsearched.postings.get().is_none());
        for query in docs(documents.len()) {
            let hits = unsearched.top_k_after(&drift, query, k, accepted);
            prop_assert_eq!(hits, after.top_k(search(query.0, k), accepted));
        }
        prop_assert!(unsearched.postings.get().is_some());
    }
}

/// Asserts that confirmed hits are those of a search: the same documents in the same order, with scores and a bound that
/// hold.
fn assert_confirmed(
    confirmed: &BoundedHits,
    index: &Index,
    search: Search,
    accepted: impl Fn(Doc) -> bool,
) {
    let all = index.top_k(
        Search {
            k: usize::MAX,
            ..search
        },
        &accepted,
    );
    let is_hit = |hit: &Hit| confirmed.hits.iter().any(|known| known.doc == hit.doc);
    for left_out in all.iter().filter(|hit| !is_hit(hit)) {
        assert!(
            left_out.score <= confirmed.bound,
            "{left_out:?} {confirmed:?}"
        );
    }
    for hit in &confirmed.hits {
        let exact = index.score(search.query, hit.doc).units();
        let wrong = exact.abs_diff(hit.score.units());
        assert!(
            wrong <= confirmed.slack.units(),
            "{hit:?} {exact} {confirmed:?}"
        );
    }
    let docs =
        |hits: &[Hit]| -> Vec<Doc> { hits.iter().take(search.k).map(|hit| hit.doc).collect() };
    assert_eq!(docs(&confirmed.hits), docs(&all));
}

/// Documents are edited one after the other, each time by a word or two, as one writes. Hits are confirmed from hits that
/// were confirmed themselves, most of them without a look at a score.
#[test]
fn hits_are_confirmed_edit_by_edit() {
    // Five documents on each subject have twelve words in common, and five of their own.
    let row = |doc: u32| -> Vec<(u32, u32)> {
        let of_subject = (0..12).map(|at| (doc / 5 * 37 + at * at * 11) % 150);
        let own = (0..5).map(|at| (doc * 53 + at * 29 + at * doc % 7) % 150);
        let words: BTreeSet<u32> = of_subject.chain(own).collect();
        let count = |word: u32| 1 + (doc * 7 + word * 3) % 4;
        words.into_iter().map(|word| (word, count(word))).collect()
    };
    let mut rows: Vec<_> = (0..200).map(row).collect();
    let others = |query: u32| move |doc: Doc| doc != Doc(query);
    let (k, wanted) = (3, 3 + SPARE);
    let first = index(vec![field(&rows, 1.0)]);
    let find = |index: &Index, query: u32| {
        BoundedHits::new(index.top_k(search(query, wanted), others(query)), wanted)
    };
    let mut known: Vec<BoundedHits> = (0..200).map(|query| find(&first, query)).collect();
    let (mut confirmed, mut unseen) = (0, 0);
    for edit in 0..6u32 {
        let doc = edit * 31 + 5;
        let before = &mut rows[doc as usize];
        let terms = before.iter().map(|(term, _)| Term(*term)).collect();
        before.remove(edit as usize % before.len());
        let earlier = Edited {
            doc: Doc(doc),
            field: 0,
            terms,
        };
        let now = index(vec![field(&rows, 1.0)]);
        let drift = now.drift(&[earlier], COMPARED);
        for (query, known) in (0..200).zip(&mut known) {
            let accepted = others(query);
            let hits = now.confirm(Doc(query), k, Score::ZERO, known, &drift, accepted);
            if let Some(hits) = &hits {
                assert_confirmed(hits, &now, search(query, k), accepted);
                confirmed += 1;
                unseen += u32::from(hits.slack > Score::ZERO);
            }
            *known = hits.unwrap_or_else(|| find(&now, query));
        }
    }
    assert!(confirmed > 6 * 200 / 2, "{confirmed}");
    assert!(unseen > confirmed / 4, "{unseen} of {confirmed}");
}

/// An edit that gives one of 300 documents a word that some others have too leaves the lists of most documents
/// as they are: they are confirmed, not searched for.
#[test]
fn most_hits_are_confirmed_after_a_small_edit() {
    let rows = |has_word: bool| -> Vec<Vec<(u32, u32)>> {
        let row = |doc: u32| {
            let mut row = vec![
                (doc % 11, 1 + doc % 3),
                (11 + doc % 17, 1),
                (28 + doc % 29, 1),
            ];
            if doc == 7 && has_word || doc % 40 == 3 {
                row.push((60, 1));
            }
            row
        };
        (0..300).map(row).collect()
    };
    let (before, after) = (rows(false), rows(true));
    let before = index(vec![field(&before, 1.0)]);
    let after = index(vec![field(&after, 1.0)]);
    let terms = vec![Term(7), Term(18), Term(35)];
    let drift = after.drift(
        &[Edited {
            doc: Doc(7),
            field: 0,
            terms,
        }],
        COMPARED,
    );
    let confirmed = docs(300).into_iter().filter(|query| {
        let hits = BoundedHits::new(before.top_k(search(query.0, 5), |_| true), 5);
        let confirmed = after.confirm(*query, 3, Score::ZERO, &hits, &drift, |_| true);
        confirmed.is_some()
    });
    assert!(confirmed.count() > 150);
}

/// The query 0, which is not indexed, shares a tag with 1 and a word with 2. Its other word was its own, and 3 to
/// 32 have it after the edit: then 2 is the best, although no weight of an indexed document changed. By hand,
/// with N = 32: cosine of the tags 0.5; of the words 0.7071 before, as all idf are ln 33 = 3.497, and
/// 3.497/√(3.497² + 0.726²) = 0.9791 after; scores of 1 and 2: 0.325 and 0.247, then 0.343.
#[test]
fn hits_are_not_confirmed_if_the_query_itself_drifted() {
    let tags = |doc: u32| match doc {
        0 => vec![(0, 1), (1, 1)],
        1 => vec![(0, 1), (2, 1)],
        _ => vec![],
    };
    let words = |doc: u32, edited: bool| match doc {
        0 => vec![(0, 1), (1, 1)],
        1 => vec![],
        2 => vec![(0, 1)],
        _ if edited => vec![(1, 1), (9, 1)],
        _ => vec![(9, 1)],
    };
    let index_of = |edited: bool| {
        let tags: Vec<_> = (0..33).map(tags).collect();
        let words: Vec<_> = (0..33).map(|doc| words(doc, edited)).collect();
        let fields = vec![field(&tags, 0.65), field(&words, 0.35)];
        Index::new(fields, (1..33).map(Doc).collect(), Tuning::default())
    };
    let others = |doc: Doc| doc != Doc(0);
    let best = |index: &Index| index.top_k(search(0, 1), others);
    let (before, after) = (index_of(false), index_of(true));
    assert_eq!(before.top_k(search(0, 2), others)[0].doc, Doc(1));
    assert_eq!(best(&after)[0].doc, Doc(2));
    let edited: Vec<Edited> = (3..33)
        .map(|doc| Edited {
            doc: Doc(doc),
            field: 1,
            terms: vec![Term(9)],
        })
        .collect();
    let bound = before.score(Doc(0), Doc(2));
    let hits = BoundedHits {
        hits: best(&before),
        bound,
        slack: Score::ZERO,
    };
    let drift = after.drift(&edited, 0);
    let confirmed = after.confirm(Doc(0), 1, Score::ZERO, &hits, &drift, others);
    assert_eq!(confirmed, None);
}

/// Three edited documents come before the three that were known: what is left out of the known ones is below the
/// new bound.
#[test]
fn known_hits_that_are_left_out_are_below_the_bound() {
    let rows = |edited: bool| -> Vec<Vec<(u32, u32)>> {
        let row = |doc: u32| match doc {
            0 => vec![(0, 1), (1, 1)],
            1..=3 => vec![(0, 1), (1 + doc, 1)],
            4..=6 if edited => vec![(0, 1), (1, 1)],
            _ => vec![(9 + doc % 2, 1)],
        };
        (0..1_000).map(row).collect()
    };
    let before = index(vec![field(&rows(false), 1.0)]);
    let after = index(vec![field(&rows(true), 1.0)]);
    let others = |doc: Doc| doc != Doc(0);
    let edited: Vec<Edited> = (4..7)
        .map(|doc| Edited {
            doc: Doc(doc),
            field: 0,
            terms: vec![Term(9 + doc % 2)],
        })
        .collect();
    let hits = BoundedHits::new(before.top_k(search(0, 4), others), 4);
    assert_eq!((hits.hits.len(), hits.bound), (3, Score::ZERO));
    let drift = after.drift(&edited, COMPARED);
    let confirmed = after.confirm(Doc(0), 1, Score::ZERO, &hits, &drift, others);
    let confirmed = confirmed.expect("an edit of a few documents");
    let found: Vec<Doc> = confirmed.hits.iter().map(|hit| hit.doc).collect();
    assert_eq!(found, [Doc(4), Doc(5), Doc(6)]);
    assert!(confirmed.bound >= after.score(Doc(0), Doc(1)));
}
