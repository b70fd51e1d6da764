//! Archives, overviews, lists and queries.

use rstest::rstest;
use tabulae_core::diagnostic::Code;

use super::bench::{Bench, SITE, said};
use super::{small, titles};

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
    assert_eq!(bench.codes(), codes);
}

/// The dates of the posts fall with their titles; each is on a page of its own.
#[rstest]
#[case::newest_first("", "Newer", "Older")]
#[case::oldest_first("order by date", "Previous", "Next")]
#[case::against_the_dates("order by title desc", "Previous", "Next")]
#[case::by_title_and_yet_newest_first("order by title", "Newer", "Older")]
fn the_pager_says_older_only_where_posts_are_older(
    #[case] order: &str,
    #[case] before: &str,
    #[case] after: &str,
) {
    let settings = format!(
        "{SITE}[archive.all]\nlink = \"/all/\"\nquery = \"from posts {order}\"\nper_page = 1\n"
    );
    let mut bench = small().with("tabulae.toml", &settings);
    bench.sound();
    let page = bench.page("all/page/2/index.html");
    for (class, word) in [("newer", before), ("older", after)] {
        let link = page
            .split(&format!("<a class=\"{class}\""))
            .nth(1)
            .expect("a link");
        let (_, text) = link.split_once('>').expect("a text");
        assert!(text.starts_with(&format!("{word}</a>")), "{text}");
    }
}

/// Neither the posts of the list nor their order change, but a date.
#[test]
fn the_words_of_the_pager_change_with_a_date() {
    let settings =
        "[archive.all]\nlink = \"/all/\"\nquery = \"from posts order by title\"\nper_page = 1\n";
    let mut bench = small().with("tabulae.toml", &format!("{SITE}{settings}"));
    bench.sound();
    let text = "---\ntitle: Lime & sand\ndate: 2026-05-01\ntags: [lime, Masonry]\ncategory: Locks\n---\n\nLime first.\n";
    let written = bench.after_edit("posts/2026-03-14-lime.md", Some(text));
    assert!(
        written.contains(&"all/index.html".to_owned()),
        "{written:?}"
    );
    assert!(bench.page("all/index.html").contains(">Next</a>"));
}
