//! `tabulae diff`, what `build` says of addresses, and lint levels.

use serde_json::json;

use crate::site::Site;

/// A site that was built, and then lost its feed, its export, its tags and a post, and got another post.
fn changed() -> Site {
    let site = Site::small();
    site.write("posts/2026-03-15-sand.md", "---\ntitle: Sand\n---\n");
    let settings = site.read("tabulae.toml");
    let export = "[export.all]\nquery = \"from posts\"\nlink = \"/posts.csv\"\nfields = [\"title\"]\nformat = \"csv\"\n";
    site.write("tabulae.toml", format!("{settings}{export}"));
    site.run(&["build"]).sound();
    site.run(&["diff", "--save", "live.json"]).sound();
    let less = "[feed.atom]\nenabled = false\n[archive.tags]\nenabled = false\n";
    site.write("tabulae.toml", format!("{settings}{less}"));
    std::fs::remove_file(site.file("posts/2026-03-15-sand.md")).expect("a file");
    site.write("posts/2026-03-16-brick.md", "---\ntitle: Brick\n---\n");
    site
}

const LINES: &str = "Feeds lost: /atom.xml.
Exports lost: /posts.csv.
Addresses lost without a redirect: /feeds/, /tags/, /tags/lime/.
Newly public: /2026/brick/ (posts/2026-03-16-brick.md).
Withdrawn: /2026/sand/ (posts/2026-03-15-sand.md).
";

#[test]
fn a_build_says_what_readers_notice() {
    let site = changed();
    assert!(site.run(&["build"]).sound().out.contains(LINES));
    assert!(!site.run(&["build"]).sound().out.contains("lost"));
}

#[test]
fn a_diff_lists_all_of_it() {
    let site = changed();
    let expected = "1 feed lost:
  /atom.xml
1 export lost:
  /posts.csv
3 addresses lost without a redirect:
  /feeds/
  /tags/
  /tags/lime/
1 post newly public:
  /2026/brick/  posts/2026-03-16-brick.md
1 post withdrawn:
  /2026/sand/  posts/2026-03-15-sand.md
";
    assert_eq!(site.run(&["diff"]).sound().out, expected);
    // Against the list that was saved it is the same, also once the site is built.
    site.run(&["build"]).sound();
    let nothing = "Readers would notice nothing.\n";
    assert_eq!(site.run(&["diff"]).sound().out, nothing);
    let against = site.run(&["diff", "--against", "live.json"]);
    assert_eq!(against.sound().out, expected);
}

#[test]
fn a_diff_is_for_programs_too() {
    let object = changed().run(&["diff", "--format", "json"]).sound().json();
    let expected = json!({
        "feeds_lost": ["/atom.xml"],
        "exports_lost": ["/posts.csv"],
        "lost": ["/feeds/", "/tags/", "/tags/lime/"],
        "published": [{ "address": "/2026/brick/", "post": "posts/2026-03-16-brick.md" }],
        "withdrawn": [{ "address": "/2026/sand/", "post": "posts/2026-03-15-sand.md" }],
        "feed_ids": [],
        "diagnostics": [],
    });
    assert_eq!(object, expected);
}

#[test]
fn a_denied_loss_is_an_error_and_nothing_is_written() {
    let site = changed();
    for command in ["build", "diff"] {
        let run = site.run(&[command, "--deny", "feed-lost"]);
        assert_eq!(run.status, 1);
        assert!(
            run.err
                .contains("error: the feed /atom.xml is lost [feed-lost]"),
            "{}",
            run.err
        );
    }
    assert!(site.file("out/atom.xml").exists() && site.file("out/2026/sand").exists());
    let run = site.run(&["build", "--allow", "feed-lost"]);
    assert!(!run.sound().out.contains("Feeds lost") && run.out.contains("Withdrawn"));
}

#[test]
fn there_must_be_something_to_compare_with() {
    let site = Site::small();
    let run = site.run(&["diff"]);
    assert_eq!(run.status, 2);
    assert!(
        run.err.contains("there is no build to compare with"),
        "{}",
        run.err
    );
    site.write("live.json", "{}");
    let run = site.run(&["diff", "--against", "live.json"]);
    assert_eq!(run.status, 2);
    assert!(
        run.err.contains("this is not a list of addresses"),
        "{}",
        run.err
    );
}

/// `[audit]` governs the warnings of every command.
#[test]
fn levels_govern_every_command() {
    let site = Site::small();
    let settings = site.read("tabulae.toml");
    let audit = |levels: &str| {
        let query = "[archive.sand]\nquery = \"from posts where tag = 'sand'\"\n";
        site.write(
            "tabulae.toml",
            format!("{settings}{query}[audit]\n{levels}\n"),
        );
    };
    audit("");
    assert!(
        site.run(&["build"])
            .err
            .contains("warning: no post has the tag")
    );
    audit("allow = [\"unused-term\", \"empty-result\"]");
    site.run(&["build"]).sound();
    let query = ["query", "from posts where tag = 'sand'"];
    assert!(!site.run(&query).err.contains("no post has the tag"));
    audit("deny = [\"unused-term\"]");
    assert!(site.run(&query).err.contains("error: no post has the tag"));
    let run = site.run(&["build", "--out", "other"]);
    assert!(
        run.err.contains("error: no post has the tag"),
        "{}",
        run.err
    );
    assert_eq!((run.status, site.file("other").exists()), (1, false));
    // The command line comes after the settings.
    let run = site.run(&["build", "--allow", "unused-term"]);
    assert_eq!(run.status, 0, "{}", run.err);
}

/// A warning of a template is found while pages are rendered, and stops the build all the same.
#[test]
fn a_denied_warning_of_a_template_leaves_the_output_as_it_was() {
    let site = Site::small();
    site.run(&["build"]).sound();
    let before = site.tree("out");
    let template = "{% for post in query(\"from posts where title = 'Sand'\") %}{% endfor %}";
    site.write("templates/post.html", template);
    let run = site.run(&["build", "--deny", "empty-result"]);
    assert_eq!(run.status, 1);
    assert!(run.err.contains("error: nothing is found"), "{}", run.err);
    assert!(site.tree("out") == before);
    assert_eq!(site.run(&["build"]).status, 0);
    assert!(site.tree("out") != before);
}
