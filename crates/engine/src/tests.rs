//! Builds on memory: what is made, what is made again, and what is refused.

mod audit;
pub(crate) mod bench;
mod causes;
mod edits;
mod generated;
mod kills;
mod messages;
mod moved;
mod placeholders;
mod restored;
mod session;
mod slips;
mod templates;

use std::collections::BTreeMap;
use std::io;
use std::num::NonZeroUsize;
use std::sync::Arc;

use self::bench::{Bench, SITE, collected, said};
use crate::Workspace;
use crate::options::BuildOptions;
use crate::plan::plan;
use crate::publish::MemoryOutput as Out;
use crate::render::Renderer;
use crate::report::ChangeKind;
use crate::site::Site;
use crate::source::{FileStamp, MemorySources, Sources};
use crate::template::{Environments, RenderContext, RenderData};
use rstest::rstest;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::post::Include;

fn small() -> Bench {
    Bench::new("")
        .with(
            "posts/2026-03-14-lime.md",
            "---\ntitle: Lime & sand\ntags: [lime, Masonry]\ncategory: Locks\n---\n\nLime first.\n",
        )
        .with(
            "posts/2026-04-01-boat.md",
            "---\ntitle: A boat\ntags: lime\ncategory: Boats\n---\n\nA boat.\n",
        )
        .with(
            "posts/2025-01-02-old.md",
            "---\ntitle: Old\n---\n\nLong ago.\n",
        )
}

/// The text of each link in a part of a page, in order.
fn titles(html: &str) -> Vec<&str> {
    html.split("<h2>")
        .skip(1)
        .filter_map(|part| part.split_once('>')?.1.split_once("</a>"))
        .map(|(title, _)| title)
        .collect()
}

#[test]
fn three_lines_of_settings_make_archives_overviews_and_a_feed() {
    let mut bench = small();
    let report = bench.sound();
    assert_eq!(
        bench.files(),
        [
            "2025/index.html",
            "2025/old/index.html",
            "2026/boat/index.html",
            "2026/index.html",
            "2026/lime/index.html",
            "archive/index.html",
            "atom.xml",
            "categories/boats/index.html",
            "categories/index.html",
            "categories/locks/index.html",
            "feeds/index.html",
            "index.html",
            "sitemap.xml",
            "tabulae-feeds.css",
            "tabulae.css",
            "tabulae.js",
            "tags/index.html",
            "tags/lime/index.html",
            "tags/masonry/index.html",
        ]
    );
    assert_eq!(
        (
            report.posts,
            report.written,
            report.unchanged,
            report.removed
        ),
        (3, 19, 0, 0)
    );
    assert_eq!(
        titles(&bench.page("index.html")),
        ["A boat", "Lime &amp; sand", "Old"]
    );
    assert_eq!(
        titles(&bench.page("tags/lime/index.html")),
        ["A boat", "Lime &amp; sand"]
    );
    assert!(bench.page("tags/lime/index.html").contains("2 posts"));
    assert!(bench.page("tags/index.html").contains("1 post<"));
}

#[test]
fn the_same_sources_give_the_same_bytes_on_any_number_of_threads() {
    let bench = small();
    let build = |threads| {
        let mut out = Out::default();
        let options = bench.options().jobs(NonZeroUsize::new(threads));
        bench.workspace().build(&mut out, options).unwrap();
        out.files()
    };
    assert_eq!(build(1), build(4));
}

#[test]
fn a_second_build_writes_nothing() {
    let mut bench = small();
    bench.sound();
    let _ = bench.out.take_published();
    let report = bench.sound();
    assert_eq!((report.written, report.unchanged), (0, 19));
    assert!(bench.out.take_published().is_empty());
}

#[test]
fn an_edit_writes_what_it_touches_and_equals_a_clean_build() {
    let mut bench = small();
    bench.sound();
    let body = bench.after_edit(
        "posts/2025-01-02-old.md",
        Some("---\ntitle: Old\n---\n\nLong ago.\n\nMore.\n"),
    );
    assert_eq!(body, ["2025/old/index.html"]);
    let title = bench.after_edit(
        "posts/2025-01-02-old.md",
        Some("---\ntitle: Older\n---\n\nLong ago.\n"),
    );
    assert_eq!(
        title,
        [
            "2025/index.html",
            "2025/old/index.html",
            "atom.xml",
            "index.html"
        ]
    );
    let gone = bench.after_edit("posts/2026-04-01-boat.md", None);
    assert!(
        gone.contains(&"index.html".to_owned())
            && !bench.files().iter().any(|path| path.contains("boat"))
    );
}

#[test]
fn what_nothing_makes_any_more_is_removed_and_nothing_else() {
    let mut bench = small();
    bench.sound();
    bench.out.put("notes.txt", "by hand");
    bench.sources.remove("posts/2026-04-01-boat.md");
    let report = bench.sound();
    assert_eq!(report.removed, 2);
    assert_eq!(bench.page("notes.txt"), "by hand");
}

#[test]
fn an_output_that_was_deleted_or_edited_is_written_again() {
    let mut bench = small();
    bench.sound();
    let whole = bench.page("index.html");
    bench.out.put("index.html", "edited");
    assert_eq!(bench.sound().written, 1);
    assert_eq!(bench.page("index.html"), whole);
}

#[test]
fn a_file_of_someone_else_at_an_outputs_place_is_refused() {
    let mut bench = small();
    bench.sound();
    bench.out.put("2026/new/index.html", "by hand");
    bench.sources.write("posts/2026-05-01-new.md", "New.\n");
    assert_eq!(
        bench.diagnostics(),
        [(
            "foreign-file".to_owned(),
            "out/2026/new/index.html".to_owned(),
            1,
            1
        )]
    );
    assert_eq!(bench.page("2026/new/index.html"), "by hand");
    assert!(!bench.page("index.html").contains("New"));
    bench.foreign.adopt = true;
    let report = bench.sound();
    assert_eq!(report.written, 6);
    let why = |path: &str| {
        let mut changes = report.changes.iter();
        changes
            .find(|change| change.path == path)
            .map(|change| &*change.why)
    };
    assert_eq!(why("2026/new/index.html"), Some("no known build wrote it"));
    assert!(bench.page("2026/new/index.html").contains("New."));
}

#[test]
fn without_its_memory_a_build_takes_over_only_what_it_would_write() {
    let mut bench = small();
    bench.sound();
    // All files are as this build makes them: taken over without a word.
    bench.out.forget();
    let report = bench.sound();
    assert_eq!((report.written, report.unknown.len()), (0, 0));
    // One is not, and it is not known who wrote it.
    bench.out.forget();
    bench.out.put("index.html", "<p>HAND");
    bench.out.put("robots.txt", "HAND");
    let before = bench.out.files();
    assert_eq!(
        bench.diagnostics(),
        [diagnostic("foreign-file", "out/index.html")]
    );
    assert_eq!(bench.out.files(), before);
    bench.foreign.adopt = true;
    let report = bench.sound();
    assert_eq!(
        (report.written, report.unknown),
        (1, vec!["robots.txt".to_owned()])
    );
    assert_eq!(bench.page("robots.txt"), "HAND");
}

#[test]
fn many_files_of_no_known_build_are_counted() {
    let mut bench = small();
    bench.sound();
    for path in bench.files() {
        bench.out.put(&path, "other bytes");
    }
    bench.out.forget();
    let built = bench.build();
    assert_eq!(built.diagnostics.len(), 11);
    let last = &built.diagnostics[10].message;
    assert_eq!(last, "9 more files of `out` were written by no known build");
}

fn diagnostic(code: &str, file: &str) -> (String, String, usize, usize) {
    (code.to_owned(), file.to_owned(), 1, 1)
}

#[test]
fn a_retracted_post_goes_offline_even_if_its_page_was_changed() {
    let mut bench = small();
    bench.sound();
    bench.out.put("2025/old/index.html", "<p>minified");
    bench.sources.remove("posts/2025-01-02-old.md");
    bench.sound();
    assert!(bench.out.text("2025/old/index.html").is_none());
}

#[test]
fn files_of_no_known_build_are_counted_and_pruned_when_that_is_asked_for() {
    let mut bench = small();
    bench.out.put("old/index.html", "an older build's");
    bench.out.put("CNAME", "x.example");
    assert_eq!(bench.sound().unknown, ["CNAME", "old/index.html"]);
    // A build that finds nothing changed says so as well.
    assert_eq!(bench.sound().unknown, ["CNAME", "old/index.html"]);
    bench.foreign.prune = true;
    bench.dry_run = true;
    let report = bench.sound();
    let pruned: Vec<_> = report.changes.iter().map(|c| (c.kind, &*c.path)).collect();
    let listed = [
        (ChangeKind::Prune, "CNAME"),
        (ChangeKind::Prune, "old/index.html"),
    ];
    assert_eq!(pruned, listed);
    assert_eq!(bench.page("CNAME"), "x.example");
    bench.dry_run = false;
    let report = bench.sound();
    assert_eq!((report.removed, report.unknown.len()), (2, 0));
    assert!(bench.out.text("CNAME").is_none());
    assert!(bench.out.text("index.html").is_some());
}

/// Each would write outside of the output folder, or where no file can be.
#[rstest]
#[case::old_address(
    "moved_from: \"/%2e%2e/%2e%2e/tabulae.toml\"",
    "",
    "invalid-address",
    "posts/2026-03-14-x.md",
    2
)]
#[case::old_address_of_the_own_host(
    "moved_from: \"https://x.example/%2e%2e/posts/ok.md\"",
    "",
    "invalid-address",
    "posts/2026-03-14-x.md",
    2
)]
#[case::old_address_with_a_nul(
    "moved_from: \"/a%00b/\"",
    "",
    "invalid-address",
    "posts/2026-03-14-x.md",
    2
)]
#[case::feed(
    "",
    "[feed.f]\nlink = \"/%2e%2e/%2e%2e/tabulae.toml\"\n",
    "invalid-link-pattern",
    "tabulae.toml",
    6
)]
#[case::feed_by_its_name("", "[feed.\"../../q\"]\n", "invalid-path", "tabulae.toml", 5)]
#[case::archive(
    "",
    "[archive.a]\nlink = \"/%2e%2e/q/\"\n",
    "invalid-link-pattern",
    "tabulae.toml",
    6
)]
#[case::archive_by_its_name(
    "",
    "[archive.\"%2e%2e/%2e%2e/q\"]\n",
    "invalid-link-pattern",
    "tabulae.toml",
    5
)]
#[case::overview(
    "",
    "[archive.a]\nby = \"tag\"\noverview = \"/.%2e/q/\"\n",
    "invalid-link-pattern",
    "tabulae.toml",
    7
)]
#[case::content(
    "",
    "[content.posts]\nlink = \"/%2e%2e/{slug}/\"\n",
    "invalid-link-pattern",
    "tabulae.toml",
    6
)]
#[case::content_by_its_name(
    "",
    "[content.posts]\n[content.\"../../z\"]\n",
    "invalid-value",
    "tabulae.toml",
    6
)]
#[case::long_name("moved_from: /LONG/", "", "invalid-path", "posts/2026-03-14-x.md", 2)]
fn no_address_leads_out_of_the_output_folder(
    #[case] front: &str,
    #[case] settings: &str,
    #[case] code: &str,
    #[case] file: &str,
    #[case] line: usize,
) {
    let front = front.replace("LONG", &"é".repeat(200));
    let mut bench = Bench::new(settings).with(
        "posts/2026-03-14-x.md",
        &format!("---\n{front}\ntags: [x]\n---\nText\n"),
    );
    let diagnostics = bench.diagnostics();
    let found = diagnostics
        .iter()
        .any(|(found, path, at, _)| (&**found, &**path, *at) == (code, file, line));
    assert!(found, "{diagnostics:?}");
    assert_eq!(bench.files(), [""; 0]);
}

#[rstest]
#[case::posts("slug: Lime", "slug: lime", true)]
#[case::a_redirect("slug: sand\nid: a\nmoved_from: /2026/LIME/", "slug: lime", false)]
fn paths_that_differ_only_in_case_are_refused(
    #[case] one: &str,
    #[case] other: &str,
    #[case] error: bool,
) {
    let mut bench = Bench::new("[archive.all]\nlink = \"/\"\n")
        .with("posts/2026-03-14-a.md", &format!("---\n{one}\n---\nText\n"))
        .with(
            "posts/2026-03-15-b.md",
            &format!("---\n{other}\n---\nText\n"),
        );
    let built = bench.build();
    let found: Vec<_> = built
        .diagnostics
        .iter()
        .map(|d| (d.code.name(), d.is_error()))
        .collect();
    assert_eq!(found, [("path-case-conflict", error)]);
}

#[test]
fn a_path_that_windows_cannot_hold_is_a_warning() {
    let mut bench = Bench::new("")
        .with("assets/aux.txt", "a")
        .with("posts/2026-03-14-x.md", "Text\n");
    assert_eq!(
        bench.diagnostics(),
        [diagnostic("path-not-portable", "assets/aux.txt")]
    );
    assert_eq!(bench.page("aux.txt"), "a");
}

#[test]
fn a_dry_run_says_what_would_change_and_writes_nothing() {
    let mut bench = small();
    bench.sound();
    let before = bench.out.files();
    bench.sources.write("posts/2026-05-01-new.md", "New.\n");
    bench.sources.remove("posts/2025-01-02-old.md");
    bench.dry_run = true;
    let report = bench.sound();
    let made: Vec<_> = report
        .changes
        .iter()
        .filter(|c| c.kind == ChangeKind::Make)
        .map(|c| c.path.as_str())
        .collect();
    assert_eq!(made, ["2026/new/index.html"]);
    let removed: Vec<_> = report
        .changes
        .iter()
        .filter(|c| c.kind == ChangeKind::Remove)
        .map(|c| c.path.as_str())
        .collect();
    assert_eq!(removed, ["2025/index.html", "2025/old/index.html"]);
    assert_eq!(bench.out.files(), before);
}

#[test]
fn excluded_posts_are_in_no_list_and_counted() {
    let mut bench = small()
        .with(
            "posts/d.md",
            "---\ndraft: true\ntags: secret\n---\nDraft.\n",
        )
        .with("posts/2026-06-02-s.md", "---\ntitle: Soon\n---\nSoon.\n")
        .with(
            "posts/2026-06-01-t.md",
            "---\ndate: 2026-06-01 13:30\ntitle: Sooner\n---\nSoon.\n",
        )
        .with(
            "posts/2026-01-02-e.md",
            "---\nexpires: 2026-02-01\n---\nGone.\n",
        )
        .with(
            "posts/2026-01-03-u.md",
            "---\nunlisted: true\ntitle: Quiet\n---\nQuiet.\n",
        );
    let report = bench.sound();
    assert_eq!(
        report.excluded,
        BTreeMap::from([
            ("draft".to_owned(), 1),
            ("expired".to_owned(), 1),
            ("scheduled".to_owned(), 2),
            ("unlisted".to_owned(), 1)
        ])
    );
    let due = report.next_due.unwrap();
    assert_eq!(
        (due.at.at.to_string().as_str(), due.title.as_str()),
        ("2026-06-01T12:30:00Z", "Sooner")
    );
    assert_eq!(titles(&bench.page("index.html")).len(), 3);
    assert!(bench.page("2026/u/index.html").contains("Quiet"));
    let all: String = bench
        .out
        .files()
        .values()
        .map(|bytes| String::from_utf8_lossy(bytes).into_owned())
        .collect();
    assert!(!all.contains("secret") && !all.contains("Soon") && !all.contains("Gone"));
    assert!(!bench.page("sitemap.xml").contains("/2026/u/"));
    bench.include.drafts = true;
    bench.include.scheduled = true;
    bench.sound();
    assert!(bench.files().contains(&"tags/secret/index.html".to_owned()));
    assert_eq!(titles(&bench.page("index.html")).len(), 6);
}

#[test]
fn a_list_is_cut_into_pages_that_keep_its_order_and_filter() {
    let mut bench = Bench::new(
        "[archive.a]\nquery = \"from posts where tag = 'x'\"\nlink = \"/a/\"\nper_page = 2\n[archive.b]\nlink = \"/b.html\"\nper_page = 4\n",
    );
    for day in 1..=5 {
        bench.sources.write(
            &format!("posts/2026-01-0{day}-p{day}.md"),
            format!(
                "---\ntitle: P{day}\ntags: {}\n---\n",
                if day == 3 { "y" } else { "x" }
            ),
        );
    }
    bench.sound();
    assert_eq!(titles(&bench.page("a/index.html")), ["P5", "P4"]);
    assert_eq!(titles(&bench.page("a/page/2/index.html")), ["P2", "P1"]);
    assert!(!bench.files().contains(&"a/page/3/index.html".to_owned()));
    assert!(
        bench
            .page("a/index.html")
            .contains("<link rel=\"next\" href=\"/a/page/2/\">")
    );
    assert!(
        bench
            .page("a/page/2/index.html")
            .contains("<link rel=\"prev\" href=\"/a/\">")
    );
    assert!(bench.page("a/page/2/index.html").contains("3–4 of 4"));
    assert_eq!(titles(&bench.page("b/page/2/index.html")), ["P1"]);
    assert!(bench.page("b.html").contains("href=\"/b/page/2/\""));
}

#[rstest]
#[case::month("by = \"month\"", &["a/2026/03/index.html", "a/2026/04/index.html"], "April 2026")]
#[case::day("by = \"day\"", &["a/2026/03/14/index.html", "a/2026/04/01/index.html"], "1 April 2026")]
#[case::field("by = \"hours\"", &["a/12/index.html", "a/9/index.html"], "9")]
#[case::author("by = \"author\"\nlink = \"/a/{author}/\"", &["a/ines/index.html", "a/odd/index.html"], "Odd")]
#[case::at_least("by = \"author\"\nlink = \"/a/{author}/\"\nat_least = 2", &["a/ines/index.html"], "Ines")]
fn archives_by_every_kind(#[case] by: &str, #[case] files: &[&str], #[case] title: &str) {
    let mut bench = Bench::new(&format!("[archive.a]\n{by}\noverview = \"/all/\"\n"))
        .with(
            "posts/2026-03-14-x.md",
            "---\nhours: 12\nauthor: Ines\n---\n",
        )
        .with(
            "posts/2026-04-01-y.md",
            "---\nhours: 9\nauthors: [Odd, Ines]\n---\n",
        );
    bench.sound();
    let found: Vec<String> = bench
        .files()
        .into_iter()
        .filter(|path| path.starts_with("a/"))
        .collect();
    assert_eq!(found, files);
    assert!(
        bench
            .page("all/index.html")
            .contains(&format!(">{title}</a>"))
    );
}

#[test]
fn numbers_of_an_overview_stand_in_the_order_of_numbers() {
    let mut bench = Bench::new("[archive.a]\nby = \"hours\"\noverview = \"/all/\"\n")
        .with("posts/2026-03-14-x.md", "---\nhours: 12\n---\n")
        .with("posts/2026-04-01-y.md", "---\nhours: 9\n---\n");
    bench.sound();
    let page = bench.page("all/index.html");
    assert!(page.find(">9</a>") < page.find(">12</a>"));
}

#[test]
fn lines_stand_under_their_months() {
    let mut bench = Bench::new("[archive.years]\nby = \"year\"\nlink = \"/{year}/\"\ngroup = \"month\"\nshow = \"lines\"\n")
        .with("posts/2026-03-14-x.md", "")
        .with("posts/2026-03-01-y.md", "")
        .with("posts/2026-01-01-z.md", "");
    bench.sound();
    let page = bench.page("2026/index.html");
    let headings: Vec<_> = page
        .match_indices("<h2 class=\"group\">")
        .map(|(at, _)| page[at + 18..].split_once('<').unwrap().0)
        .collect();
    assert_eq!(headings, ["March 2026", "January 2026"]);
}

#[test]
fn an_archive_without_posts_has_its_page_with_a_notice() {
    let mut bench = Bench::new("[archive.a]\nquery = \"from posts where year = 1999\"\n")
        .with("posts/2026-03-14-x.md", "");
    let built = bench.build();
    insta::assert_snapshot!(said(&built.diagnostics), @r"
    tabulae.toml:6:10: nothing is found among 1 post: `year = 1999` leaves 0
      all posts here are of 2026
    ");
    assert!(bench.page("a/index.html").contains("Nothing here yet."));
}

#[test]
fn an_address_with_a_path_stands_before_every_link() {
    let mut bench = small()
        .with(
            "posts/2026-05-01-links.md",
            "[a](/tags/) [b](2026-04-01-boat.md) ![c](c.svg) [d](https://y.example/)\n",
        )
        .with("posts/c.svg", "<svg/>");
    bench
        .sources
        .write("tabulae.toml", SITE.replace("x.example/", "x.example/log/"));
    bench.sound();
    let page = bench.page("2026/links/index.html");
    for link in [
        "href=\"/log/tags/\"",
        "href=\"/log/2026/boat/\"",
        "src=\"/log/2026/links/c.svg\"",
        "href=\"https://y.example/\"",
        "href=\"/log/tabulae.css\"",
        "href=\"https://x.example/log/2026/links/\"",
    ] {
        assert!(page.contains(link), "{link} is not in {page}");
    }
    assert!(bench.files().contains(&"2026/links/c.svg".to_owned()));
    let feed = bench.page("atom.xml");
    assert!(feed.contains("<id>https://x.example/log/2026/links/</id>"));
}

#[test]
fn files_go_with_the_post_that_keeps_or_names_them() {
    let mut bench = Bench::new("")
        .with("posts/2026-03-14-a/index.md", "A.\n")
        .with("posts/2026-03-14-a/deep/x.txt", "x")
        .with("posts/2026-03-14-a/2026-03-15-b/index.md", "B.\n")
        .with("posts/2026-03-14-a/2026-03-15-b/y.txt", "y")
        .with(
            "posts/2026-03-16-c.md",
            "---\nimage: c.svg\n---\n[z](files/z.txt)\n",
        )
        .with("posts/c.svg", "c")
        .with("posts/files/z.txt", "z")
        .with("posts/nobody.txt", "n")
        .with("assets/favicon.ico", "f");
    bench.sound();
    let copies: Vec<_> = bench
        .files()
        .into_iter()
        .filter(|path| !path.ends_with("ml") && !path.starts_with("tabulae"))
        .collect();
    assert_eq!(
        copies,
        [
            "2026/a/deep/x.txt",
            "2026/b/y.txt",
            "2026/c/c.svg",
            "2026/c/files/z.txt",
            "favicon.ico"
        ]
    );
}

#[test]
fn pages_stand_at_their_names_and_html_ones_are_templates() {
    let mut bench = small()
        .with("pages/about.md", "# About us\n\nText.\n")
        .with("pages/deep/more.md", "---\ntitle: More\n---\n")
        .with("pages/hidden.md", "---\ndraft: true\n---\n")
        .with("pages/list.html", "---\ntitle: List\n---\n{% for post in query(\"from posts where tag = 'lime' order by title limit 1\") %}[{{ post.title }}]{% else %}none{% endfor %}{% for post in query(\"from posts where tag = 'lime' and year = 2025\") %}{% else %}nothing yet{% endfor %}");
    let report = bench.sound();
    assert_eq!(report.pages, 4);
    assert!(bench.page("about/index.html").contains("<h1>About us</h1>"));
    assert!(bench.files().contains(&"deep/more/index.html".to_owned()));
    assert!(!bench.files().contains(&"hidden/index.html".to_owned()));
    assert_eq!(bench.page("list/index.html"), "[A boat]nothing yet\n");
}

#[test]
fn queries_on_a_page_do_not_disturb_one_another_or_the_list_of_the_page() {
    let mut bench = small().with(
        "templates/archive.html",
        "{% for post in query(\"from posts where year = 2025\") %}{{ post.title }};{% endfor %}\
         {% for post in posts %}{{ post.title }}:\
         {% for post in query(\"from posts where category = :name\", name=post.category) %}{{ post.title }}{% else %}none{% endfor %};\
         {% endfor %}{{ posts|length }}",
    );
    bench.sound();
    assert_eq!(
        bench.page("index.html"),
        "Old;A boat:A boat;Lime &amp; sand:Lime &amp; sand;Old:none;3\n"
    );
}

#[test]
fn terms_are_counted_among_the_posts_of_a_query_with_those_below_them() {
    let mut bench = Bench::new("[terms.category]\nnested = true\n")
        .with("posts/2026-03-14-a.md", "---\ncategory: [Way/Locks, Way/Reaches]\n---\n")
        .with("posts/2026-03-15-b.md", "---\ncategory: Way\n---\n")
        .with("posts/2025-03-15-c.md", "---\ncategory: Boats\n---\n")
        .with(
            "pages/terms.html",
            "---\ntitle: T\n---\n{% for term in terms('category', order='count', query='from posts where year = :year', year=2026) %}{{ term.name }} {{ term.count }};{% endfor %}",
        );
    bench.sound();
    assert_eq!(
        bench.page("terms/index.html"),
        "Way 2;Way/Locks 1;Way/Reaches 1;\n"
    );
}

#[test]
fn every_diagnostic_of_a_query_in_a_template_is_reported_at_its_place() {
    let mut bench = small().with(
        "pages/x.html",
        "---\ntitle: X\n---\n<ul>\n{% for post in query(\"from posts where tagg = 'lime' and yaer = 2026\") %}\n{% endfor %}\n",
    ).with(
        "pages/y.html",
        "---\ntitle: Y\n---\n{% for post in query(\"from posts where year = 2019\") %}{% endfor %}{{ query(\"from posts where date > today\")|length }}",
    );
    insta::assert_snapshot!(said(&bench.build().diagnostics), @r"
    pages/y.html:4:23: nothing is found among 3 posts: `year = 2019` leaves 0
      years here are 2025 to 2026
    pages/x.html:5:40: no post of `posts` has a field `tagg`
      did you mean `tag`?
    pages/x.html:5:58: no post of `posts` has a field `yaer`
      did you mean `year`?
    ");
}

#[test]
fn a_nested_term_shows_what_stands_above_and_below_it() {
    let mut bench = Bench::new(
        "[archive.categories]\nby = \"category\"\nlink = \"/c/{category}/\"\noverview = \"/c/\"\n[terms.category]\nnested = true\n",
    )
    .with("posts/2026-03-14-a.md", "---\ncategory: Way/Locks/Top\n---\n")
    .with("posts/2026-03-15-b.md", "---\ncategory: Way/Reaches\n---\n");
    bench.sound();
    let crumb = |file: &str| {
        let page = bench.page(file);
        let part = page.split_once("<p class=\"crumb\">").unwrap().1;
        part.split_once("</p>").unwrap().0.to_owned()
    };
    assert_eq!(
        crumb("c/way/locks/top/index.html"),
        "<a href=\"/c/\">Categories</a> › <a href=\"/c/way/\">Way</a> › <a href=\"/c/way/locks/\">Locks</a>"
    );
    assert_eq!(crumb("c/way/index.html"), "<a href=\"/c/\">Categories</a>");
    let way = bench.page("c/way/index.html");
    assert!(way.contains("<li><a href=\"/c/way/locks/\">Locks</a> 1</li>\n<li><a href=\"/c/way/reaches/\">Reaches</a> 1</li>"));
    assert!(way.contains("2 posts") && !way.contains("\"/c/way/locks/top/\">Top</a> 1"));
}

#[test]
fn a_list_of_several_pages_has_its_titles_for_the_script() {
    let mut bench = small();
    bench.sources.write(
        "tabulae.toml",
        "[site]\ntitle = \"T\"\naddress = \"https://x.example/log/\"\n[archive.a]\nlink = \"/a/\"\nper_page = 2\n[archive.b]\nlink = \"/b/\"\nper_page = 3\n",
    );
    bench.sound();
    assert_eq!(
        bench.page("a/titles.json"),
        "{\"posts\":[[\"A boat\",\"/log/2026/boat/\",\"2026-04-01\",\"1 April 2026\"],\
         [\"Lime & sand\",\"/log/2026/lime/\",\"2026-03-14\",\"14 March 2026\"],\
         [\"Old\",\"/log/2025/old/\",\"2025-01-02\",\"2 January 2025\"]]}\n"
    );
    assert!(!bench.files().contains(&"b/titles.json".to_owned()));
}

#[test]
fn the_search_page_has_the_texts_of_all_listed_posts() {
    let mut bench = small();
    assert!(!bench.files().contains(&"search/index.html".to_owned()));
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}search = true\n"));
    bench
        .sources
        .write("posts/hidden.md", "---\ndraft: true\n---\n");
    bench.sound();
    assert_eq!(
        bench.page("search/posts.json"),
        "{\"terms\":[\"lime\",\"Boats\",\"Masonry\",\"Locks\"],\"posts\":[\
         [[\"A boat\",\"/2026/boat/\",\"2026-04-01\",\"1 April 2026\"],\"A boat.\",[0,1]],\
         [[\"Lime & sand\",\"/2026/lime/\",\"2026-03-14\",\"14 March 2026\"],\"Lime first.\",[0,2,3]],\
         [[\"Old\",\"/2025/old/\",\"2025-01-02\",\"2 January 2025\"],\"Long ago.\",[]]]}\n"
    );
    assert!(
        bench
            .page("sitemap.xml")
            .contains("https://x.example/search/")
    );
}

#[test]
fn a_post_shows_what_is_related_and_why() {
    let mut bench = small();
    bench.sources.write(
        "tabulae.toml",
        format!("{SITE}[archive.journal]\nlink = \"/journal/\"\nfeeds = [\"atom\"]\nfeed_content = \"full\"\n[archive.tags]\nby = \"tag\"\n[related]\nempty_text = \"Nothing like it.\"\nfeeds = true\nweigh = {{ tag = 1 }}\n"),
    );
    bench.sound();
    let part = |file: &str| {
        let page = bench.page(file);
        let part = page.split_once("<section class=\"related\"").unwrap().1;
        part.split_once("</section>").unwrap().0.to_owned()
    };
    let lime = part("2026/lime/index.html");
    assert!(
        lime.contains("<a href=\"/2026/boat/\">A boat</a>"),
        "{lime}"
    );
    assert!(
        lime.contains("<p class=\"why\">shares <a href=\"/tags/lime/\">lime</a></p>"),
        "{lime}"
    );
    assert!(!lime.contains("Old") && !lime.contains("/2026/lime/"));
    assert!(part("2025/old/index.html").contains("<p class=\"empty\">Nothing like it.</p>"));
    let feed = bench.page("journal/atom.xml");
    let end = "&lt;h2&gt;Read next&lt;/h2&gt;\n&lt;ul&gt;\n&lt;li&gt;&lt;a href=\"https://x.example/2026/boat/\"&gt;A boat&lt;/a&gt;&lt;/li&gt;\n&lt;/ul&gt;";
    assert!(feed.replace("&quot;", "\"").contains(end), "{feed}");
}

#[test]
fn likeness_serves_in_any_query_of_a_posts_page() {
    let mut bench = small().with(
        "templates/post.html",
        "{% for other in query(\"from posts where likeness > 0 and not current order by likeness desc limit 3\") %}{{ other.title }} {{ other.likeness }};{% endfor %}",
    );
    bench.sound();
    // Both have the tag lime, of two posts of three: weights 3 of tag, 2 of category, 1 of title
    // and 1 of body, of which only the tag and no word is shared. The tag vectors are
    // (x) and (x, y) with x = ln(1 + 3/2), y = ln(1 + 3/1): 3/7·x/√(x² + y²).
    let page = bench.page("2026/boat/index.html");
    assert_eq!(page, "Lime &amp; sand 0.236315272;\n");
}

#[test]
fn the_script_is_small() {
    assert!(crate::template::script().len() < 4000);
    assert!(crate::template::STYLE.len() < 12_000);
}

#[test]
fn old_addresses_lead_to_the_new() {
    let mut bench = Bench::new("").with(
        "posts/2026-03-14-a.md",
        "---\nmoved_from: [/old/, /older]\n---\n",
    );
    bench.build();
    assert!(bench.page("old/index.html").contains("url=/2026/a/"));
    assert!(bench.page("older/index.html").contains("url=/2026/a/"));
    assert!(
        bench
            .page("atom.xml")
            .contains("<id>https://x.example/old/</id>")
    );
}

#[test]
fn a_template_of_the_sites_own_takes_the_place_of_one() {
    let mut bench = small().with("templates/parts/card.html", "<h2><a href=\"{{ post.link }}\">{{ post.title }}</a></h2>({{ post.hours }}|{{ post.tags }}|{{ post.date|date(\"%-d %b %y\") }})\n");
    bench.sources.write(
        "posts/2026-05-05-h.md",
        "---\ntitle: H\nhours: 7.5\ntags: [a, b]\n---\n",
    );
    bench.sound();
    let page = bench.page("index.html");
    assert!(page.contains("(7.5|a, b|5 May 26)"), "{page}");
    assert!(page.contains("(||2 Jan 25)"));
}

#[rstest]
#[case::the_themes(None, 3)]
#[case::by_the_post_alone(Some("{{ post.title }} {{ site.title }}"), 3)]
#[case::by_what_no_list_knows(Some("{% if mood is defined %}{{ mood }}{% endif %}"), 3)]
#[case::with_a_part_of_all(Some("{{ post.title }}{{ once('parts/foot.html') }}"), 3)]
#[case::by_its_page(Some("{{ page.title }}"), 0)]
#[case::by_the_list_around_it(Some("{% if archive is defined %}x{% endif %}"), 0)]
fn a_card_is_made_once_for_all_lists_unless_they_differ(
    #[case] card: Option<&str>,
    #[case] kept: usize,
) {
    let list = "{% for post in query('') %}{{ card(post) }}{% endfor %}";
    let bench = small().with("templates/list.html", list);
    if let Some(card) = card {
        bench.sources.write("templates/parts/card.html", card);
    }
    let mut diagnostics = Diagnostics::new();
    let site = Site::read(&bench.sources, &bench.options(), &mut diagnostics).unwrap();
    let plan = plan(&site, &mut diagnostics);
    let data = Arc::new(RenderData::new(site, plan));
    let environments = Environments::new(&data, &mut diagnostics);
    let renderer = Renderer::new(Arc::clone(&data), environments, &bench.sources);
    let list = |title: &str| {
        let page = minijinja::context! { title };
        let values = minijinja::context! { page, archive => title };
        let context = RenderContext::new(Arc::clone(&data));
        renderer.part(&context, "list.html", values).unwrap()
    };
    let shows_page = card.is_some_and(|card| card.contains("page."));
    assert_eq!(list("One") == list("Other"), !shows_page);
    assert_eq!(data.kept_cards(2), kept);
}

/// The small site has three posts: in Arabic that is the form for a few.
#[rstest]
#[case::english("language = \"en\"\n", &["<html lang=\"en\">", "3 posts", "14 March 2026", ">Tags</a>", ">Years</a>"])]
#[case::german("language = \"de\"\n", &["<html lang=\"de\">", "3 Beiträge", "14. März 2026", ">Schlagwörter</a>", ">Jahre</a>"])]
#[case::own_words("language = \"de\"\n[words]\nposts = \"Texte\"\ntags = \"Themen\"\n", &["3 Texte", ">Themen</a>"])]
#[case::arabic("language = \"ar\"\n", &["<html lang=\"ar\" dir=\"rtl\">", "3 تدوينات", ">الوسوم</a>"])]
#[case::no_words("language = \"fi\"\n[audit]\nallow = [\"untranslated-words\"]\n", &["<html lang=\"fi\">", "3 posts", "14. maaliskuuta 2026"])]
fn another_language_has_its_own_words_and_months(
    #[case] settings: &str,
    #[case] expected: &[&str],
) {
    let mut bench = small();
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}{settings}"));
    bench.sound();
    let page = bench.page("index.html");
    for text in expected {
        assert!(page.contains(text), "{text}: {page}");
    }
}

#[rstest]
#[case::no_settings("tabulae.toml", None, "missing-settings", "tabulae.toml", 1, 1)]
#[case::broken_settings("tabulae.toml", Some("[site"), "settings-syntax", "tabulae.toml", 1, 6)]
#[case::yaml(
    "posts/a.md",
    Some("---\ntitle: a: b\n---\n"),
    "front-matter-syntax",
    "posts/a.md",
    2,
    9
)]
#[case::toml(
    "posts/a.md",
    Some("+++\ntitle = a\n+++\n"),
    "front-matter-syntax",
    "posts/a.md",
    2,
    9
)]
#[case::json(
    "posts/a.md",
    Some("{\"title\": a}"),
    "front-matter-syntax",
    "posts/a.md",
    1,
    11
)]
#[case::no_date("posts/a.md", Some("x"), "missing-date", "posts/a.md", 1, 1)]
#[case::same_address(
    "posts/2026-04-02-boat.md",
    Some("x"),
    "address-conflict",
    "posts/2026-04-01-boat.md",
    1,
    1
)]
#[case::asset_and_page(
    "assets/2026/lime/index.html",
    Some("x"),
    "address-conflict",
    "assets/2026/lime/index.html",
    1,
    1
)]
#[case::asset_and_folder("assets/tags", Some("x"), "address-conflict", "tabulae.toml", 1, 1)]
#[case::empty_term(
    "posts/2026-04-02-x.md",
    Some("---\ntags: ['++']\n---\n"),
    "empty-slug",
    "posts/2026-04-02-x.md",
    2,
    8
)]
#[case::template(
    "templates/post.html",
    Some("{% if %}"),
    "template-syntax",
    "templates/post.html",
    1,
    7
)]
#[case::unknown_name(
    "templates/post.html",
    Some("a\n{{ post.titel }}"),
    "template-error",
    "templates/post.html",
    2,
    4
)]
#[case::unknown_filter(
    "templates/post.html",
    Some("{{ post.title|uper }}"),
    "template-error",
    "templates/post.html",
    1,
    15
)]
#[case::query_in_template(
    "pages/x.html",
    Some(
        "---\ntitle: x\n---\n{% for p in query(\"from posts where categry = 'x'\") %}{% endfor %}"
    ),
    "unknown-field",
    "pages/x.html",
    4,
    37
)]
fn bad_input_is_refused_with_its_place_and_nothing_is_written(
    #[case] path: &str,
    #[case] text: Option<&str>,
    #[case] code: &str,
    #[case] file: &str,
    #[case] line: usize,
    #[case] column: usize,
) {
    let mut bench = small();
    bench.sound();
    let before = bench.out.files();
    match text {
        Some(text) => bench.sources.write(path, text),
        None => bench.sources.remove(path),
    }
    let first = bench.diagnostics().into_iter().next();
    assert_eq!(
        first,
        Some((code.to_owned(), file.to_owned(), line, column))
    );
    assert_eq!(bench.out.files(), before);
}

#[test]
fn two_terms_at_one_address_name_both() {
    let mut bench = small()
        .with("posts/2026-05-01-x.md", "---\ntags: [a.b]\n---\n")
        .with("posts/2026-05-02-y.md", "---\ntags: [a/b]\n---\n");
    let built = bench.build();
    let diagnostic = &built.diagnostics[0];
    assert_eq!(diagnostic.code, Code::AddressConflict);
    assert!(
        diagnostic.message.contains("\"a.b\"") && diagnostic.message.contains("\"a/b\""),
        "{}",
        diagnostic.message
    );
}

#[test]
fn every_diagnostic_of_a_run_is_reported_together() {
    let mut bench = small()
        .with("posts/a.md", "---\ndate: soon\nslug: a/b\n---\n")
        .with("posts/b.md", "---\ntags: {a: b}\ndate: 2026-02-30\n---\n")
        .with("posts/c.md", "---\nopen\n");
    bench.sources.write(
        "posts/d.md",
        b"---\ndate: 2026-01-01\n---\n\xff\xfe".to_vec(),
    );
    let found: Vec<_> = bench
        .diagnostics()
        .into_iter()
        .map(|(code, file, line, _)| format!("{file}:{line} {code}"))
        .collect();
    assert_eq!(
        found,
        [
            "posts/a.md:2 invalid-date",
            "posts/a.md:3 invalid-slug",
            "posts/b.md:3 invalid-date",
            "posts/b.md:2 invalid-type",
            "posts/c.md:1 unclosed-front-matter",
            "posts/d.md:4 invalid-utf8",
        ]
    );
    assert!(bench.files().is_empty());
}

#[test]
fn a_build_that_keeps_going_leaves_out_the_broken_posts_only() {
    let mut bench = small()
        .with("posts/a.md", "---\ndate: soon\n---\n")
        .with("posts/2026-05-01-b.md", "---\nrelated: nothing\n---\n");
    bench.keep_going = true;
    let built = bench.build();
    assert_eq!(built.diagnostics.len(), 2);
    assert_eq!(
        titles(&bench.page("index.html")),
        ["A boat", "Lime &amp; sand", "Old"]
    );
    let mut settings = small().with("templates/post.html", "{% if %}");
    settings.keep_going = true;
    assert_eq!(settings.build().diagnostics.len(), 1);
    assert!(settings.files().is_empty());
}

#[test]
fn a_folder_without_posts_is_refused_and_one_of_two_is_a_warning() {
    let mut bench = Bench::new("");
    assert_eq!(
        bench.diagnostics(),
        [(
            "missing-content".to_owned(),
            "tabulae.toml".to_owned(),
            1,
            1
        )]
    );
    let mut bench = Bench::new("").with("posts/readme.txt", "x");
    let built = bench.build();
    assert!(built.diagnostics[0].code == Code::EmptyContent && built.diagnostics[0].is_error());
    let mut bench = Bench::new("[content.posts]\n[content.notes]\ndated = false\n")
        .with("posts/2026-01-01-a.md", "")
        .with("notes/x.txt", "");
    let built = bench.build();
    assert!(built.diagnostics[0].code == Code::EmptyContent && !built.diagnostics[0].is_error());
    assert!(bench.files().contains(&"2026/a/index.html".to_owned()));
}

#[test]
fn undated_posts_are_left_out_with_one_warning_for_each_list() {
    let mut bench = Bench::new(
        "defaults = false\n[content.notes]\ndated = false\n[archive.all]\nfeeds = [\"atom\", \"rss\"]\n[archive.years]\nby = \"year\"\n[feed.x]\n",
    )
    .with("notes/a.md", "A.\n")
    .with("notes/b.md", "---\nupdated: 2026-01-01\n---\n")
    .with("notes/c.md", "C.\n");
    let built = bench.build();
    let told = built.diagnostics.iter().map(|diagnostic| {
        assert_eq!(diagnostic.code, Code::UndatedPosts);
        (diagnostic.location.line, diagnostic.message.as_str())
    });
    let expected = [
        (
            8,
            "a feed of the archive `all` leaves out 2 posts that have no date",
        ),
        (
            10,
            "the archive `years` leaves out 3 posts that have no date",
        ),
        (12, "the feed `x` leaves out 2 posts that have no date"),
    ];
    assert_eq!(told.collect::<Vec<_>>(), expected);
    for path in ["all/atom.xml", "all/rss.xml", "x.xml"] {
        assert!(bench.page(path).contains("/notes/b/") && !bench.page(path).contains("/notes/a/"));
    }
}

#[test]
fn a_content_set_within_another_keeps_its_own_posts() {
    let mut bench = Bench::new("[content.posts]\nfolder = \"all\"\n[content.notes]\nfolder = \"all/notes\"\ndated = false\n")
        .with("all/2026-01-01-a.md", "")
        .with("all/notes/b.md", "");
    let built = bench.build();
    assert_eq!(built.output.posts, 2);
    assert!(bench.files().contains(&"notes/b/index.html".to_owned()));
}

#[test]
fn posts_without_pages_are_listed_by_their_addresses() {
    let mut bench = Bench::new("[content.posts]\npages = false\nlink = \"/blog/{slug}.html\"\n")
        .with("posts/2026-01-01-a.md", "");
    bench.sound();
    assert!(!bench.files().contains(&"blog/a.html".to_owned()));
    assert!(bench.page("index.html").contains("href=\"/blog/a.html\""));
}

#[rstest]
#[case::lines("", "<ul class=\"lines\">", "<p>A boat.</p>")]
#[case::cards("show = \"cards\"\n", "<article class=\"card\">", "<li>")]
fn related_posts_are_lines_or_cards(#[case] show: &str, #[case] there: &str, #[case] not: &str) {
    let mut bench = small();
    let settings = format!("{SITE}[related]\nweigh = {{ tag = 1 }}\n{show}");
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    let page = bench.page("2026/lime/index.html");
    let list = page.split("<section class=\"related\"").nth(1).unwrap();
    let list = list.split("</section>").next().unwrap();
    assert!(list.contains(there) && !list.contains(not), "{list}");
    let why = "shares <a href=\"/tags/lime/\">lime</a>";
    assert!(list.contains(why) && list.contains("A boat"), "{list}");
}

#[rstest]
#[case::two_posts(
    &[("posts/b/lime.md", "---\ndate: 2026-03-14\n---\n")],
    "",
    "give one of them another `slug`"
)]
#[case::two_terms(
    &[("posts/b.md", "---\ndate: 2026-03-14\ntags: [C++, c plus plus]\n---\n")],
    "",
    "to make one term of both, run `tabulae terms tag --write-notes`; for two terms, write `slug: c-plus-plus-2` into the front matter of a note `terms/tag/c plus plus.md`"
)]
#[case::two_values(
    &[("posts/b.md", "---\ndate: 2026-03-14\nplace: St Ives\n---\n"), ("posts/c.md", "---\ndate: 2026-03-14\nplace: St. Ives\n---\n")],
    "[archive.places]\nby = \"place\"\nlink = \"/places/{place}/\"\n",
    "write both values alike, or so that they differ in letters or digits"
)]
#[case::a_page_and_a_list(
    &[("pages/index.html", "Home")],
    "[archive.all]\nlink = \"/\"\n",
    "give the page `pages/index.html` another `slug`, or the archive `all` another `link`"
)]
#[case::an_asset_and_an_old_address(
    &[("assets/old.html", ""), ("pages/a.md", "---\nmoved_from: /old.html\n---\n")],
    "",
    "give the asset `assets/old.html` another name, or the old address of `pages/a.md` another `moved_from`"
)]
#[case::a_file_and_a_folder(
    &[("assets/tags", "")],
    "",
    "give the asset `assets/tags` another name, or the overview of the archive `tags` another `overview`"
)]
#[case::what_has_a_fixed_address(
    &[("posts/search.md", "---\ndate: 2026-03-14\n---\n")],
    "search = true\n[content.posts]\nlink = \"/{slug}/\"\n",
    "give the post `posts/search.md` another `slug`"
)]
fn two_makers_of_one_output_are_told_the_way_out(
    #[case] files: &[(&str, &str)],
    #[case] settings: &str,
    #[case] way_out: &str,
) {
    let mut bench =
        Bench::new(settings).with("posts/lime.md", "---\ndate: 2026-03-14\ntags: lime\n---\n");
    for (path, text) in files {
        bench.sources.write(path, *text);
    }
    let built = bench.build();
    let helps: Vec<_> = built
        .diagnostics
        .iter()
        .filter_map(|diagnostic| diagnostic.help.as_deref())
        .collect();
    assert_eq!(helps, [way_out]);
}

#[rstest]
#[case::script("image: \"javascript:alert(1)\"", "invalid-address")]
#[case::page("image: \"data:text/html,<p>\"", "invalid-address")]
#[case::too_many_terms(&format!("tags: [{}]", (0..1001).map(|n| format!("t{n},")).collect::<String>()), "invalid-value")]
#[case::too_deep_a_term(&format!("tags: [\"{}x\"]", "a/".repeat(32)), "invalid-value")]
fn front_matter_has_limits(#[case] front: &str, #[case] code: &str) {
    let mut bench = Bench::new("").with("posts/2026-03-14-x.md", &format!("---\n{front}\n---\n"));
    assert_eq!(
        bench
            .diagnostics()
            .iter()
            .map(|diagnostic| &*diagnostic.0)
            .collect::<Vec<_>>(),
        [code]
    );
}

#[test]
fn a_limit_beyond_all_posts_is_all_posts() {
    let settings = "[related]\nquery = \"from posts where likeness >= 0 order by likeness desc limit 999999999\"\n";
    let mut bench = Bench::new(settings)
        .with("posts/2026-03-14-x.md", "---\ntags: [a]\n---\nx\n")
        .with("posts/2026-03-15-y.md", "---\ntags: [a]\n---\ny\n")
        .with("pages/p.html", "{% for p in query(\"from posts limit 18446744073709551615 offset 1\") %}{{ p.title }}{% endfor %}");
    bench.sound();
    assert_eq!(bench.page("p/index.html"), "X\n");
    assert!(bench.page("2026/x/index.html").contains("/2026/y/"));
}

#[rstest]
#[case::short(64, &[])]
#[case::long(65, &["invalid-query"])]
#[case::far_too_long(5000, &["invalid-query"])]
fn chains_of_named_queries_have_an_end(#[case] length: usize, #[case] codes: &[&str]) {
    let query = |n: usize| match n {
        0 => "q0 = \"from posts where tag = 'a'\"\n".to_owned(),
        n => format!("q{n} = \"from q{} where tag = 'a'\"\n", n - 1),
    };
    // The last is written first, as the order should not matter.
    let queries: String = (0..length).rev().map(query).collect();
    let mut bench = Bench::new(&format!("[queries]\n{queries}"))
        .with("posts/2026-03-14-x.md", "---\ntags: [a]\n---\n");
    assert_eq!(
        bench
            .diagnostics()
            .iter()
            .map(|diagnostic| &*diagnostic.0)
            .collect::<Vec<_>>(),
        codes
    );
}

/// Sources whose large files can only be opened, and of which one breaks off within.
#[derive(Debug, Clone)]
struct Streamed {
    memory: MemorySources,
    breaks_off: Option<&'static str>,
}

/// A reader that fails where its file would end.
struct BreaksOff<R>(R);

impl<R: io::Read> io::Read for BreaksOff<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self.0.read(buffer) {
            Ok(0) => Err(io::ErrorKind::UnexpectedEof.into()),
            read => read,
        }
    }
}

impl Sources for Streamed {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        self.memory.list(folder)
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        assert!(self.memory.size(path)? < 1 << 21, "{path} is read whole");
        self.memory.read(path)
    }

    fn open(&self, path: &str) -> io::Result<Box<dyn io::Read + '_>> {
        let whole = io::Cursor::new(self.memory.read(path)?);
        Ok(if self.breaks_off == Some(path) {
            Box::new(BreaksOff(whole))
        } else {
            Box::new(whole)
        })
    }

    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>> {
        self.memory.stamp(path)
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        self.memory.size(path)
    }

    fn share(&self) -> Arc<dyn Sources> {
        Arc::new(self.clone())
    }
}

#[test]
fn a_large_asset_is_copied_piece_by_piece() {
    let film = |byte: u8| vec![byte; (1 << 21) + 1];
    let mut bench = small();
    bench.sources.write("assets/film.mp4", film(1));
    let mut sources = Streamed {
        memory: bench.sources.clone(),
        breaks_off: None,
    };
    let build = |sources: &Streamed, out: &mut Out| {
        let site = Workspace::from_sources(sources.clone());
        collected(site.build(out, BuildOptions::default()))
    };
    let mut written = |sources: &Streamed| {
        let built = build(sources, &mut bench.out);
        assert_eq!(built.diagnostics, []);
        (bench.out.files()["film.mp4"].clone(), built.output.written)
    };
    assert_eq!(written(&sources).0, film(1));
    assert_eq!(written(&sources), (film(1), 0));
    sources.memory.write("assets/film.mp4", film(2));
    assert_eq!(written(&sources), (film(2), 1));
    sources.memory.write("assets/film.mp4", film(3));
    sources.breaks_off = Some("assets/film.mp4");
    let built = build(&sources, &mut bench.out);
    let found = said(&built.diagnostics);
    assert!(
        found.starts_with("assets/film.mp4:1:1: cannot read"),
        "{found}"
    );
    assert_eq!(bench.out.files()["film.mp4"], film(2));
}
