//! Templates and related posts of content sets and single posts, and lists in the form of a part.

use rstest::rstest;

use super::bench::{Bench, SITE, said};

/// Two logs and three projects; `[content.projects]` has these keys, and the site these tables.
fn site(of_projects: &str, tables: &str) -> Bench {
    let settings =
        format!("[content.posts]\n[content.projects]\ndated = false\n{of_projects}\n{tables}");
    Bench::new(&settings)
        .with("posts/2026-03-01-lime.md", "---\ntags: lime\n---\nLime.\n")
        .with("posts/2026-03-02-sand.md", "---\ntags: lime\n---\nSand.\n")
        .with("projects/bridge.md", "---\ntags: lime\n---\nA bridge.\n")
        .with("projects/gate.md", "---\ntags: lime\n---\nA gate.\n")
        .with("projects/quay.md", "---\n---\nA quay.\n")
}

const WIDE: &str = "{% extends \"base.html\" %}{% block foot %}wide{% endblock %}";

#[test]
fn a_content_set_has_a_template_of_its_own() {
    let mut bench = site("template = \"wide.html\"", "").with("templates/wide.html", WIDE);
    bench.sound();
    assert!(bench.page("projects/bridge/index.html").contains("\nwide"));
    assert!(!bench.page("2026/lime/index.html").contains("\nwide"));
    let written = bench.after_edit(
        "templates/wide.html",
        Some(&WIDE.replace("wide{", "narrow{")),
    );
    assert_eq!(written.len(), 3, "{written:?}");
}

#[test]
fn the_front_matter_of_a_post_names_its_template() {
    let own = "---\ntemplate: wide.html\n---\nX.\n";
    let mut bench = site("", "")
        .with("templates/wide.html", WIDE)
        .with("pages/about.md", own);
    bench.sound();
    assert!(bench.page("about/index.html").contains("\nwide"));
    let written = bench.after_edit("posts/2026-03-01-lime.md", Some(own));
    assert!(written.contains(&"2026/lime/index.html".to_owned()));
    assert!(bench.page("2026/lime/index.html").contains("\nwide"));
    assert!(!bench.page("2026/sand/index.html").contains("\nwide"));
}

/// The template comes later: the page is made again with it.
#[test]
fn a_template_that_is_not_there_is_a_warning() {
    let mut bench = site("", "")
        .with(
            "posts/2026-03-01-lime.md",
            "---\ntemplate: wdie.html\n---\n",
        )
        .with(
            "posts/2026-03-02-sand.md",
            "---\ntemplate: wdie.html\n---\n",
        )
        .with("templates/wide.html", WIDE)
        .with("projects/gate.md", "---\ntemplate: wide.html\n---\n");
    assert_eq!(
        said(&bench.build().diagnostics),
        "posts/2026-03-02-sand.md:2:11: there is no template `wdie.html`; 2 posts name it\n  did you mean `wide.html`?\n"
    );
    assert!(
        bench
            .page("2026/lime/index.html")
            .contains("class=\"foot\"")
    );
    let written = bench.after_edit("templates/wdie.html", Some(&WIDE.replace("wide", "late")));
    assert_eq!(written, ["2026/lime/index.html", "2026/sand/index.html"]);
    assert!(bench.page("2026/lime/index.html").contains("\nlate"));
}

/// The links below "Read next" of a page.
fn related(bench: &Bench, page: &str) -> Vec<String> {
    let page = bench.page(page);
    let Some((_, list)) = page.split_once("<section class=\"related\"") else {
        return Vec::new();
    };
    let list = list.split("</section>").next().unwrap_or_default();
    let links = list.split("<a href=\"").skip(1);
    let links = links.filter_map(|rest| rest.split('"').next());
    links
        .filter(|link| !link.starts_with("/tags/"))
        .map(str::to_owned)
        .collect()
}

const RELATED: &str = "[related]\nquery = \"where likeness > 0 order by likeness desc, slug limit 4\"\nweigh = { tag = 1 }\n";

#[rstest]
#[case::of_the_site("", &["/2026/lime/", "/projects/gate/", "/2026/sand/"])]
#[case::off("related = false", &[])]
#[case::its_own("related = { query = \"from projects order by title limit 3\" }", &["/projects/gate/", "/projects/quay/"])]
#[case::its_own_by_likeness(
    "[content.projects.related]\nquery = \"from projects where likeness > 0 order by likeness desc limit 3\"\nfill = \"from posts order by date limit 2\"",
    &["/projects/gate/", "/2026/lime/", "/2026/sand/"]
)]
#[case::inherits_the_query("related = { empty_text = \"None.\" }", &["/2026/lime/", "/projects/gate/", "/2026/sand/"])]
fn a_content_set_has_related_posts_of_its_own(#[case] of_set: &str, #[case] expected: &[&str]) {
    let mut bench = site(of_set, RELATED);
    bench.sound();
    let mut found = related(&bench, "projects/bridge/index.html");
    let mut expected = expected.to_vec();
    found.sort();
    expected.sort_unstable();
    assert_eq!(found, expected);
    // Other sets have those of the site.
    assert_eq!(related(&bench, "2026/lime/index.html").len(), 3);
    // As in any list of related posts, the terms that both share are shown.
    bench.after_edit("projects/quay.md", Some("---\ntags: lime\n---\nA quay.\n"));
    let quay =
        related(&bench, "projects/bridge/index.html").contains(&"/projects/quay/".to_owned());
    assert_eq!(quay, !of_set.contains("false"));
}

#[test]
fn a_content_set_has_related_posts_without_those_of_the_site() {
    let mut bench = site("related = { query = \"from projects limit 3\" }", "");
    bench.sound();
    assert_eq!(related(&bench, "projects/bridge/index.html").len(), 2);
    assert_eq!(related(&bench, "2026/lime/index.html"), [""; 0]);
}

#[rstest]
#[case::weights("weigh = { tag = 1 }", "weigh")]
#[case::required("require = [\"tag\"]", "require")]
fn likeness_is_weighed_for_the_whole_blog(#[case] line: &str, #[case] key: &str) {
    let mut bench = site(&format!("[content.projects.related]\n{line}"), "");
    assert_eq!(
        said(&bench.build().diagnostics),
        format!(
            "tabulae.toml:9:1: there is no setting `{key}` in [content.projects.related]\n  likeness is the same for the whole blog: write `{key}` below [related]\n"
        )
    );
}

#[test]
fn a_post_turns_its_related_posts_off() {
    let mut bench = site(
        "",
        &format!("{RELATED}feeds = true\n[feed.all]\ncontent = \"full\"\nlink = \"/all.xml\"\n"),
    );
    bench.sound();
    assert_eq!(bench.page("all.xml").matches("Read next").count(), 2);
    let off = "---\ntags: lime\nrelated: false\n---\nLime.\n";
    let written = bench.after_edit("posts/2026-03-01-lime.md", Some(off));
    assert!(written.contains(&"2026/lime/index.html".to_owned()));
    assert_eq!(related(&bench, "2026/lime/index.html"), [""; 0]);
    assert_eq!(bench.page("all.xml").matches("Read next").count(), 1);
    // Others still lead to it.
    assert!(related(&bench, "2026/sand/index.html").contains(&"/2026/lime/".to_owned()));
}

const TILE: &str = "<b>{{ post.title }}, {{ below }}</b>";

#[test]
fn a_list_is_shown_by_a_part() {
    let tables = format!(
        "[archive.journal]\nshow = \"parts/tile.html\"\n{RELATED}show = \"parts/tile.html\"\n"
    );
    let mut bench = site("", &tables).with("templates/parts/tile.html", TILE);
    bench.sound();
    let list = "<div class=\"items\">\n<b>Sand, 2</b>\n<b>Lime, 2</b>\n</div>";
    assert!(
        bench.page("index.html").contains(list),
        "{}",
        bench.page("index.html")
    );
    let page = bench.page("2026/lime/index.html");
    assert!(
        page.contains("<b>Sand, 3</b>\n") && page.contains("<div class=\"items\">\n<b>"),
        "{page}"
    );
    // The tag's page has cards as before.
    assert!(
        bench
            .page("tags/lime/index.html")
            .contains("<article class=\"card\">")
    );
    let written = bench.after_edit("templates/parts/tile.html", Some("{{ post.title }}!"));
    assert!(
        !written.contains(&"tags/lime/index.html".to_owned())
            && written.contains(&"index.html".to_owned())
    );
}

#[rstest]
#[case::of_an_archive("[archive.journal]\nshow = \"parts/tlie.html\"", 11)]
#[case::of_related_posts("[related]\nshow = \"parts/tlie.html\"", 11)]
#[case::of_a_set("[content.posts.related]\nshow = \"parts/tlie.html\"", 11)]
fn a_part_that_is_not_there_is_an_error(#[case] tables: &str, #[case] line: usize) {
    let mut bench = site("", &format!("\n{tables}\n")).with("templates/parts/tile.html", TILE);
    let found = bench.build();
    let found: Vec<_> = found
        .diagnostics
        .iter()
        .filter(|found| found.is_error())
        .cloned()
        .collect();
    let expected = format!(
        "tabulae.toml:{line}:8: there is no template `parts/tlie.html`\n  did you mean `parts/tile.html`?\n"
    );
    assert_eq!(said(&found), expected);
}

/// `card` takes the form of a list as a third argument, as the theme writes it.
#[rstest]
#[case::cards("card(post, 3, \"cards\")", "<h3>")]
#[case::a_part("card(post, 3, \"parts/tile.html\")", "<b>Sand, 3</b>")]
fn a_card_by_a_part(#[case] call: &str, #[case] expected: &str) {
    let page =
        format!("{{% for post in query(\"from posts limit 1\") %}}{{{{ {call} }}}}{{% endfor %}}");
    let mut bench = site("", "")
        .with("templates/parts/tile.html", TILE)
        .with("pages/x.html", &page);
    let _ = bench.build();
    assert!(
        bench.page("x/index.html").contains(expected),
        "{}",
        bench.page("x/index.html")
    );
}

#[test]
fn the_former_name_of_the_form_says_the_present_one() {
    let mut bench = Bench::new("").with("pages/x.html", "{{ site.related_show }}");
    bench.sources.write("tabulae.toml", SITE);
    bench.sources.write("posts/2026-01-01-a.md", "A\n");
    assert_eq!(
        said(&bench.build().diagnostics),
        "pages/x.html:1:4: there is no `site.related_show`\n  it is called `related_show` now\n"
    );
}
