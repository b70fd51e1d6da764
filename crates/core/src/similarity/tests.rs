use super::*;
use crate::catalogue::PostId;
use crate::testing::Small;
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

fn index(small: &Small) -> (Index, FieldWeights) {
    let weights = FieldWeights::new(
        small.settings.related.as_ref(),
        &small.catalogue,
        &small.settings.source,
        &mut Vec::new(),
    );
    let found: Vec<PostId> = small.catalogue.listed(None).to_vec();
    let index = Index::new(&small.catalogue, &weights, &found);
    (index, weights)
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
    #[case] expected: u32,
) {
    let small = five(&format!("[related]\n{related}\n"));
    let (index, _) = index(&small);
    assert_eq!(index.likeness(PostId(a), PostId(b)).units(), expected);
    assert_eq!(index.likeness(PostId(b), PostId(a)).units(), expected);
    let contributions = index.breakdown(PostId(a), PostId(b));
    let parts: u32 = contributions.iter().map(|each| each.part.units()).sum();
    assert_eq!(parts, expected, "the parts add up");
}

#[test]
fn a_contribution_names_what_both_have_the_rarest_first() {
    let small = five("[related]\nweigh = { tag = 3, category = 2 }\n");
    let (index, weights) = index(&small);
    let contributions = index.breakdown(PostId(0), PostId(1)).into_iter();
    let named: Vec<_> = contributions
        .map(|each| {
            let field = weights.fields[each.field].field;
            let names = each.shared.iter();
            (
                field.name(&small.catalogue),
                each.part.units(),
                names
                    .map(|term| field.term_name(*term, (&small.catalogue, LocaleId::SITE)))
                    .collect::<Vec<_>>(),
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
    let _ = FieldWeights::new(
        settings.related.as_ref(),
        &small.catalogue,
        &settings.source,
        &mut diagnostics,
    );
    let found: Vec<_> = diagnostics
        .iter()
        .map(|diagnostic| {
            (
                diagnostic.location.line,
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
