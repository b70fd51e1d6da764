//! What the functions and filters of templates print.

use super::*;
use rstest::rstest;

/// The small site with a draft and a page of one line, and that line as it is printed.
fn printed(line: &str) -> String {
    let settings = "[archive.journal]\nlink = \"/\"\n[archive.tags]\nby = \"tag\"\nat_least = 2\n";
    let mut bench = small()
        .with("tabulae.toml", &format!("{SITE}{settings}"))
        .with("posts/later.md", "---\ntitle: Later\ndraft: true\n---\n")
        .with("posts/2027-01-01-due.md", "---\ntitle: Due\n---\n")
        .with(
            "posts/2024-01-01-gone.md",
            "---\ntitle: Gone\nexpires: 2025-01-01\n---\n",
        )
        .with("pages/line.html", line);
    bench.include = Include {
        drafts: true,
        scheduled: true,
        expired: true,
        ..Include::default()
    };
    bench.sound();
    bench.page("line/index.html").trim_end().to_owned()
}

/// What is printed for each post of a query.
fn for_each(query: &str, printed: &str) -> String {
    format!("{{% for post in query(\"{query}\") %}}{printed};{{% endfor %}}")
}

#[rstest]
#[case::post(
    "where slug = 'lime'",
    "post|link",
    "<a href=\"/2026/lime/\">Lime &amp; sand</a>;"
)]
#[case::other_text(
    "where slug = 'lime'",
    "post|link('<b>')",
    "<a href=\"/2026/lime/\">&lt;b&gt;</a>;"
)]
#[case::text_as_html(
    "where slug = 'lime'",
    "post|link('<b>x</b>'|safe)",
    "<a href=\"/2026/lime/\"><b>x</b></a>;"
)]
#[case::term(
    "where slug = 'boat'",
    "post.tags[0]|link",
    "<a href=\"/tags/lime/\">lime</a>;"
)]
#[case::term_without_a_page("where slug = 'lime'", "post.tags[1]|link", "Masonry;")]
#[case::term_as_text(
    "where slug = 'boat'",
    "post.tags[0]|link(7)",
    "<a href=\"/tags/lime/\">7</a>;"
)]
#[case::date(
    "where slug = 'lime'",
    "post.date|time",
    "<time datetime=\"2026-03-14\">14 March 2026</time>;"
)]
#[case::pattern(
    "where slug = 'lime'",
    "post.date|time('%Y/%m')",
    "<time datetime=\"2026-03-14\">2026/03</time>;"
)]
#[case::iso("where slug = 'lime'", "post.date|date('iso')", "2026-03-14;")]
#[case::no_date("where slug = 'later'", "post.date|time", ";")]
#[case::states(
    "where slug in ('later', 'due', 'gone', 'old') order by title",
    "post|state",
    " <span class=\"state\">Scheduled</span>; <span class=\"state\">Expired</span>; <span class=\"state\">Draft</span>;;"
)]
fn filters_of_posts(#[case] query: &str, #[case] value: &str, #[case] expected: &str) {
    let line = for_each(query, &format!("{{{{ {value} }}}}"));
    assert_eq!(printed(&line), expected);
}

#[rstest]
#[case::named(
    "{{ {'name': 'A & b', 'link': '/a/?b&c'}|link }}",
    "<a href=\"/a/?b&amp;c\">A &amp; b</a>"
)]
#[case::titled("{{ {'title': 'A'}|link }}", "A")]
#[case::numbered(
    "{{ {'number': 3, 'link': '/3/', 'current': true}|link }}",
    "<a href=\"/3/\" aria-current=\"page\">3</a>"
)]
#[case::feed(
    "{% for list in site.lists[:1] %}{{ list|link }}{% endfor %}",
    "<a href=\"/\">Journal</a>"
)]
#[case::date_of_a_text(
    "{{ '2026-03-14 09:00'|time }}",
    "<time datetime=\"2026-03-14T09:00:00Z\">14 March 2026</time>"
)]
fn filters_of_other_things(#[case] line: &str, #[case] expected: &str) {
    assert_eq!(printed(line), expected);
}

#[test]
fn a_post_in_a_list_on_its_own_page_is_marked_as_current() {
    let list = for_each(
        "from posts where category = this.category",
        "{{ post|link }}",
    );
    let mut bench = small().with("templates/post.html", &list);
    bench.sound();
    let page = bench.page("2026/boat/index.html");
    assert_eq!(
        page,
        "<a href=\"/2026/boat/\" aria-current=\"page\">A boat</a>;\n"
    );
}

#[rstest]
#[case::of_a_query("query('where not draft')")]
#[case::of_a_part_of_one("query('where not draft')[:2]")]
#[case::of_none("query(\"where tag = 'lime' and not tag = 'lime'\")")]
fn cards_of_a_list_are_the_cards_of_its_posts_on_lines(#[case] posts: &str) {
    let each = format!("{{% for post in {posts} %}}{{{{ card(post, 3) }}}}\n{{% endfor %}}");
    let together = format!("{{{{ card({posts}, 3) }}}}");
    assert_eq!(printed(&together), printed(&each).trim_end());
}

#[rstest]
#[case::link(
    "3|link",
    "`link` takes a post, a term, or what has a `link` and a `name` or `title`"
)]
#[case::time("3|time", "`time` takes a date, and this is number")]
#[case::time_of_words("'soon'|time", "`time` takes a date, and \"soon\" is none")]
#[case::pattern(
    "'2026-03-14'|date('%Y %')",
    "dates cannot be written by \"%Y %\": invalid format string, expected byte after `%`, but found end of format string"
)]
#[case::state("'x'|state", "`state` takes a post")]
#[case::card("card(['x'])", "`card` takes a post, or a list of posts")]
#[case::slug("3|slug", "this takes a text, and got number")]
#[case::more_than_it_takes("'2026-03-14'|date('iso', 1)", "too many arguments")]
fn what_does_not_fit_is_a_fault_at_its_place(#[case] value: &str, #[case] message: &str) {
    let fault = refused(value);
    assert_eq!((fault.place.line, fault.message.as_str()), (2, message));
}

#[rstest]
#[case::to_a_filter("titel|link", "there is no `titel` here")]
#[case::as_an_option("site.title|link(titel)", "there is no `titel` here")]
#[case::as_a_pattern("'2026-03-14'|date(site.date)", "`site` has no `date`")]
#[case::as_a_word("3|count('post', site.words.post_s)", "`site.words` has no `post_s`")]
#[case::as_a_level("card(query('limit 1'), levl)", "there is no `levl` here")]
#[case::in_a_query(
    "query('where category = :c', c=site.titel)|length",
    "`site` has no `titel`"
)]
#[case::in_terms("terms('tag', limit=site.limit)|length", "`site` has no `limit`")]
#[case::in_a_part("once('parts/menu.html', current=page.link_)", "`page` has no `link_`")]
#[case::to_the_engines_own("range(numbr)", "there is no `numbr` here")]
#[case::in_a_sum("page.numbr + 1", "`page` has no `numbr`")]
#[case::as_a_place("site.title[numbr]", "there is no `site.title[...]`")]
fn an_unknown_name_is_a_fault_wherever_it_is_handed_in(#[case] value: &str, #[case] message: &str) {
    let fault = refused(value);
    assert_eq!((fault.place.line, fault.message.as_str()), (2, message));
}

/// The one fault of a page with this value in its second line.
fn refused(value: &str) -> Diagnostic {
    let mut bench = small().with("pages/line.html", &format!("x\n{{{{ {value} }}}}"));
    let mut faults = bench.build().diagnostics;
    assert_eq!(faults.len(), 1, "{faults:?}");
    faults.remove(0)
}

#[test]
fn a_field_that_this_post_lacks_is_handed_in_as_nothing() {
    let line = for_each(
        "where slug = 'old'",
        "{{ post.date|time(post.image) }}{{ query('where category = :c', c=post.image)|length }}",
    );
    assert_eq!(
        printed(&line),
        "<time datetime=\"2025-01-02\">2 January 2025</time>0;"
    );
}

#[test]
fn the_nearest_name_is_told() {
    assert_eq!(
        refused("'x'|link(site.titel)").help.as_deref(),
        Some("did you mean `title`?")
    );
    let part = refused("once('parts/menus.html')");
    assert_eq!(
        part.help.as_deref(),
        Some("did you mean `parts/menu.html`?")
    );
}
