use crate::site::Site;
use rstest::rstest;
use serde_json::json;

#[test]
fn the_files_of_the_theme_are_listed_with_those_that_the_site_has() {
    let site = Site::small();
    site.write("templates/parts/card.html", "{{ post|link }}");
    let run = site.run(&["theme"]);
    let listed: Vec<Vec<&str>> = run
        .sound()
        .out
        .lines()
        .map(|line| line.split("  ").collect())
        .collect();
    let own = listed
        .iter()
        .filter(|line| line.last().is_some_and(|at| at.starts_with("templates/")));
    assert_eq!(
        own.map(|line| (line[0], *line.last().expect("a value")))
            .collect::<Vec<_>>(),
        [("parts/card.html", "templates/parts/card.html")]
    );
    let run = site.run(&["theme", "--format", "json"]);
    let files = run.sound().json()["files"].clone();
    assert_eq!(files.as_array().expect("a value").len(), listed.len());
    assert!(
        files
            .as_array()
            .expect("a value")
            .iter()
            .any(|file| file["name"] == "tabulae.css" && file["own"].is_null())
    );
}

/// A copied file changes no page: it is the text of the theme that the build used before.
#[rstest]
#[case::template("post.html", "templates/post.html")]
#[case::part("parts/card.html", "templates/parts/card.html")]
#[case::by_its_path("templates/parts/card.html", "templates/parts/card.html")]
#[case::style("tabulae.css", "assets/tabulae.css")]
#[case::style_of_feeds("tabulae-feeds.css", "assets/tabulae-feeds.css")]
fn a_copy_is_the_text_that_was_used(#[case] name: &str, #[case] path: &str) {
    let site = Site::small();
    site.write("pages/lime.de.md", "---\ntitle: Kalk\n---\n\nText.\n");
    let settings = site.read("tabulae.toml") + "\n[locale.de]\ntitle = \"Kalk\"\n";
    site.write("tabulae.toml", settings);
    site.run(&["build", "--out", "before"]).sound();
    let run = site.run(&["theme", "copy", name]);
    assert_eq!(run.sound().out, format!("Copied to {path}.\n"));
    assert_eq!(
        site.run(&["theme", "show", name]).sound().out,
        site.read(path)
    );
    site.run(&["build", "--out", "after"]).sound();
    for page in [
        "index.html",
        "de/lime/index.html",
        "tabulae.css",
        "tabulae-feeds.css",
    ] {
        assert_eq!(
            site.read(&format!("before/{page}")),
            site.read(&format!("after/{page}"))
        );
    }
}

#[test]
fn a_file_of_the_site_is_never_written_over() {
    let site = Site::small();
    site.write("templates/post.html", "mine");
    let run = site.run(&["theme", "copy", "post.html"]);
    assert_eq!(run.status, 3);
    assert_eq!(
        run.err,
        "templates/post.html:1:1: error: cannot write the file `templates/post.html`: a file of this name exists \
         [unwritable-file]\n  help: change `templates/post.html`, or delete it first\n\n"
    );
    assert_eq!(site.read("templates/post.html"), "mine");
}

#[rstest]
#[case::show("show")]
#[case::copy("copy")]
fn an_unknown_name_is_an_error_with_the_nearest(#[case] action: &str) {
    let site = Site::small();
    let run = site.run(&["theme", action, "parts/crad.html", "--format", "json"]);
    assert_eq!(run.status, 2);
    let diagnostic = run.json()["diagnostics"][0].clone();
    assert_eq!(
        diagnostic["message"],
        json!("the theme has no file `parts/crad.html`")
    );
    assert_eq!(diagnostic["help"], json!("did you mean `parts/card.html`?"));
}

#[test]
fn without_a_site_files_are_shown_and_none_is_copied() {
    let site = Site::empty();
    let shown = site.run(&["theme", "show", "tabulae-feeds.css"]);
    assert!(shown.sound().out.contains("content: \"This is a feed"));
    let copied = site.run(&["theme", "copy", "post.html"]);
    assert!(copied.err.contains("[missing-settings]"), "{}", copied.err);
    assert!(!site.file("templates").exists());
}
