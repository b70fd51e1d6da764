//! Workspaces with texts of an editor: what they take over is what a fresh read finds.

use std::collections::BTreeMap;

use proptest::prelude::*;
use rstest::rstest;

use super::bench::Bench;
use crate::{Clock, MemoryOutput, Workspace};

const PATHS: [&str; 4] = [
    "posts/2026-03-14-a.md",
    "posts/2026-03-15-b.md",
    "terms/tag/lime.md",
    "tabulae.toml",
];

fn bench() -> Bench {
    Bench::new("[archive.x]\nlink = \"/x/\"\nquery = \"from posts where tag = 'lime'\"\n")
        .with(PATHS[0], "---\ntags: [lime]\n---\nA.\n")
        .with(PATHS[1], "---\ntags: [sand]\nrelated: [a]\n---\nB.\n")
        .with(
            "posts/2026-03-16-c.md",
            "---\ntags: [sand, lime]\n---\nC.\n",
        )
}

/// Returns the posts with their terms, the diagnostics and the addresses of a workspace as text.
fn known(site: &Workspace) -> String {
    let posts = site.query("from posts order by slug");
    let posts: Vec<String> = posts.map_or_else(
        |error| vec![error.to_string()],
        |posts| {
            let shown = posts
                .iter()
                .map(|post| format!("{} {:?}", post.title(), post.terms("tag")));
            shown.collect()
        },
    );
    let addresses = site.addresses().map(|list| list.addresses);
    format!("{posts:?}\n{:?}\n{addresses:?}", site.findings())
}

fn text() -> impl Strategy<Value = Option<&'static str>> {
    prop_oneof![
        Just(None),
        Just(Some("---\ntags: [lime, sand]\n---\nX.\n")),
        Just(Some("---\ntags: [mud]\nsumary: x\n---\n")),
        Just(Some("---\nrelated: [c]\nslug: a\n---\n")),
        Just(Some("---\ndate: never\n---\n")),
        Just(Some("---\nspellings: [sand]\n---\n")),
        Just(Some(
            "[site]\ntitle = \"L\"\naddress = \"https://x.example/\"\n[content.posts]\nterms = [\"slug\"]\n"
        )),
        Just(Some("[site\n")),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// After any edits, told or not which files they are in, a workspace is as one that reads everything.
    #[test]
    fn taking_over_is_reading_again(edits in prop::collection::vec((0..4_usize, text(), any::<bool>()), 1..6)) {
        let bench = bench();
        let base = bench.workspace();
        let mut texts: BTreeMap<String, String> = BTreeMap::new();
        let mut site = base.with_texts(texts.clone(), None, None);
        for (at, text, is_told) in edits {
            let path = PATHS[at].to_owned();
            match text {
                Some(text) => texts.insert(path.clone(), text.to_owned()),
                None => texts.remove(&path),
            };
            let changed = is_told.then(|| vec![path]);
            site = base.with_texts(texts.clone(), Some(&site), changed);
            let fresh = base.with_texts(texts.clone(), None, None);
            prop_assert_eq!(known(&site), known(&fresh));
        }
    }
}

/// A post is not read again for a later time, and yet is scheduled, listed and expired by it.
#[test]
fn a_post_that_is_taken_over_has_the_state_of_the_new_time() {
    let bench = bench().with(
        "posts/s.md",
        "---\ndate: 2027-02-01\nexpires: 2027-03-01\n---\nS.\n",
    );
    let at = |time: &str| bench.workspace().clock(Clock::At(time.parse().unwrap()));
    let states = |site: &Workspace| {
        let post = site.post("posts/s.md").unwrap();
        post.state().name()
    };
    let mut site = at("2027-01-31T23:00:00Z").with_texts(BTreeMap::new(), None, None);
    assert_eq!(states(&site), "scheduled");
    for (time, state) in [
        ("2027-02-01T00:00:00Z", "live"),
        ("2027-02-28T23:59:59Z", "live"),
        ("2027-03-01T00:00:00Z", "expired"),
        ("2027-01-31T23:59:59Z", "scheduled"),
    ] {
        site = at(time).with_texts(BTreeMap::new(), Some(&site), Some(Vec::new()));
        assert_eq!(states(&site), state, "at {time}");
    }
}

#[rstest]
#[case::a_post(PATHS[0], "---\ndate: 2026-13-01\n---\n", Some("invalid-date"))]
#[case::settings("tabulae.toml", "[site]\ntitel = 'x'\n", Some("missing-key"))]
#[case::a_new_post(
    "posts/2026-01-01-new.md",
    "---\nslug: a b\n---\n",
    Some("invalid-slug")
)]
#[case::another_file("notes.txt", "x", None)]
fn a_text_has_findings_of_its_own(
    #[case] path: &str,
    #[case] text: &str,
    #[case] code: Option<&str>,
) {
    let site = bench().workspace();
    let found = site.findings_of(path, text);
    let first = found.and_then(|found| found.first().map(|found| found.code.name()));
    assert_eq!(first, code);
}

/// A query in a template has its diagnostics without rendering, and they are those of a check.
#[rstest]
#[case::sound("from posts where tag = 'lime'", None)]
#[case::a_field("from posts where tga = 'lime'", Some(("unknown-field", 18)))]
#[case::a_word("form posts", Some(("query-syntax", 1)))]
#[case::a_term("from posts where tag = 'limes'", Some(("unused-term", 24)))]
#[case::of_a_page("from posts where tag = this.tag", None)]
#[case::a_parameter("from posts where tag = :name", None)]
fn queries_in_templates_are_checked_by_themselves(
    #[case] query: &str,
    #[case] expected: Option<(&str, usize)>,
) {
    let before = "{# query('form') #}\n{% set posts = query(\"";
    let given = if query.contains(':') {
        ", name = 'lime'"
    } else {
        ""
    };
    let found = first_of_template(&format!("{before}{query}\"{given}) %}}\n"));
    let expected = expected.map(|(code, column)| (code, 2, 22 + column));
    assert_eq!(found, expected);
}

/// Returns the first diagnostic that a template of posts has by itself: code, line and column. A check has all of them.
fn first_of_template(text: &str) -> Option<(&'static str, usize, usize)> {
    let path = "templates/post.html";
    let site = bench().with(path, text).workspace();
    let found = site.findings_of(path, text).unwrap();
    let checked = site.check();
    assert!(
        found.iter().all(|found| checked.contains(found)),
        "{checked:?}"
    );
    let place = |found: &crate::Diagnostic| {
        let location = &found.location;
        (found.code.name(), location.line, location.column)
    };
    found.first().map(place)
}

/// Syntax and text that is dropped are known without rendering, as a check reports them.
#[rstest]
#[case::sound(
    "{% extends \"theme/post.html\" %}{% block main %}x{% endblock %}\n",
    None
)]
#[case::open("a\n{% if post %}\n", Some(("template-syntax", 2)))]
#[case::dropped("{% extends \"theme/post.html\" %}\n\nx\n", Some(("dropped-template-text", 3)))]
#[case::long(&format!("{{{{ {} }}}}\n", "a + ".repeat(5000)), Some(("template-syntax", 1)))]
fn templates_are_checked_by_themselves(
    #[case] text: &str,
    #[case] expected: Option<(&str, usize)>,
) {
    let found = first_of_template(text).map(|(code, line, _)| (code, line));
    assert_eq!(found, expected);
}

/// The findings are those that a check finds without rendering.
#[test]
fn findings_are_a_part_of_a_check() {
    let site = bench()
        .with("posts/2026-03-17-d.md", "---\nrelated: [nothing]\n---\n")
        .with("posts/2026-03-18-e.md", "---\nsumary: x\n---\n")
        .with("terms/tag/mud.md", "---\nslug: lime\n---\n")
        .workspace();
    let (found, checked) = (site.findings(), site.check());
    assert!(found.len() > 1, "{found:?}");
    let missing: Vec<_> = found
        .iter()
        .filter(|found| !checked.contains(found))
        .collect();
    assert_eq!(missing, Vec::<&crate::Diagnostic>::new());
}

/// Links that lead nowhere and queries of placeholders are known without rendering, as a check and an audit report them.
#[rstest]
#[case::none("[c](/2026/c/) <https://else.example/x>", &[], &[])]
#[case::a_source("[x](no.md)", &[("broken-link", 4)], &[])]
#[case::an_address("\n[x](/no/)", &[], &[("broken-link", 5)])]
#[case::an_image("![x](/no.png)", &[], &[("missing-image", 4)])]
#[case::of_others("[x](/hand.html)", &[], &[])]
#[case::a_query("<!-- tabulae query \"form posts\" --><!-- tabulae end -->", &[("query-syntax", 4)], &[])]
#[case::a_term("\n<!-- tabulae query \"from posts where tag = 'x'\" --><!-- tabulae end -->", &[("unused-term", 5)], &[])]
#[case::a_placeholder("<!-- tabulae related -->", &[("invalid-placeholder", 4)], &[])]
#[case::a_list("<!-- tabulae query \"from posts where tag = 'lime'\" --><!-- tabulae end -->", &[], &[])]
#[case::several("[x](/no/) [x](no.md)\n[x](/not/)", &[("broken-link", 4)], &[("broken-link", 4), ("broken-link", 5)])]
fn texts_are_checked_by_themselves(
    #[case] text: &str,
    #[case] built: &[(&str, usize)],
    #[case] audited: &[(&str, usize)],
) {
    let texts = [(
        PATHS[0].to_owned(),
        format!("---\ntags: [lime]\n---\n{text}\n"),
    )];
    let base = bench().with(PATHS[1], "---\ntags: [sand]\n---\n[x](/nor/)\n");
    let site = base.workspace().with_texts(texts.into(), None, None);
    let others = ["hand.html".to_owned()];
    let found = site.text_findings([PATHS[0]], &others);
    let said = |found: &[crate::Diagnostic]| -> Vec<(&'static str, usize)> {
        let place = |found: &crate::Diagnostic| (found.code.name(), found.location.line);
        found.iter().map(place).collect()
    };
    assert_eq!(said(&found.built), built);
    assert_eq!(said(&found.audited), audited);
    let checked = site.check();
    let lints = site.lints(&mut MemoryOutput::default(), &checked);
    assert!(
        found.built.iter().all(|found| checked.contains(found)),
        "{checked:?}"
    );
    assert!(found.audited.iter().all(|found| lints.contains(found)));
}
