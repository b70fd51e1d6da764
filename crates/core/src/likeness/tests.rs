use std::collections::BTreeMap;

use super::*;
use crate::catalogue::PostId;
use crate::testing::Small;
use proptest::collection::vec;
use proptest::prelude::*;
use rstest::rstest;

/// Five posts, newest first: a b c d e.
fn five(related: &str) -> Small {
    let posts = [
        (
            "posts/a.md",
            "title: Lime kilns\ndate: 2026-03-05\ntags: [lime, masonry]\ncategory: Locks",
            "<p>The kiln burns; kilns burned.</p>",
        ),
        (
            "posts/b.md",
            "title: A kiln\ndate: 2026-03-04\ntags: [lime]\ncategory: Locks",
            "<p>Burning a kiln.</p>",
        ),
        (
            "posts/c.md",
            "title: Herons\ndate: 2026-03-03\ntags: [masonry, herons]\ncategory: Wildlife",
            "<p>A heron stood.</p>",
        ),
        (
            "posts/d.md",
            "title: Eels\ndate: 2026-03-02\ntags: [eels]\ncategory: Wildlife",
            "<p>An eel.</p>",
        ),
        ("posts/e.md", "title: Notes\ndate: 2026-03-01", ""),
    ];
    Small::new(related, &posts)
}

fn index(small: &Small) -> (Index, Weighing) {
    index_walking(small, usize::MAX)
}

/// An index where so many entries of lists of words are walked for a post, the usual ones for
/// `usize::MAX`.
fn index_walking(small: &Small, entries: usize) -> (Index, Weighing) {
    let weighing = Weighing::new(
        small.settings.related.as_ref(),
        &small.catalogue,
        &small.settings.source,
        &mut Vec::new(),
    );
    let found: Vec<PostId> = small.catalogue.listed().to_vec();
    let index = match entries {
        usize::MAX => Index::new(&small.catalogue, &weighing, &found),
        entries => Index::walking(&small.catalogue, &weighing, &found, entries),
    };
    (index, weighing)
}

// N = 5; df: lime 2, masonry 2, herons 1, eels 1, so that with x = ln(1 + 5/2) = 1.252762968 and
// y = ln(1 + 5/1) = 1.791759469 the tag vectors are a (x, x), b (x), c (x, y), d (y).
// a·b: x²/(x√2·x) = 1/√2. a·c: x²/(x√2·√(x² + y²)) = 1.252762968/(1.414213562·2.186279271)
// = 0.405180254. Both of one category: 1.
#[rstest]
#[case::one_of_two("weigh = { tag = 1 }", 0, 1, 707_106_781)]
#[case::by_idf("weigh = { tag = 1 }", 0, 2, 405_180_254)]
#[case::nothing_shared("weigh = { tag = 1 }", 0, 3, 0)]
#[case::without_terms("weigh = { tag = 1 }", 0, 4, 0)]
#[case::itself("weigh = { tag = 1 }", 2, 2, 1_000_000_000)]
// (3·0.707106781 + 2·1)/5
#[case::weighed("weigh = { tag = 3, category = 2 }", 0, 1, 824_264_069)]
// (3·0.405180254 + 2·0)/5
#[case::another_category("weigh = { tag = 3, category = 2 }", 0, 2, 243_108_152)]
#[case::required("weigh = { tag = 3, category = 2 }\nrequire = [\"category\"]", 0, 2, 0)]
#[case::required_but_not_weighed(
    "weigh = { tag = 1 }\nrequire = [\"category\"]",
    0,
    1,
    707_106_781
)]
#[case::only_required("weigh = { tag = 1 }\nrequire = [\"category\"]", 2, 3, 0)]
// Titles: a "lime kiln" with df lime 1, kiln 2; b "kiln". y and x as above:
// x/√(x² + y²) = 1.252762968/2.186279271 = 0.573011410.
#[case::title("weigh = { title = 1 }", 0, 1, 573_011_410)]
// Texts: a has kiln twice and burn twice, b each once; both of df 2. Parallel vectors.
#[case::body("weigh = { body = 1 }", 0, 1, 1_000_000_000)]
fn likeness_is_the_weighed_mean_of_cosines(
    #[case] related: &str,
    #[case] a: u32,
    #[case] b: u32,
    #[case] expected: Ninths,
) {
    let small = five(&format!("[related]\n{related}\n"));
    let (index, _) = index(&small);
    assert_eq!(index.likeness(PostId(a), PostId(b)), expected);
    assert_eq!(index.likeness(PostId(b), PostId(a)), expected);
    let parts: Ninths = index
        .shares(PostId(a), PostId(b))
        .iter()
        .map(|share| share.part)
        .sum();
    assert_eq!(parts, expected, "the parts add up");
}

#[test]
fn a_share_names_what_both_have_the_rarest_first() {
    let small = five("[related]\nweigh = { tag = 3, category = 2 }\n");
    let (index, weighing) = index(&small);
    let shares = index.shares(PostId(0), PostId(1));
    let named: Vec<_> = shares
        .iter()
        .map(|share| {
            let aspect = weighing.aspects[share.aspect].aspect;
            let Aspect::Terms(field) = aspect else {
                panic!("{aspect:?}")
            };
            let table = small.catalogue.terms(field);
            let names = share
                .shared
                .iter()
                .map(|id| &*table.terms[*id as usize].name);
            (
                aspect.name(&small.catalogue),
                share.part,
                names.collect::<Vec<_>>(),
            )
        })
        .collect();
    // 3/5·0.707106781 and 2/5; the whole is 0.824264069.
    assert_eq!(
        named,
        [
            ("tag", 424_264_069, vec!["lime"]),
            ("category", 400_000_000, vec!["Locks"])
        ]
    );
}

#[rstest]
#[case::unknown(
    "weigh = { tga = 1 }",
    "likeness cannot weigh `tga`: it is not a term field, and neither `title` nor `body`",
    "did you mean `tag`?"
)]
#[case::no_terms(
    "require = [\"hours\"]",
    "likeness cannot weigh `hours`: it is not a term field, and neither `title` nor `body`",
    "write one of `tag`, `category`, `author`, `title`, `body`; or make `hours` a term field by `terms = [\"hours\"]` in its content set"
)]
#[case::all_zero(
    "weigh = { tag = 0, title = 0 }",
    "all weights are 0, so that no post is like another",
    "give one field a weight above 0, such as `tag = 1`"
)]
fn a_weighing_that_means_nothing_is_refused(
    #[case] related: &str,
    #[case] message: &str,
    #[case] help: &str,
) {
    let small = five("");
    let text =
        format!("[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n[related]\n{related}\n");
    let settings =
        crate::settings::Settings::read(&crate::source::Source::new("tabulae.toml", &text));
    let mut diagnostics = Diagnostics::new();
    let settings = settings.output;
    let _ = Weighing::new(
        settings.related.as_ref(),
        &small.catalogue,
        &settings.source,
        &mut diagnostics,
    );
    let found: Vec<_> = diagnostics
        .iter()
        .map(|diagnostic| {
            (
                diagnostic.place.line,
                &*diagnostic.message,
                diagnostic.help.as_deref(),
            )
        })
        .collect();
    assert_eq!(found, [(5, message, Some(help))]);
}

#[rstest]
#[case::sharing("where likeness > 0 order by likeness desc limit 4", 0, &[0, 1, 2])]
#[case::without_itself("where likeness > 0 and not current order by likeness desc limit 4", 0, &[1, 2])]
#[case::at_least("where likeness >= 0.5 and not current order by likeness desc limit 4", 0, &[1])]
#[case::older("where likeness > 0 and date < this.date order by likeness desc limit 1", 0, &[1])]
#[case::all("order by likeness desc", 2, &[2, 3, 0, 1, 4])]
#[case::least_first("where likeness < 1 order by likeness", 0, &[3, 4, 2, 1])]
#[case::offset("where likeness > 0 order by likeness desc limit 1 offset 1", 0, &[1])]
fn a_query_asks_for_likeness(#[case] text: &str, #[case] this: u32, #[case] expected: &[u32]) {
    let small = five("[related]\nweigh = { tag = 3, category = 2 }\n");
    let query = small.query(text);
    let this = Some(PostId(this));
    let expected: Vec<PostId> = expected.iter().map(|id| PostId(*id)).collect();
    assert_eq!(query.run(&small.catalogue, this).posts, expected);
    assert_eq!(query.first(&small.catalogue, this), expected);
}

const TAGS: [&str; 7] = ["a", "b", "c", "d", "e", "f", "g"];
const WORDS: [&str; 9] = [
    "lock", "lime", "heron", "boat", "stone", "reed", "winter", "paddle", "eel",
];

/// A post: numbers of its tags, its category, the words of its title and of its text.
type Plain = (Vec<usize>, Option<usize>, Vec<usize>, Vec<usize>);

fn plain_posts() -> impl Strategy<Value = Vec<Plain>> {
    // Low numbers are common, as tags are.
    let common = |most: usize| (0..most, 0..most).prop_map(|(a, b)| a.min(b));
    let post = (
        vec(common(7), 0..4),
        proptest::option::of(common(3)),
        vec(common(9), 0..3),
        vec(common(9), 0..8),
    );
    // Few and many: beyond some dozens the search narrows what it compares.
    prop_oneof![9 => vec(post.clone(), 1..14), 1 => vec(post, 40..60)]
}

/// A text of each post as words, for the plain formula.
fn texts(posts: &[Plain], of: impl Fn(&Plain) -> Vec<String>) -> Vec<BTreeMap<String, f64>> {
    let counted = posts.iter().map(|post| {
        let mut counts: BTreeMap<String, f64> = BTreeMap::new();
        for word in of(post) {
            *counts.entry(word).or_default() += 1.0;
        }
        counts
    });
    counted.collect()
}

/// The cosine by the formula, word by word, from the counts of all posts.
fn plain_cosine(all: &[BTreeMap<String, f64>], a: usize, b: usize) -> f64 {
    let n = all.len() as f64;
    let weight = |post: usize, word: &str| {
        let df = all
            .iter()
            .filter(|counts| counts.contains_key(word))
            .count() as f64;
        all[post]
            .get(word)
            .map_or(0.0, |count| (1.0 + count.ln()) * (1.0 + n / df).ln())
    };
    let words: std::collections::BTreeSet<&String> = all[a].keys().chain(all[b].keys()).collect();
    let sum = |x: usize, y: usize| {
        words
            .iter()
            .map(|word| weight(x, word) * weight(y, word))
            .sum::<f64>()
    };
    let norms = (sum(a, a) * sum(b, b)).sqrt();
    if norms == 0.0 { 0.0 } else { sum(a, b) / norms }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn the_search_finds_what_comparing_all_pairs_finds(
        posts in plain_posts(),
        weights in prop_oneof![Just([3, 2, 0, 0]), Just([1, 0, 0, 0]), Just([3, 2, 1, 1]), Just([0, 0, 0, 1])],
        wanted in 1usize..5,
        odd in any::<bool>(),
        entries in prop_oneof![Just(0), Just(5), Just(usize::MAX)],
    ) {
        let words = |numbers: &[usize]| numbers.iter().map(|at| WORDS[*at]).collect::<Vec<_>>().join(" ");
        // Tags given twice count once.
        let distinct = |tags: &[usize]| tags.iter().copied().collect::<std::collections::BTreeSet<_>>();
        let files: Vec<(String, String, String)> = posts.iter().enumerate().map(|(at, (tags, category, title, body))| {
            let tags: Vec<&str> = tags.iter().map(|tag| TAGS[*tag]).collect();
            let category = category.map(|at| format!("category: c{at}\n")).unwrap_or_default();
            let front = format!(
                "title: {} the\ndate: {}\ntags: [{}]\n{category}",
                words(title),
                jiff::civil::Date::constant(2026, 5, 28).saturating_sub(jiff::Span::new().days(i64::try_from(at).unwrap())),
                tags.join(", "),
            );
            (format!("posts/p{at:02}.md"), front, format!("<p>{}</p>", words(body)))
        }).collect();
        let [tag, category, title, body] = weights;
        let related = format!("[related]\nweigh = {{ tag = {tag}, category = {category}, title = {title}, body = {body} }}\n");
        let small = Small::new(&related, &files);
        let (index, _) = index_walking(&small, entries);
        let texts = [
            texts(&posts, |post| distinct(&post.0).into_iter().map(|tag| TAGS[tag].to_owned()).collect()),
            texts(&posts, |post| post.1.iter().map(|at| format!("c{at}")).collect()),
            texts(&posts, |post| post.2.iter().map(|at| WORDS[*at].to_owned()).collect()),
            texts(&posts, |post| post.3.iter().map(|at| WORDS[*at].to_owned()).collect()),
        ];
        let sum: i32 = weights.iter().sum();
        let plainly = |a: usize, b: usize| {
            let each = texts.iter().zip(weights);
            each.map(|(text, weight)| f64::from(weight) * plain_cosine(text, a, b)).sum::<f64>() / f64::from(sum)
        };
        for this in 0..posts.len() {
            let fits = |id: PostId| id.0 as usize != this && (!odd || id.0 % 2 == 1);
            let mut all: Vec<(PostId, Ninths)> = Vec::new();
            for other in 0..posts.len() {
                let id = PostId(u32::try_from(other).unwrap());
                let likeness = index.likeness(PostId(u32::try_from(this).unwrap()), id);
                if posts.len() < 14 {
                    let plain = plainly(this, other);
                    prop_assert!((f64::from(likeness) / 1e9 - plain).abs() < 2e-9, "{} {}: {} {}", this, other, likeness, plain);
                }
                if fits(id) && likeness > 0 {
                    all.push((id, likeness));
                }
            }
            all.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
            let last = all.get(wanted - 1).map_or(0, |(_, last)| *last);
            all.retain(|(_, likeness)| *likeness >= last);
            let this = PostId(u32::try_from(this).unwrap());
            prop_assert_eq!(index.nearest(this, wanted, true, fits), all.clone());
            all.truncate(wanted);
            prop_assert_eq!(index.nearest(this, wanted, false, fits), all);
        }
    }
}

// N = 2, both words in both texts, so that idf is the same: (1 + ln 300, 1) and (1, 1), of which
// the cosine is (2 + ln 300)/(√2·√((1 + ln 300)² + 1)) = 0.803693049.
#[rstest]
#[case::with_lists(usize::MAX)]
#[case::without(0)]
fn a_word_that_a_text_has_hundreds_of_times_counts_as_often(#[case] entries: usize) {
    let often = format!("<p>{} reed</p>", "eel ".repeat(300));
    let posts = [
        ("posts/a.md", "title: A\ndate: 2026-03-05", often.as_str()),
        (
            "posts/b.md",
            "title: B\ndate: 2026-03-04",
            "<p>eel reed</p>",
        ),
    ];
    let small = Small::new("[related]\nweigh = { body = 1 }\n", &posts);
    let (index, _) = index_walking(&small, entries);
    let (a, b) = (PostId(0), PostId(1));
    assert_eq!(index.nearest(a, 1, false, |id| id == b), [(b, 803_693_049)]);
    assert_eq!(index.nearest(b, 1, false, |id| id == a), [(a, 803_693_049)]);
}

/// A post of a large catalogue: which of a few sets of terms it has, and the numbers of the words
/// of its title and its text, low ones being common.
fn many_posts() -> impl Strategy<Value = Vec<(u8, Vec<u16>, Vec<u16>)>> {
    let common = |most: u16| (0..most, 0..most, 0..most).prop_map(|(a, b, c)| a.min(b).min(c));
    let post = (0u8..5, vec(common(90), 1..4), vec(common(400), 5..40));
    vec(post, 150..260)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 20, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn among_many_that_share_all_their_terms_texts_decide_as_all_pairs_do(
        posts in many_posts(),
        weigh in prop_oneof![
            Just("tag = 3, category = 1, title = 1, body = 1"),
            Just("tag = 3, body = 2"),
            Just("tag = 2, category = 3, body = 1"),
            Just("tag = 1, category = 1"),
        ],
        wanted in 1usize..6,
        one_in in 1u32..9,
        require in prop_oneof![3 => Just(""), 1 => Just("title"), 1 => Just("tag")],
        entries in prop_oneof![Just(0), Just(20), Just(100), Just(usize::MAX)],
    ) {
        let words = |numbers: &[u16]| numbers.iter().map(|at| format!("w{at}")).collect::<Vec<_>>().join(" ");
        let files: Vec<(String, String, String)> = posts.iter().enumerate().map(|(at, (terms, title, text))| {
            let tags = ["a, b, c", "a, b", "a, b, d", "a", "e"][usize::from(*terms)];
            let categories = ["c0", "c0, c1", "c1"][at % 3];
            let front = format!("title: {}\ndate: 2026-05-28\ntags: [{tags}]\ncategories: [{categories}]", words(title));
            (format!("posts/p{at:03}.md"), front, format!("<p>{}</p>", words(text)))
        }).collect();
        let require = if require.is_empty() { String::new() } else { format!("\"{require}\"") };
        let small = Small::new(&format!("[related]\nweigh = {{ {weigh} }}\nrequire = [{require}]\n"), &files);
        let (index, _) = index_walking(&small, entries);
        let all: Vec<PostId> = small.catalogue.all().collect();
        for this in all.iter().step_by(7) {
            let fits = |id: PostId| id != *this && id.0.is_multiple_of(one_in);
            let others = all.iter().filter(|id| fits(**id));
            let alike = others.map(|id| (*id, index.likeness(*this, *id)));
            let mut alike: Vec<(PostId, Ninths)> = alike.filter(|(_, likeness)| *likeness > 0).collect();
            alike.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
            alike.truncate(wanted);
            prop_assert_eq!(index.nearest(*this, wanted, false, fits), alike);
        }
    }
}
