use std::fs;

use crate::site::Site;
use insta::assert_snapshot;
use rstest::rstest;
use serde_json::json;

const END: &str = "<!-- tabulae end -->";

/// The posts of a site whose pages something else makes.
fn site() -> Site {
    let site = Site::empty();
    site.write(
        "tabulae.toml",
        "[site]\ntitle = \"Log\"\naddress = \"https://x.example/\"\n[content.posts]\npages = false\n[archive.journal]\nper_page = 2\n[archive.tags]\nby = \"tag\"\n[related]\nempty_text = \"Alone.\"\n",
    );
    let post = |path: &str, front: &str| site.write(path, format!("---\n{front}\n---\n\nText.\n"));
    post(
        "posts/2026-03-03-a.md",
        "title: \"Été & lime\"\ntags: [lime, stone]",
    );
    post("posts/2026-03-02-b.md", "title: B\ntags: lime");
    post("posts/2026-03-01-c.md", "title: C\ntags: [lime]");
    post("posts/2025-03-01-d.md", "title: D\ntags: eels");
    site
}

#[test]
fn places_are_filled() {
    let site = site();
    site.write(
        "public/index.html",
        format!(
            "<!doctype html>\n<meta charset=\"utf-8\">\n<!-- tabulae query \"where tag = 'lime' limit 2\" -->\n{END}\n<p><!-- tabulae terms tag limit 2 -->{END}</p>\n<!-- tabulae newest journal -->{END}\n<!-- tabulae newest tags of \"Eels\" -->{END}\n<!-- tabulae query \"where tag = 'lime'\" limit 1 each \"parts/terms.html\" -->{END}\n<!-- tabulae related of \"b\" limit 1 with \"parts/lines.html\" -->{END}\n"
        ),
    );
    let run = site.run(&["weave", "public"]);
    assert_eq!(
        run.sound().out,
        "6 placeholders in 1 of 1 page: 1 page written, 0 unchanged.\n"
    );
    assert_snapshot!(site.read("public/index.html"), @r#"
    <!doctype html>
    <meta charset="utf-8">
    <!-- tabulae query "where tag = 'lime' limit 2" -->
    <ul class="lines">
    <li><span class="when"><time datetime="2026-03-03">3 March 2026</time></span> <a href="/2026/a/">Été &amp; lime</a></li>
    <li><span class="when"><time datetime="2026-03-02">2 March 2026</time></span> <a href="/2026/b/">B</a></li>
    </ul>
    <!-- tabulae end -->
    <p><!-- tabulae terms tag limit 2 -->
    <ul class="terms">
    <li><a href="/tags/eels/">eels</a> 1</li>
    <li><a href="/tags/lime/">lime</a> 3</li>
    </ul>
    <!-- tabulae end --></p>
    <!-- tabulae newest journal -->
    <ul class="lines">
    <li><span class="when"><time datetime="2026-03-03">3 March 2026</time></span> <a href="/2026/a/">Été &amp; lime</a></li>
    <li><span class="when"><time datetime="2026-03-02">2 March 2026</time></span> <a href="/2026/b/">B</a></li>
    </ul>
    <!-- tabulae end -->
    <!-- tabulae newest tags of "Eels" -->
    <ul class="lines">
    <li><span class="when"><time datetime="2025-03-01">1 March 2025</time></span> <a href="/2025/d/">D</a></li>
    </ul>
    <!-- tabulae end -->
    <!-- tabulae query "where tag = 'lime'" limit 1 each "parts/terms.html" -->
    <ul class="terms" aria-label="Terms">
    <li><a href="/tags/lime/">lime</a></li>
    <li><a href="/tags/stone/">stone</a></li>
    </ul>
    <!-- tabulae end -->
    <!-- tabulae related of "b" limit 1 with "parts/lines.html" -->
    <ul class="lines">
    <li><span class="when"><time datetime="2026-03-01">1 March 2026</time></span> <a href="/2026/c/">C</a></li>
    </ul>
    <!-- tabulae end -->
    "#);
}

#[rstest]
#[case::folder("2026/b/index.html")]
#[case::file("2026/b.html")]
fn the_pages_post_is_found_by_its_address(#[case] path: &str) {
    let site = site();
    let page = format!(
        "<!-- tabulae related with \"parts/lines.html\" -->{END}<!-- tabulae query \"where tag = this.tag and not current\" -->{END}"
    );
    site.write(&format!("public/{path}"), page);
    site.run(&["weave", "public"]).sound();
    let filled = site.read(&format!("public/{path}"));
    let links: Vec<&str> = filled
        .split("href=\"")
        .skip(1)
        .filter_map(|rest| rest.split('"').next())
        .collect();
    assert_eq!(links, ["/2026/c/", "/2026/a/", "/2026/a/", "/2026/c/"]);
}

/// Pages as they come: byte order marks, other encodings, other line ends, one long line, broken
/// HTML; each with one place for the newest post.
fn odd_pages() -> Vec<(&'static str, Vec<u8>, Vec<u8>)> {
    let long = "x".repeat(3_000_000);
    vec![
        (
            "latin1",
            b"<meta charset=latin1>caf\xe9 \x80\x9f".to_vec(),
            b"\xff</html>".to_vec(),
        ),
        (
            "utf8",
            "\u{feff}<p>Été ü 運河\r\n".into(),
            "\r\n</p>".into(),
        ),
        ("mac", b"a\rb\rc".to_vec(), b"\rd".to_vec()),
        ("long", long.clone().into(), long.into()),
        (
            "broken",
            b"<p class=a\"><b><i>1 < 2 <!- -> & <!--> \x00".to_vec(),
            b"</b <p".to_vec(),
        ),
        (
            "script",
            b"<script>'<!-- tabulae query -->'</script>".to_vec(),
            b"".to_vec(),
        ),
    ]
}

#[test]
fn every_byte_outside_the_marks_stays() {
    let site = site();
    let mark = b"<!-- tabulae query \"limit 1\" -->".as_slice();
    for (name, before, after) in odd_pages() {
        let page = [&before, mark, b"old", END.as_bytes(), &after].concat();
        site.write(&format!("public/{name}.html"), page);
    }
    let run = site.run(&["weave", "public"]);
    assert_eq!((run.status, run.err.as_str()), (0, ""));
    let once = site.tree("public");
    for (name, before, after) in odd_pages() {
        let bytes = fs::read(site.file(&format!("public/{name}.html"))).expect("a page");
        let start = [&before, mark].concat();
        let end = [END.as_bytes(), &after].concat();
        let inner = bytes
            .strip_prefix(&*start)
            .and_then(|rest| rest.strip_suffix(&*end));
        let inner = inner.unwrap_or_else(|| panic!("{name}"));
        let title: &[u8] = match name {
            "utf8" => "Été &amp; lime".as_bytes(),
            _ => b"&#201;t&#233; &amp; lime",
        };
        let found = inner.windows(title.len()).any(|window| window == title);
        assert!(found, "{name}: {}", String::from_utf8_lossy(inner));
    }
    let run = site.run(&["weave", "public"]);
    assert!(run.sound().out.contains(" 0 pages written"), "{}", run.out);
    assert_eq!(site.tree("public"), once);
}

#[test]
fn a_check_writes_nothing_and_says_what_would_change() {
    let site = site();
    site.write(
        "public/a.html",
        format!("<!-- tabulae newest journal -->{END}"),
    );
    site.write("public/b.html", "<!-- of no concern -->");
    let before = site.tree("public");
    let run = site.run(&["weave", "public", "--check"]);
    assert_eq!(
        (run.status, run.out.as_str()),
        (
            1,
            "public/a.html\n1 placeholder in 1 of 2 pages: 1 page would change, 0 unchanged.\n"
        )
    );
    assert_eq!(site.tree("public"), before);
    site.run(&["weave", "public"]).sound();
    site.run(&["weave", "public", "--check"]).sound();
    let object = site
        .run(&["weave", "public", "--format", "json"])
        .sound()
        .json();
    assert_eq!(
        object,
        json!({ "looked_at": 2, "pages": 1, "placeholders": 1, "changed": [], "diagnostics": [] })
    );
}

#[rstest]
#[case::mark("query", "public/a.html:2:8: error: the query is missing")]
#[case::query(
    "query \"from pots\"",
    "public/a.html:2:29: error: there is no content set or named query `pots`"
)]
#[case::query_field(
    "query \"where tga = 'x'\"",
    "public/a.html:2:30: error: no post of `posts` has a field `tga`"
)]
#[case::related("related", "public/a.html:2:8: error: no post has this page's address")]
#[case::related_of(
    "related of \"bb\"",
    "public/a.html:2:28: error: there is no post `bb`"
)]
#[case::archive(
    "newest jornal",
    "public/a.html:2:24: error: there is no archive `jornal`"
)]
#[case::term(
    "newest tags of \"lme\"",
    "public/a.html:2:32: error: there is no term `lme`"
)]
#[case::field("terms tga", "public/a.html:2:23: error: `tga` is not a term field")]
#[case::order("terms tag order size", "public/a.html:2:33: error: ")]
#[case::template(
    "query \"\" with \"parts/lins.html\"",
    "public/a.html:2:31: error: there is no template `parts/lins.html`"
)]
#[case::part_of_a_page("query \"\" with \"archive.html\"", "error: ")]
fn a_wrong_placeholder_is_reported_with_its_place_and_nothing_is_written(
    #[case] mark: &str,
    #[case] expected: &str,
) {
    let site = site();
    site.write(
        "public/a.html",
        format!("<p>\n<p><!-- tabulae {mark} -->{END}"),
    );
    site.write(
        "public/b.html",
        format!("<!-- tabulae newest journal -->{END}"),
    );
    let before = site.tree("public");
    let run = site.run(&["weave", "public"]);
    assert_eq!((run.status, run.out.as_str()), (1, ""));
    assert!(run.err.contains(expected), "{}", run.err);
    assert!(run.err.contains("help: "), "{}", run.err);
    assert_eq!(site.tree("public"), before);
}

#[rstest]
#[case::not_there("nowhere", "`nowhere` is not there")]
#[case::a_file("tabulae.toml", "`tabulae.toml` is no folder")]
fn a_folder_that_is_none_is_wrong_usage(#[case] dir: &str, #[case] expected: &str) {
    let run = site().run(&["weave", dir]);
    assert_eq!((run.status, run.out.as_str()), (2, ""));
    assert!(run.err.contains(expected), "{}", run.err);
}

#[cfg(unix)]
#[test]
fn symbolic_links_are_not_followed_and_permissions_stay() {
    use std::os::unix::fs::{PermissionsExt, symlink};
    let site = site();
    let page = format!("<!-- tabulae newest journal -->{END}");
    site.write("outside/a.html", &page);
    site.write("public/b.html", &page);
    symlink(site.file("outside"), site.file("public/linked")).expect("a link");
    symlink(site.file("outside/a.html"), site.file("public/c.html")).expect("a link");
    let private = fs::Permissions::from_mode(0o640);
    fs::set_permissions(site.file("public/b.html"), private).expect("permissions");
    site.run(&["weave", "public"]).sound();
    assert_eq!(site.read("outside/a.html"), page);
    assert_ne!(site.read("public/b.html"), page);
    let found = fs::metadata(site.file("public/b.html")).expect("a file");
    assert_eq!(found.permissions().mode() & 0o777, 0o640);
}

/// Two runs would stage files of the same names.
#[test]
fn another_run_that_holds_the_lock_is_an_error() {
    let site = site();
    site.write(
        "public/index.html",
        format!("<!-- tabulae query \"limit 1\" -->{END}\n"),
    );
    site.write(".tabulae/lock", "");
    let lock = fs::File::options()
        .write(true)
        .open(site.file(".tabulae/lock"));
    let lock = lock.expect("the lock");
    lock.lock().expect("held");
    let run = site.run(&["weave", "public"]);
    assert_eq!(run.status, 3);
    assert!(run.err.contains("[build-locked]"), "{}", run.err);
    site.run(&["weave", "public", "--check"]);
    drop(lock);
    site.run(&["weave", "public"]).sound();
}

/// A site whose pages of posts another program makes, in the folder that is built to.
fn beside_built_pages() -> Site {
    let site = Site::empty();
    site.write(
        "tabulae.toml",
        "[site]\ntitle = \"T\"\naddress = \"https://t.example/\"\ndefaults = false\n[content.posts]\npages = false\n[archive.tags]\nby = \"tag\"\n",
    );
    for day in 1..=3 {
        let text = format!("---\ndate: 2026-03-0{day}\nsummary: S.\ntags: [x]\n---\nText.\n");
        site.write(&format!("posts/p{day}.md"), text);
        site.write(
            &format!("public/2026/p{day}/index.html"),
            "<p>By another program.\n",
        );
    }
    site.write("public/about.html", "<p>By hand.\n");
    let home = "<!-- tabulae query \"from posts\" -->\n<!-- tabulae end -->\n";
    site.write("public/index.html", home);
    site
}

#[test]
fn pages_by_hand_beside_built_ones_are_no_strays() {
    let site = beside_built_pages();
    let built = site.run(&["build", "--out", "public"]);
    assert!(!built.sound().out.contains("--prune"), "{}", built.out);
    let woven = site.run(&["weave", "public"]);
    assert_eq!(
        woven.sound().out,
        "1 placeholder in 1 of 6 pages: 1 page written, 0 unchanged.\n"
    );
    let audit = site.run(&["audit", "--out", "public", "--deny", "all"]);
    assert_eq!(audit.sound().out, "No findings.\n");
    // The second build and the second run change nothing of each other.
    let again = site.run(&["build", "--out", "public"]);
    assert!(
        again.sound().out.contains("(0 changed, 0 removed)"),
        "{}",
        again.out
    );
    assert_eq!(site.run(&["weave", "public", "--check"]).status, 0);
}

/// Links from posts of the site to pages by hand beside them are sound, others are not.
#[test]
fn links_to_pages_by_hand_are_sound() {
    let site = beside_built_pages();
    let settings = site.read("tabulae.toml").replace("pages = false\n", "");
    site.write("tabulae.toml", settings);
    std::fs::remove_dir_all(site.file("public/2026")).expect("removed");
    let text = "---\ndate: 2026-03-04\nsummary: S.\ntags: x\n---\n[a](/about), [b](/abuot.html)\n";
    site.write("posts/p4.md", text);
    site.run(&["build", "--out", "public"]).sound();
    let audit = site.run(&["audit", "--out", "public"]);
    let broken: Vec<&str> = audit
        .out
        .lines()
        .filter(|line| line.contains("` leads nowhere"))
        .collect();
    assert_eq!(broken.len(), 1, "{}", audit.out);
    assert!(
        broken[0].contains("posts/p4.md:6:18: `/abuot.html`"),
        "{}",
        audit.out
    );
}

#[test]
fn nothing_is_pruned_where_another_program_writes() {
    let site = beside_built_pages();
    site.run(&["build", "--out", "public"]).sound();
    let before = site.tree("public");
    let run = site.run(&["build", "--out", "public", "--prune"]);
    assert!(
        run.err.contains("nothing is removed from `public`"),
        "{}",
        run.err
    );
    assert_eq!(site.tree("public"), before);
}

/// `weave` fills a page whatever the case of its ending, and so it is of another program.
#[test]
fn a_page_with_an_ending_in_capitals_is_one_that_weave_fills() {
    let site = beside_built_pages();
    let home = site.read("public/index.html");
    std::fs::remove_file(site.file("public/index.html")).expect("removed");
    site.write("public/HOME.HTML", home);
    site.run(&["build", "--out", "public"]).sound();
    let before = site.tree("public");
    site.run(&["build", "--out", "public", "--prune"]);
    assert_eq!(site.tree("public"), before);
}

/// Without a placeholder such files are strays as before.
#[test]
fn a_page_by_hand_in_another_folder_is_a_stray() {
    let site = beside_built_pages();
    site.write("public/index.html", "<p>No placeholder.\n");
    site.run(&["build", "--out", "public"]).sound();
    let audit = site.run(&["audit", "--out", "public"]);
    assert!(audit.out.starts_with("5 stray-file: "), "{}", audit.out);
}
