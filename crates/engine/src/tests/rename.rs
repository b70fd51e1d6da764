//! Renaming a term: posts, notes and addresses, and every other byte as it was.

use std::collections::BTreeMap;

use proptest::prelude::*;
use rstest::rstest;

use super::bench::Bench;
use crate::{FileChange, MemoryOutput as Out, Sources as _};

/// Returns the sources of a site with changes.
fn changed(bench: &Bench, changes: &[FileChange]) -> Bench {
    let now = Bench::new("");
    for (path, bytes) in bench.sources.files() {
        now.sources.write(&path, bytes);
    }
    for change in changes {
        match &change.after {
            Some(text) => now.sources.write(&change.path, text.as_str()),
            None => now.sources.remove(&change.path),
        }
    }
    now
}

fn files(changes: &[FileChange]) -> BTreeMap<&str, Option<&str>> {
    let changes = changes.iter();
    changes
        .map(|change| (change.path.as_str(), change.after.as_deref()))
        .collect()
}

#[rstest]
#[case::flow(
    "---\ntags: [lime, dredge]\n---\ndredge\n",
    "---\ntags: [lime, dredging]\n---\ndredge\n"
)]
#[case::block(
    "---\ntags:\n  - lime\n  - dredge # mud\n---\n",
    "---\ntags:\n  - lime\n  - dredging # mud\n---\n"
)]
#[case::quotes(
    "---\ntags: ['dredge', \"lime\"]\n---\n",
    "---\ntags: ['dredging', \"lime\"]\n---\n"
)]
#[case::double_quotes("---\ntags: [\"Dredge\"]\n---\n", "---\ntags: [\"dredging\"]\n---\n")]
#[case::one_value("---\ntag: dredge\n---\n", "---\ntag: dredging\n---\n")]
#[case::commas(
    "---\ntags: lime, dredge, mud\n---\n",
    "---\ntags: lime, dredging, mud\n---\n"
)]
#[case::commas_in_quotes(
    "---\ntags: \"lime, dredge\"\n---\n",
    "---\ntags: \"lime, dredging\"\n---\n"
)]
#[case::both_keys(
    "---\ntag: lime\ntags: [Dredge]\n---\n",
    "---\ntag: lime\ntags: [dredging]\n---\n"
)]
#[case::windows_lines(
    "---\r\ntags:\r\n- dredge\r\n---\r\nx\r\n",
    "---\r\ntags:\r\n- dredging\r\n---\r\nx\r\n"
)]
#[case::byte_order_mark(
    "\u{feff}---\ntags: dredge\n---\n",
    "\u{feff}---\ntags: dredging\n---\n"
)]
#[case::toml(
    "+++\ntags = [\"lime\", 'dredge']\n+++\n",
    "+++\ntags = [\"lime\", 'dredging']\n+++\n"
)]
#[case::toml_lines(
    "+++\ntags = [\n  \"dredge\",\n]\n+++\n",
    "+++\ntags = [\n  \"dredging\",\n]\n+++\n"
)]
#[case::json(
    "{\"tags\": [\"dredge\"]}\ndredge\n",
    "{\"tags\": [\"dredging\"]}\ndredge\n"
)]
#[case::a_draft(
    "---\ntags: dredge\ndraft: true\n---\n",
    "---\ntags: dredging\ndraft: true\n---\n"
)]
#[case::another_spelling("---\ntags: [DREDGE]\n---\n", "---\ntags: [dredging]\n---\n")]
#[case::twice(
    "---\ntags: [dredge, Dredge, lime]\n---\n",
    "---\ntags: [dredging, lime]\n---\n"
)]
#[case::both_names(
    "---\ntags: [dredge, lime, dredging]\n---\n",
    "---\ntags: [lime, dredging]\n---\n"
)]
#[case::both_names_at_the_end(
    "---\ntags: [dredging, dredge]\n---\n",
    "---\ntags: [dredging]\n---\n"
)]
#[case::both_names_in_lines(
    "---\ntags:\n  - dredging\n  - dredge\n---\n",
    "---\ntags:\n  - dredging\n---\n"
)]
#[case::unlike(
    "---\ntags: [dredger, lime]\ntitle: dredge\n---\n",
    "---\ntags: [dredger, lime]\ntitle: dredge\n---\n"
)]
fn a_post_is_renamed_to_the_letter(#[case] before: &str, #[case] after: &str) {
    let path = "posts/2026-03-14-a.md";
    let bench = Bench::new("")
        .with("posts/2026-03-13-x.md", "---\ntags: dredge\n---\n")
        .with(path, before);
    let renamed = bench
        .workspace()
        .rename_term("tag", "dredge", "dredging")
        .unwrap();
    let now = changed(&bench, &renamed.files);
    assert_eq!(now.sources.read(path).unwrap(), after.as_bytes());
}

/// A post that is front matter alone keeps the syntax of its format, whatever the new name has.
#[rstest]
#[case::toml("toml", "tags = ['dredge']\n", "tags = [\"the diver's\"]\n")]
#[case::json(
    "json",
    "{\"tags\": [\"dredge\"]}\n",
    "{\"tags\": [\"the diver's\"]}\n"
)]
#[case::yaml("yaml", "tags: ['dredge']\n", "tags: ['the diver''s']\n")]
fn a_data_file_is_renamed_in_its_format(
    #[case] ending: &str,
    #[case] before: &str,
    #[case] after: &str,
) {
    let path = format!("posts/2026-03-14-a.{ending}");
    let settings = format!("[content.posts]\nfiles = [\"*.md\", \"*.{ending}\"]\n");
    let bench = Bench::new(&settings).with(&path, before);
    let renamed = bench
        .workspace()
        .rename_term("tag", "dredge", "the diver's")
        .unwrap();
    let now = changed(&bench, &renamed.files);
    assert_eq!(now.sources.read(&path).unwrap(), after.as_bytes());
    let workspace = now.workspace();
    assert_eq!(workspace.diagnostics(), []);
    let found = workspace
        .query("from posts where tag = \"the diver's\"")
        .unwrap();
    assert_eq!(found.total(), 1);
}

/// The old page leads to the new one, and notes go with their terms.
#[rstest]
#[case::no_note("", None, "---\nmoved_from: /tags/dredge/\n---\n")]
#[case::a_note(
    "terms/tag/dredge.md",
    Some("---\nspellings: [dredges]\n---\nMud.\n"),
    "---\nmoved_from: /tags/dredge/\nspellings: [dredges]\n---\nMud.\n"
)]
#[case::a_title(
    "terms/tag/dredge.md",
    Some("---\ntitle: Dredge\nmoved_from: /t/dredge/\n---\n"),
    "---\ntitle: dredging\nmoved_from: [\"/t/dredge/\",\"/tags/dredge/\"]\n---\n"
)]
#[case::a_note_of_the_other(
    "terms/tag/dredging.md",
    Some("+++\ntitle = \"Dredging\"\n+++\n"),
    "+++\nmoved_from = \"/tags/dredge/\"\ntitle = \"Dredging\"\n+++\n"
)]
fn the_old_address_leads_to_the_new_page(
    #[case] path: &str,
    #[case] note: Option<&str>,
    #[case] expected: &str,
) {
    let mut bench =
        Bench::new("").with("posts/2026-03-14-a.md", "---\ntags: [lime, dredge]\n---\n");
    if let Some(note) = note {
        bench = bench.with(path, note);
    }
    let renamed = bench
        .workspace()
        .rename_term("tag", "dredge", "dredging")
        .unwrap();
    assert_eq!(renamed.moved, ["/tags/dredge/"]);
    let changes = files(&renamed.files);
    assert_eq!(changes["terms/tag/dredging.md"], Some(expected));
    if path == "terms/tag/dredge.md" {
        assert_eq!(changes[path], None);
    }
    let mut now = changed(&bench, &renamed.files);
    now.sound();
    assert!(
        now.page("tags/dredge/index.html")
            .contains("/tags/dredging/")
    );
    assert!(now.files().contains(&"tags/dredging/index.html".to_owned()));
}

#[test]
fn terms_below_a_term_go_with_it() {
    let settings = "[terms.tag]\nnested = true\n";
    let bench = Bench::new(settings)
        .with(
            "posts/2026-03-14-a.md",
            "---\ntags: [boats/narrow, boats]\n---\n",
        )
        .with("posts/2026-03-15-b.md", "---\ntags: boats/wide\n---\n")
        .with("terms/tag/boats/narrow.md", "Narrow.\n");
    let renamed = bench
        .workspace()
        .rename_term("tag", "boats", "vessels")
        .unwrap();
    let changes = files(&renamed.files);
    assert_eq!(
        changes["posts/2026-03-14-a.md"],
        Some("---\ntags: [vessels/narrow, vessels]\n---\n")
    );
    assert_eq!(
        changes["posts/2026-03-15-b.md"],
        Some("---\ntags: vessels/wide\n---\n")
    );
    assert_eq!(changes["terms/tag/boats/narrow.md"], None);
    let moved = ["/tags/boats/", "/tags/boats/narrow/", "/tags/boats/wide/"];
    assert_eq!(renamed.moved, moved);
    let mut now = changed(&bench, &renamed.files);
    let settings = bench.sources.read("tabulae.toml").unwrap();
    now.sources.write("tabulae.toml", settings);
    now.sound();
    assert!(
        now.page("tags/boats/wide/index.html")
            .contains("/tags/vessels/wide/")
    );
}

#[rstest]
#[case::no_such_term("lmie", "x", "no post has the tag `lmie`")]
#[case::nothing("lime", " ", "it has no characters")]
#[case::a_comma("lime", "a, b", "a comma")]
#[case::the_same("lime", "lime", "that is its name already")]
fn what_cannot_be_renamed_is_an_error(#[case] from: &str, #[case] to: &str, #[case] message: &str) {
    let bench = Bench::new("").with("posts/2026-03-14-a.md", "---\ntags: lime\n---\n");
    let error = bench.workspace().rename_term("tag", from, to).unwrap_err();
    assert!(error.diagnostics()[0].message.contains(message), "{error}");
}

/// With an error in any post, that post could keep the old name.
#[test]
fn a_site_with_errors_is_not_renamed() {
    let bench = Bench::new("")
        .with("posts/2026-03-14-a.md", "---\ntags: lime\n---\n")
        .with(
            "posts/2026-03-15-b.md",
            "---\ntags: lime\ndate: never\n---\n",
        );
    let error = bench
        .workspace()
        .rename_term("tag", "lime", "mortar")
        .unwrap_err();
    assert_eq!(error.diagnostics()[0].code, crate::Code::InvalidDate);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// Whatever the new name, posts have it afterwards, and all else is the same.
    #[test]
    fn posts_have_the_new_name(name in "[a-zA-Z0-9'\":#\\[\\]{}& é~.!-]{1,8}") {
        let name = name.trim();
        prop_assume!(!name.is_empty() && name != "lime" && !tabulae_core::term::slug(name).is_empty());
        prop_assume!(tabulae_core::term::identity(name) != "sand");
        let bench = Bench::new("")
            .with("posts/2026-03-14-a.md", "---\ntags: [sand, lime]\n---\nlime\n")
            .with("posts/2026-03-15-b.md", "---\ntags:\n- 'lime'\n- \"sand\"\n---\n")
            .with("posts/2026-03-16-c.md", "+++\ntags = ['lime', \"lime \"]\n+++\n")
            .with("posts/2026-03-17-d.md", "{\"tags\": [\"sand\", \"lime\"]}\n");
        let renamed = bench.workspace().rename_term("tag", "lime", name).unwrap();
        let now = changed(&bench, &renamed.files);
        let site = now.workspace();
        let fields = site.terms(Some("tag")).unwrap();
        let terms: Vec<_> = fields[0].terms.iter().map(|used| (used.term.name.as_str(), used.term.posts.len())).collect();
        prop_assert_eq!(terms, [(name, 4), ("sand", 3)]);
        let mut output = Out::default();
        prop_assert!(site.build(&mut output, now.options()).is_ok());
    }
}
