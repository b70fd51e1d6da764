//! Fixes: what an audit corrects by itself, and what it leaves.

use rstest::rstest;

use super::bench::Bench;
use crate::{FileChange, MemoryOutput as Out};

const LIME: &str = "posts/2026-03-14-lime.md";

fn site(settings: &str, path: &str, text: &str) -> Bench {
    let site = Bench::new(settings)
        .with(
            LIME,
            "---\ntitle: Lime\ntags: [lime, sand]\n---\nLime first.\n",
        )
        .with(
            "posts/2026-03-15-sand.md",
            "---\ntitle: Sand\ntags: [lime, sand]\n---\nThen sand.\n",
        );
    match path {
        "" => site,
        _ => site.with(path, text),
    }
}

/// Fixes a site, and returns the changed files.
fn fixed(bench: &Bench) -> Vec<FileChange> {
    let mut output = Out::default();
    let report = bench
        .workspace()
        .fix(&mut output, bench.options(), &|_| true);
    let fixable = report.left.iter().filter(|left| !left.edits.is_empty());
    assert_eq!(
        fixable.collect::<Vec<_>>(),
        Vec::<&crate::Diagnostic>::new()
    );
    assert_eq!(report.files.is_empty(), report.fixed.is_empty());
    report.files
}

/// The lines that differ, old and new.
fn lines(changes: &[FileChange]) -> Vec<(&str, &str)> {
    let lines = changes.iter().flat_map(|change| {
        let before = change.before.as_deref().unwrap_or_default();
        before
            .lines()
            .zip(change.after.as_deref().unwrap_or_default().lines())
    });
    lines.filter(|(before, after)| before != after).collect()
}

#[rstest]
#[case::front_matter("", "posts/2026-03-16-b.md", "---\nsumary: B\n---\n", &[("sumary: B", "summary: B")])]
#[case::windows_lines("", "posts/2026-03-16-b.md", "---\r\nsumary: B\r\n---\r\n", &[("sumary: B", "summary: B")])]
#[case::a_slug("", "posts/2026-03-16-b.md", "---\nslug: 'A b'\n---\n", &[("slug: 'A b'", "slug: 'a-b'")])]
#[case::a_setting("[archive.x]\nlnik = \"/x/\"\n", "", "", &[("lnik = \"/x/\"", "link = \"/x/\"")])]
#[case::a_query("[feed.x]\nquery = \"from psts where tagg == 'lime' && year = 2026;\"\n", "", "",
    &[("query = \"from psts where tagg == 'lime' && year = 2026;\"", "query = \"from posts where tag = 'lime' and year = 2026\"")])]
#[case::a_link("", "posts/2026-03-16-b.md", "---\ntitle: B\n---\n[a](/2026/lmie/) [b](2026-03-15-snad.md)\n",
    &[("[a](/2026/lmie/) [b](2026-03-15-snad.md)", "[a](/2026/lime/) [b](2026-03-15-sand.md)")])]
#[case::a_template("", "templates/post.html", "{% extends \"theme/psot.html\" %}{% block main %}{{ post.titel }}{% endblock %}",
    &[("{% extends \"theme/psot.html\" %}{% block main %}{{ post.titel }}{% endblock %}", "{% extends \"theme/post.html\" %}{% block main %}{{ post.title }}{% endblock %}")])]
#[case::a_related_post("", "posts/2026-03-16-b.md", "---\nrelated: [lmie]\n---\n", &[("related: [lmie]", "related: [lime]")])]
fn slips_are_corrected_to_the_letter(
    #[case] settings: &str,
    #[case] path: &str,
    #[case] text: &str,
    #[case] expected: &[(&str, &str)],
) {
    let changes = fixed(&site(settings, path, text));
    assert_eq!(lines(&changes), expected);
    // Every byte outside of the lines is as it was.
    let ends = |text: &str| text.matches("\r\n").count();
    for change in &changes {
        let before = change.before.as_deref().unwrap_or_default();
        assert_eq!(
            ends(before),
            ends(change.after.as_deref().unwrap_or_default())
        );
    }
}

#[rstest]
#[case::a_key_that_is_there_already("", "posts/2026-03-16-b.md", "---\ntitle: B\ntilte: C\n---\n")]
#[case::a_setting_that_is_there_already("titel = \"x\"\n", "", "")]
#[case::a_page_with_another_number(
    "",
    "posts/2026-03-16-b.md",
    "---\ntitle: B\n---\n[a](/2025/lime/)\n"
)]
#[case::nothing_near("", "posts/2026-03-16-b.md", "---\nrelated: [quite-another]\n---\n")]
fn what_a_person_decides_stays(#[case] settings: &str, #[case] path: &str, #[case] text: &str) {
    let bench = site(settings, path, text);
    let found = bench.workspace().check();
    assert!(!found.is_empty() || text.contains("2025"), "{found:?}");
    assert_eq!(fixed(&bench), []);
}

#[test]
fn terms_that_are_one_are_joined_by_a_note() {
    let site = site("", "posts/2026-03-16-b.md", "---\ntags: [dredge]\n---\n")
        .with("posts/2026-03-17-c.md", "---\ntags: [dredges]\n---\n")
        .with("posts/2026-03-18-d.md", "---\ntags: [dredges]\n---\n");
    let changes = fixed(&site);
    let expected = FileChange {
        path: "terms/tag/dredges.md".to_owned(),
        before: None,
        after: Some("---\nspellings: [dredge]\n---\n".to_owned()),
    };
    assert_eq!(changes, [expected]);
}

/// Only what is wanted is corrected.
#[test]
fn findings_that_are_not_wanted_stay() {
    let site = site(
        "",
        "posts/2026-03-16-b.md",
        "---\nsumary: B\nrelated: [lmie]\n---\n",
    );
    let mut output = Out::default();
    let wanted = |found: &crate::Diagnostic| found.code == crate::Code::UnknownKey;
    let report = site.workspace().fix(&mut output, site.options(), &wanted);
    assert_eq!(lines(&report.files), [("sumary: B", "summary: B")]);
    assert_eq!(report.fixed.len(), 1);
}

/// A post that gets another address keeps its id in feeds and its old address.
#[test]
fn an_id_in_feeds_is_kept() {
    let mut site = site("", "", "");
    site.sound();
    let moved =
        "---\r\ntitle: Lime\r\nslug: mortar\r\ntags: [lime, sand]\r\n---\r\nLime first.\r\n";
    site.sources.write(LIME, moved);
    let workspace = site.workspace();
    let options = site.options();
    let report = workspace.fix(&mut site.out, options, &|_| true);
    let expected = moved.replacen("---\r\n", "---\r\nmoved_from: /2026/lime/\r\n", 1);
    assert_eq!(report.files[0].after, Some(expected));
}
