//! The navigation, and the links between pages: headings, terms, and the posts before and after one.

use rstest::rstest;

use super::bench::{Bench, said};
use super::small;

/// The links of the navigation of a page, each with its text.
fn menu(page: &str) -> Vec<(String, String)> {
    let Some((_, nav)) = page.split_once("<nav aria-label=\"Lists\">") else {
        return Vec::new();
    };
    let nav = nav.split("</nav>").next().unwrap_or_default();
    let links = nav.split("<a href=\"").skip(1);
    let links = links.filter_map(|rest| {
        let (link, rest) = rest.split_once('"')?;
        let text = rest.split_once('>')?.1.split_once('<')?.0;
        Some((text.to_owned(), link.to_owned()))
    });
    links.collect()
}

fn texts(menu: &[(String, String)]) -> Vec<&str> {
    menu.iter().map(|(text, _)| text.as_str()).collect()
}

#[test]
fn the_menu_has_what_the_settings_name_in_their_order() {
    let mut bench = Bench::new(
        "search = true\nmenu = [\"years\", \"/about/\", \"/search/\", \"/2026/lime/\", { title = \"A & B\", link = \"https://shop.example/?a&b\" }, \"journal\"]\n",
    )
    .with("posts/2026-03-14-lime.md", "---\ntitle: Lime\n---\n")
    .with("pages/about.md", "---\ntitle: About us\n---\n");
    bench.sound();
    let expected = [
        ("Years", "/archive/"),
        ("About us", "/about/"),
        ("Search", "/search/"),
        ("Lime", "/2026/lime/"),
        ("A &amp; B", "https://shop.example/?a&amp;b"),
        ("Journal", "/"),
    ];
    let found = menu(&bench.page("2026/lime/index.html"));
    let found: Vec<_> = found
        .iter()
        .map(|(text, link)| (&**text, &**link))
        .collect();
    assert_eq!(found, expected);
    let current = "<a href=\"/about/\" aria-current=\"page\">";
    assert!(bench.page("about/index.html").contains(current));
}

#[test]
fn an_empty_menu_has_nothing() {
    let mut bench = Bench::new("menu = []\n").with("posts/2026-03-14-lime.md", "");
    bench.sound();
    assert!(!bench.page("index.html").contains("<nav"));
}

#[test]
fn archives_and_pages_keep_out_of_the_menu() {
    let mut bench = small()
        .with("pages/about.md", "---\ntitle: About us\nmenu: false\n---\n")
        .with("pages/more.md", "---\ntitle: More\nmenu: main\n---\n");
    bench.sound();
    let all = ["Journal", "Tags", "Categories", "Years", "More"];
    assert_eq!(texts(&menu(&bench.page("index.html"))), all);
    let settings = format!("{}[archive.tags]\nmenu = false\n", super::SITE);
    bench.after_edit("tabulae.toml", Some(&settings));
    let fewer = ["Journal", "Categories", "Years", "More"];
    assert_eq!(texts(&menu(&bench.page("index.html"))), fewer);
    assert!(bench.files().contains(&"tags/index.html".to_owned()));
    bench.after_edit("pages/about.md", Some("---\ntitle: About us\n---\n"));
    assert_eq!(texts(&menu(&bench.page("index.html"))).len(), 5);
}

/// Names and addresses are those of the site's language; a page without a translation is in its own language alone.
#[test]
fn the_menu_is_in_the_language_of_the_page() {
    let mut bench = Bench::new(
        "menu = [\"tags\", \"/about/\", \"/help/\"]\n[locale.de]\ntitle = \"Log\"\ndescription = \"Von Kalk\"\n",
    )
    .with("posts/2026-03-14-lime.md", "---\ntags: lime\n---\n")
    .with("posts/2026-03-14-lime.de.md", "---\ntags: lime\n---\n")
    .with("pages/about.md", "---\ntitle: About\n---\n")
    .with("pages/help.md", "---\ntitle: Help\n---\n")
    .with("pages/about.de.md", "---\ntitle: Über uns\nslug: ueber\n---\n");
    bench.sound();
    assert_eq!(
        texts(&menu(&bench.page("index.html"))),
        ["Tags", "About", "Help"]
    );
    let page = bench.page("de/index.html").replace("Listen", "Lists");
    let found = menu(&page);
    let found: Vec<_> = found
        .iter()
        .map(|(text, link)| (&**text, &**link))
        .collect();
    assert_eq!(
        found,
        [("Schlagwörter", "/de/tags/"), ("Über uns", "/de/ueber/")]
    );
}

#[rstest]
#[case::an_archive(
    "\"jurnal\"",
    "there is no archive `jurnal`\n  did you mean `journal`?\n"
)]
#[case::an_address(
    "\"/abuot/\"",
    "no page of this site has the address /abuot/\n  did you mean `/about/`?\n"
)]
#[case::far(
    "\"/forum/thread/\"",
    "no page of this site has the address /forum/thread/\n  write `{ title = \"…\", link = \"/forum/thread/\" }` if another program makes this page\n"
)]
#[case::without_overview(
    "\"hours\"",
    "the archive `hours` is split and has no page of all its terms\n  give it one, such as `overview = \"/hours/\"`, or write the address of one of its lists\n"
)]
#[case::number(
    "3",
    "an entry of `site.menu` is text or a table, and this is a number\n  write the name of an archive, an address such as \"/about/\", or `{ title = \"…\", link = \"…\" }`\n"
)]
#[case::no_title(
    "{ link = \"/a/\" }",
    "an entry of `site.menu` has no `title`\n  write `{ title = \"…\", link = \"…\" }`\n"
)]
#[case::relative(
    "{ title = \"A\", link = \"a/\" }",
    "\"a/\" is not an address from the site's root\n  put the file into assets/, and write \"/a/\"\n"
)]
fn an_entry_that_leads_nowhere_is_an_error(#[case] entry: &str, #[case] expected: &str) {
    let mut bench = Bench::new(&format!(
        "menu = [{entry}]\n[archive.hours]\nby = \"hours\"\n"
    ))
    .with("posts/2026-03-14-lime.md", "---\nhours: 3\n---\n")
    .with("pages/about.md", "---\ntitle: About us\n---\n");
    let found = said(&bench.build().diagnostics);
    let (place, sentence) = found.split_once(": ").unwrap_or_default();
    assert_eq!(sentence, expected);
    assert!(place.starts_with("tabulae.toml:5:"), "{place}");
}

#[rstest]
#[case::months(
    "group = \"month\"",
    "[archive.months]\nby = \"month\"\nlink = \"/{year}/{month}/\"",
    "/2026/04/",
    "April 2026"
)]
#[case::years("group = \"year\"", "", "/2026/", "2026")]
#[case::a_term("group = \"category\"", "", "/categories/boats/", "Boats")]
fn headings_lead_to_their_pages(
    #[case] group: &str,
    #[case] archive: &str,
    #[case] link: &str,
    #[case] text: &str,
) {
    let mut bench = small();
    let settings = format!("{}[archive.journal]\n{group}\n{archive}\n", super::SITE);
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    let heading = format!("<h2 class=\"group\"><a href=\"{link}\">{text}</a></h2>");
    assert!(
        bench.page("index.html").contains(&heading),
        "{}",
        bench.page("index.html")
    );
}

/// A heading that has no page, or is that of the page itself, is text.
#[test]
fn headings_without_a_page_are_text() {
    let mut bench = small();
    let settings = format!(
        "{}[archive.years]\ngroup = \"year\"\n[archive.journal]\ngroup = \"day\"\n",
        super::SITE
    );
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    assert!(
        bench
            .page("2026/index.html")
            .contains("<h2 class=\"group\">2026</h2>")
    );
    assert!(
        bench
            .page("index.html")
            .contains("<h2 class=\"group\">1 April 2026</h2>")
    );
}

/// The list of a heading comes with a post that is not on the page, and goes.
#[test]
fn a_heading_follows_the_list_that_it_leads_to() {
    let mut bench = small();
    let settings = format!(
        "{}[archive.journal]\ngroup = \"category\"\nper_page = 1\n[archive.categories]\nat_least = 2\n",
        super::SITE
    );
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    let text = "<h2 class=\"group\">Boats</h2>";
    assert!(bench.page("index.html").contains(text));
    bench.after_edit(
        "posts/2024-01-01-more.md",
        Some("---\ncategory: Boats\n---\n"),
    );
    let link = "<h2 class=\"group\"><a href=\"/categories/boats/\">Boats</a></h2>";
    assert!(bench.page("index.html").contains(link));
    bench.after_edit("posts/2024-01-01-more.md", None);
    assert!(bench.page("index.html").contains(text));
}

#[test]
fn cards_show_authors_and_own_terms() {
    let mut bench = Bench::new("[content.posts]\nterms = [\"stone type\"]\n[archive.stones]\nby = \"stone type\"\nlink = \"/stones/{term}/\"\n")
        .with("posts/2026-03-14-lime.md", "---\nauthors: [Ann, Bo]\nstone type: Blue Lias\n---\n");
    bench.sound();
    for page in ["index.html", "2026/lime/index.html"] {
        let page = bench.page(page);
        assert!(page.contains("<p class=\"by\">by Ann, Bo</p>"), "{page}");
        let terms = "<ul class=\"terms\" aria-label=\"Terms\">\n<li class=\"of-stone-type\"><a href=\"/stones/blue-lias/\">Blue Lias</a></li>\n</ul>";
        assert!(page.contains(terms), "{page}");
    }
}

/// Lists of all terms beside a term's list mark its own; cards, which all lists share, do not.
#[test]
fn a_terms_own_page_marks_it() {
    let list = "{% extends \"theme/archive.html\" %}{% block foot %}{{ terms(\"tag\")|link }}; {{ archive.terms|entries }}; {{ once(\"parts/all.html\") }}{% endblock %}";
    let mut bench = small()
        .with("templates/archive.html", list)
        .with("templates/parts/all.html", "{{ terms(\"tag\")|link }}");
    let settings = format!("{}[archive.tags]\nper_page = 1\n", super::SITE);
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    let own = "<a href=\"/tags/lime/\" aria-current=\"page\">lime</a>";
    let plain = "<a href=\"/tags/lime/\">lime</a>";
    for page in ["tags/lime/index.html", "tags/lime/page/2/index.html"] {
        let page = bench.page(page);
        let (main, foot) = page.split_once("<footer").unwrap();
        assert!(!main.contains(own) && main.contains(plain), "{main}");
        let parts: Vec<&str> = foot.split("; ").collect();
        assert!(parts[0].contains(own) && parts[1].contains(own), "{foot}");
        assert!(
            parts[2].contains(plain) && !parts[2].contains(own),
            "{foot}"
        );
    }
    assert!(!bench.page("tags/masonry/index.html").contains(own));
    assert!(!bench.page("index.html").contains(own));
}

#[rstest]
#[case::term("\"{posts} tagged {term}\"", "2 posts tagged lime", "The Log: lime")]
#[case::plural("\"{count} of {tag}\"", "2 of lime", "The Log: lime")]
#[case::without_counts("\"On {term}\"", "On lime", "The Log: On lime")]
fn a_title_has_the_number_of_posts(#[case] title: &str, #[case] heading: &str, #[case] feed: &str) {
    let mut bench = small();
    let settings = format!(
        "{}[archive.tags]\ntitle = {title}\nfeeds = \"atom\"\n",
        super::SITE
    );
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    let page = bench.page("tags/lime/index.html");
    assert!(page.contains(&format!("<h1>{heading}</h1>")), "{page}");
    assert!(bench.page("tags/index.html").contains("<h1>Tags</h1>"));
    // A feed keeps its title when a post is added.
    let atom = bench.page("tags/lime/atom.xml");
    assert!(atom.contains(&format!("<title>{feed}</title>")), "{atom}");
    if title.contains("posts") {
        let one = bench.page("tags/masonry/index.html");
        assert!(one.contains("<h1>1 post tagged Masonry</h1>"), "{one}");
    }
}

/// A term in the form of a variable is a term.
#[test]
fn a_title_takes_a_term_as_it_is() {
    let mut bench = Bench::new("[archive.tags]\ntitle = \"{posts} on {term}\"\n")
        .with("posts/2026-03-14-a.md", "---\ntags: \"{count}\"\n---\n");
    bench.sound();
    let page = bench.page("tags/count/index.html");
    assert!(page.contains("<h1>1 post on {count}</h1>"), "{page}");
}

#[test]
fn the_title_of_a_whole_archive_has_the_number_of_posts() {
    let mut bench = small();
    let settings = format!(
        "{}[archive.journal]\ntitle = \"All {{posts}}\"\nlink = \"/all/\"\n",
        super::SITE
    );
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    let page = bench.page("all/index.html");
    assert!(page.contains("<h1>All 3 posts</h1>"), "{page}");
    assert!(texts(&menu(&page)).contains(&"Journal"));
}

#[rstest]
#[case::split(
    "by = \"tag\"\ntitle = \"{terms}\"",
    "terms",
    "{count}, {posts}, {term}, {tag}"
)]
#[case::whole("title = \"{term}\"", "term", "{count}, {posts}")]
fn a_title_with_another_variable_is_an_error(
    #[case] lines: &str,
    #[case] name: &str,
    #[case] known: &str,
) {
    let mut bench = small();
    bench.sources.write(
        "tabulae.toml",
        format!("{}[archive.x]\n{lines}\n", super::SITE),
    );
    let found = said(&bench.build().diagnostics);
    let expected =
        format!(": the title of this archive has no variable {{{name}}}\n  write one of {known}\n");
    assert!(found.ends_with(&expected), "{found}");
}

#[test]
fn the_home_page_has_the_title_of_the_site() {
    let mut bench = small();
    let settings = format!("{}[archive.journal]\nper_page = 2\n", super::SITE);
    bench.sources.write("tabulae.toml", settings.clone());
    bench.sound();
    assert!(bench.page("index.html").contains("<title>The Log</title>"));
    let second = bench.page("page/2/index.html");
    assert!(
        second.contains("<title>The Log · Page 2 – The Log</title>"),
        "{second}"
    );
    bench.after_edit(
        "tabulae.toml",
        Some(&(settings + "title = \"All posts\"\n")),
    );
    assert!(
        bench
            .page("index.html")
            .contains("<title>All posts – The Log</title>")
    );
}

/// The links to the posts before and after one: `rel` and address of each in the text, and in the head.
fn beside(page: &str) -> Vec<(String, String)> {
    let links = page.split(" rel=\"").skip(1);
    let links = links.filter_map(|rest| {
        let (rel, rest) = rest.split_once('"')?;
        let link = rest.split_once("href=\"")?.1.split('"').next()?;
        ["prev", "next"]
            .contains(&rel)
            .then(|| (rel.to_owned(), link.to_owned()))
    });
    links.collect()
}

#[test]
fn a_post_leads_to_the_posts_before_and_after_it() {
    let mut bench = small()
        .with("posts/2026-03-20-draft.md", "---\ndraft: true\n---\n")
        .with("posts/2026-03-21-hidden.md", "---\nunlisted: true\n---\n");
    bench.sound();
    let page = bench.page("2026/lime/index.html");
    let both = [("prev", "/2025/old/"), ("next", "/2026/boat/")];
    let both: Vec<_> = both
        .iter()
        .map(|(rel, link)| ((*rel).to_owned(), (*link).to_owned()))
        .collect();
    assert_eq!(beside(&page), [both.clone(), both].concat());
    assert!(
        page.contains("<span>Older</span> <a rel=\"prev\" href=\"/2025/old/\">Old</a>"),
        "{page}"
    );
    assert_eq!(beside(&bench.page("2026/hidden/index.html")), []);
    // Its neighbours, and no other page of a post.
    let written = bench.after_edit("posts/2025-06-01-new.md", Some("---\ntitle: New\n---\n"));
    let posts: Vec<_> = written
        .iter()
        .filter(|path| path.matches('/').count() == 2 && !path.contains("categories"))
        .collect();
    assert_eq!(
        posts,
        [
            "2025/new/index.html",
            "2025/old/index.html",
            "2026/lime/index.html"
        ]
    );
    bench.after_edit(
        "posts/2025-06-01-new.md",
        Some("---\ntitle: Renamed\n---\n"),
    );
    assert!(bench.page("2025/old/index.html").contains(">Renamed</a>"));
}

/// Posts of other sets and other languages are not beside one; those without dates are in the order of titles.
#[test]
fn the_posts_beside_one_are_of_its_set_and_language() {
    let mut bench = Bench::new("[content.posts]\n[content.boats]\ndated = false\n[locale.de]\ntitle = \"Log\"\ndescription = \"Von Kalk\"\n")
        .with("posts/2026-03-01-a.md", "")
        .with("posts/2026-03-02-b.de.md", "")
        .with("posts/2026-03-03-c.md", "")
        .with("boats/x.md", "---\ntitle: Zander\n---\n")
        .with("boats/y.md", "---\ntitle: Alder\n---\n")
        .with("boats/z.md", "---\ntitle: Mole\n---\n");
    bench.sound();
    let links = |page: &str| -> Vec<String> {
        let found = beside(&bench.page(page));
        let half = found.len() / 2;
        found[half..]
            .iter()
            .map(|(rel, link)| format!("{rel} {link}"))
            .collect()
    };
    assert_eq!(links("2026/a/index.html"), ["next /2026/c/"]);
    assert_eq!(links("de/2026/b/index.html"), [""; 0]);
    assert_eq!(
        links("boats/z/index.html"),
        ["prev /boats/y/", "next /boats/x/"]
    );
    assert!(
        bench
            .page("boats/z/index.html")
            .contains("<span>Previous</span>")
    );
}
