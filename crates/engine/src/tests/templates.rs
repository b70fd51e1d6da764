//! Functions and filters of templates.

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

/// Returns what is printed for each post of a query.
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
#[case::terms(
    "where slug = 'lime'",
    "post.tags|link",
    "<a href=\"/tags/lime/\">lime</a>, Masonry;"
)]
#[case::no_terms("where slug = 'old'", "post.tags|link", ";")]
#[case::nothing("where slug = 'old'", "post.image|link", ";")]
#[case::posts(
    "where slug = 'old'",
    "query(\"where slug in ('old', 'boat')\")|link",
    "<a href=\"/2026/boat/\">A boat</a>, <a href=\"/2025/old/\">Old</a>;"
)]
#[case::entries(
    "where slug = 'lime'",
    "post.tags|entries('a&b')",
    "<li class=\"a&amp;b\"><a href=\"/tags/lime/\">lime</a></li>\n<li class=\"a&amp;b\">Masonry</li>\n;"
)]
#[case::no_entries("where slug = 'old'", "post.tags|entries", ";")]
#[case::entries_of_nothing("where slug = 'old'", "post.image|entries", ";")]
#[case::turned(
    "where slug = 'old'",
    "query(\"where slug in ('old', 'boat')\")|reverse|link",
    "<a href=\"/2025/old/\">Old</a>, <a href=\"/2026/boat/\">A boat</a>;"
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
#[case::time_of_words("'soon'|time", "`time` takes a date, and \"soon\" is not a date")]
#[case::pattern(
    "'2026-03-14'|date('%Y %')",
    "dates cannot be written by \"%Y %\": `%` is no part of a date"
)]
#[case::state("'x'|state", "`state` takes a post")]
#[case::card("card(['x'])", "`card` takes a post, or a list of posts")]
#[case::slug("3|slug", "this takes a text, and got number")]
#[case::level(
    "card(query('limit 1'), 9)",
    "this takes a whole number from 1 to 6, and got 9"
)]
#[case::limit(
    "terms('tag', limit='3')|length",
    "this takes a whole number from 0 on, and got string"
)]
#[case::option("terms('tag', lmit=3)|length", "`terms` has no option `lmit`")]
#[case::parameter(
    "query('where tag = :a', a='lime', b=1)|length",
    "the query has no parameter :b"
)]
#[case::parameter_of_terms(
    "terms('tag', query='limit 1', b=1)|length",
    "the query has no parameter :b"
)]
#[case::more_than_it_takes("'2026-03-14'|date('iso', 1)", "too many arguments")]
fn what_does_not_fit_is_an_error_at_its_place(#[case] value: &str, #[case] message: &str) {
    let diagnostic = refused(value);
    assert_eq!(
        (diagnostic.location.line, diagnostic.message.as_str()),
        (2, message)
    );
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
#[case::as_a_place("site.title[numbr]", "there is no `numbr` here")]
fn an_unknown_name_is_an_error_wherever_it_is_handed_in(
    #[case] value: &str,
    #[case] message: &str,
) {
    let diagnostic = refused(value);
    assert_eq!(
        (diagnostic.location.line, diagnostic.message.as_str()),
        (2, message)
    );
}

/// The one diagnostic of a page with this value in its second line.
fn refused(value: &str) -> Diagnostic {
    let mut bench = small().with("pages/line.html", &format!("x\n{{{{ {value} }}}}"));
    let mut diagnostics = bench.build().diagnostics;
    assert_eq!(diagnostics.len(), 1, "{diagnostics:?}");
    diagnostics.remove(0)
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

#[rstest]
#[case::nearest("'x'|link(site.titel)", "did you mean `title`?")]
#[case::nearest_filter("site.lists|entrys", "did you mean `entries`?")]
#[case::nearest_template("once('parts/menus.html')", "did you mean `parts/menu.html`?")]
#[case::outside_of_a_loop("loop.index", "it is known between {% for … %} and {% endfor %}")]
#[case::on_other_pages(
    "post.title",
    "`post` is known on other pages; docs/site/guides/reference/templates.md says on which"
)]
#[case::never_the_same(
    "query('limit 1').title",
    "docs/site/guides/reference/templates.md lists what templates know"
)]
#[case::a_place_in_a_list(
    "site.lists[99]",
    "write `{% if site.lists %}…{% endif %}` around it, or loop over it with `{% for item in site.lists %}`"
)]
fn an_error_of_a_name_says_what_to_do(#[case] value: &str, #[case] help: &str) {
    assert_eq!(refused(value).help.as_deref(), Some(help));
}

/// Three posts, of which one has a map with a map in it.
fn boats() -> Bench {
    Bench::new("")
        .with(
            "posts/2026-01-03-a.md",
            "---\nboat: {name: Ada, engine: {power: 9}, words: one}\nwords: x\n---\n",
        )
        .with("posts/2026-01-02-b.md", "---\nboat: {name: Bo}\n---\n")
        .with("posts/2026-01-01-c.md", "---\n---\n")
}

#[rstest]
#[case::entry("post.boat.name", "Ada;Bo;;")]
#[case::deeper("post.boat.engine.power", "9;;;")]
#[case::whole("post.boat.engine", "{&#39;power&#39;: 9};;;")]
#[case::whether_it_is_there("'yes' if post.boat else 'no'", "yes;yes;no;")]
#[case::names("post.boat|join(' ')", "name engine words;name;;")]
#[case::as_written("post.meta.boat.name", "Ada;Bo;;")]
#[case::hidden_by_a_derived_name("post.meta.words", "x;;;")]
#[case::as_a_parameter(
    "query('where boat.name = :name', name=post.boat.name)|length",
    "1;1;0;"
)]
fn an_entry_that_a_post_lacks_and_others_have_prints_nothing(
    #[case] value: &str,
    #[case] expected: &str,
) {
    let page = for_each("", &format!("{{{{ {value} }}}}"));
    let mut bench = boats().with("pages/line.html", &page);
    bench.sound();
    assert_eq!(bench.page("line/index.html").trim_end(), expected);
}

#[rstest]
#[case::entry("one.name", Ok("Uma||Vic||;Wim||;;"))]
#[case::deeper("one.ship.mast", Ok("2||||;||;;"))]
#[case::whether_it_is_there("'yes' if one.age else 'no'", Ok("no||yes||;no||;;"))]
#[case::unknown("one.nam", Err("`one` has no `nam`"))]
#[case::unknown_deeper("one.ship.mats", Err("`one.ship` has no `mats`"))]
fn an_entry_of_a_map_in_a_list_is_known_where_any_has_it(
    #[case] value: &str,
    #[case] expected: Result<&str, &str>,
) {
    let each = format!("{{% for one in post.crew %}}{{{{ {value} }}}}||{{% endfor %}}");
    let mut bench = Bench::new("")
        .with(
            "posts/2026-01-03-a.md",
            "---\ncrew: [{name: Uma, ship: {mast: 2}}, {name: Vic, age: 30}]\n---\n",
        )
        .with("posts/2026-01-02-b.md", "---\ncrew: [{name: Wim}]\n---\n")
        .with("posts/2026-01-01-c.md", "---\n---\n")
        .with("pages/line.html", &for_each("", &each));
    match expected {
        Ok(text) => {
            bench.sound();
            assert_eq!(bench.page("line/index.html").trim_end(), text);
        }
        Err(message) => {
            let diagnostics = bench.build().diagnostics;
            let found: Vec<_> = diagnostics
                .iter()
                .map(|diagnostic| diagnostic.message.as_str())
                .collect();
            assert_eq!(found, [message]);
        }
    }
}

#[rstest]
#[case::flag("flag: true", "true")]
#[case::other_flag("flag: no\nflag2: x", "no")]
#[case::number("flag: 7", "7")]
#[case::fraction("flag: -2.5", "-2.5")]
#[case::text("flag: a < b", "a &lt; b")]
#[case::list("flag: [red, 2, false]", "red, 2, false")]
#[case::date("flag: 2026-03-14", "2026-03-14")]
#[case::nothing("flag:\nflag2: x", "")]
fn fields_print_as_they_are_written(#[case] front: &str, #[case] expected: &str) {
    let post = format!("---\n{front}\n---\n");
    let mut bench = Bench::new("")
        .with("posts/2026-01-01-a.md", &post)
        .with("pages/line.html", &for_each("", "{{ post.flag }}"));
    bench.sound();
    assert_eq!(bench.page("line/index.html"), format!("{expected};\n"));
}

#[rstest]
#[case::of_a_map("post.boat.nam", "`post.boat` has no `nam`")]
#[case::of_the_front_matter("post.meta.bot", "`post.meta` has no `bot`")]
#[case::deeper("post.boat.engine.pover", "`post.boat.engine` has no `pover`")]
fn an_entry_that_no_post_has_is_not_known(#[case] value: &str, #[case] message: &str) {
    let page = for_each("", &format!("{{{{ {value} }}}}"));
    let mut bench = boats().with("pages/line.html", &page);
    let diagnostics = bench.build().diagnostics;
    let found: Vec<_> = diagnostics
        .iter()
        .map(|diagnostic| diagnostic.message.as_str())
        .collect();
    assert_eq!(found, [message]);
}

#[test]
fn a_page_is_made_again_when_a_field_becomes_a_map() {
    let page = "{% for post in query('where slug = \"c\"') %}{{ 'map' if post.boat is mapping else 'none' }}{% endfor %}";
    let mut bench = boats().with("pages/line.html", page);
    bench.sources.remove("posts/2026-01-02-b.md");
    bench
        .sources
        .write("posts/2026-01-03-a.md", "---\nboat: Ada\n---\n");
    bench.sound();
    assert_eq!(bench.page("line/index.html"), "none\n");
    let text = "---\nboat: {name: Ada}\n---\n";
    let made = bench.after_edit("posts/2026-01-03-a.md", Some(text));
    assert!(made.contains(&"line/index.html".to_owned()), "{made:?}");
    assert_eq!(bench.page("line/index.html"), "map\n");
}

#[rstest]
#[case::posts(
    "query('where slug in (\"a\", \"b\") order by slug')",
    "{{ value.slug }};",
    "a;b;"
)]
#[case::terms(
    "[terms('tag')[0], terms('category')[0]]",
    "{{ value.link }};",
    "/tags/x/;/categories/x/;"
)]
#[case::lists(
    "[terms('tag'), terms('category')]",
    "{{ value[0].link }};",
    "/tags/x/;/categories/x/;"
)]
#[case::text_and_number("['1', 1]", "{{ value is string }};", "true;false;")]
#[case::text_and_html("['<b>', '<b>'|safe]", "{{ value }};", "&lt;b&gt;;<b>;")]
#[case::maps("[{'a': 1}, {'a': '1'}]", "{{ value.a is string }};", "false;true;")]
#[case::the_same("[{'a': 1}, {'a': 1}]", "{{ value.a }};", "1;1;")]
fn once_tells_values_apart_that_print_the_same(
    #[case] values: &str,
    #[case] part: &str,
    #[case] expected: &str,
) {
    let page = format!(
        "{{% for value in {values} %}}{{{{ once('parts/x.html', value=value) }}}}{{% endfor %}}"
    );
    let text = "---\ntitle: Same\ntag: x\ncategory: x\n---\n";
    let mut bench = Bench::new("")
        .with("posts/2026-01-01-a.md", text)
        .with("posts/2026-01-02-b.md", text)
        .with("templates/parts/x.html", part)
        .with("pages/line.html", &page);
    bench.sound();
    assert_eq!(bench.page("line/index.html").trim_end(), expected);
}

#[test]
fn the_place_of_a_query_is_where_it_stands_between_quotes() {
    let mut bench = small().with("pages/line.html", "limit x\n{{ query('limit x')|length }}");
    let diagnostics = bench.build().diagnostics;
    let locations: Vec<_> = diagnostics
        .iter()
        .map(|diagnostic| (diagnostic.location.line, diagnostic.location.column))
        .collect();
    assert_eq!(locations, [(2, 17)]);
}

/// The small site with a part that each post's page takes once.
fn with_a_part(part: &str) -> Bench {
    small()
        .with(
            "templates/post.html",
            "{{ post.title }}: {{ once('parts/x.html') }}",
        )
        .with("templates/parts/x.html", part)
}

#[test]
fn a_part_that_is_made_once_is_of_no_post_s_page() {
    let each = |print: &str| {
        format!("{{% for post in query('order by date') %}}{{{{ {print} }}}} {{% endfor %}}")
    };
    let mut bench = with_a_part(&(each("post|link") + &each("post.current")));
    bench.sound();
    let links = "<a href=\"/2025/old/\">Old</a> <a href=\"/2026/lime/\">Lime &amp; sand</a> \
                 <a href=\"/2026/boat/\">A boat</a> false false false";
    for (page, title) in [
        ("2025/old", "Old"),
        ("2026/lime", "Lime &amp; sand"),
        ("2026/boat", "A boat"),
    ] {
        let page = bench.page(&format!("{page}/index.html"));
        assert_eq!(page.trim_end(), format!("{title}: {links}"));
    }
}

#[rstest]
#[case::this("{{ query('where category = this.category')|length }}")]
#[case::likeness("{{ query('where likeness > 0')|length }}")]
fn a_part_that_is_made_once_cannot_ask_whose_page_it_is(#[case] part: &str) {
    let diagnostics = with_a_part(part).build().diagnostics;
    assert_eq!(diagnostics.len(), 1, "{diagnostics:?}");
    let location = &diagnostics[0].location;
    assert_eq!(location.file.as_deref(), Some("templates/parts/x.html"));
}

/// Templates that would overflow the stack, fill the memory or run for ever are refused at their place.
#[rstest]
#[case::card_of_itself("parts/card.html", "{{ card(post) }}", "template-error")]
#[case::once_of_itself("parts/foot.html", "{{ once('parts/foot.html') }}", "template-error")]
#[case::each_other(
    "parts/foot.html",
    "{{ card(query('from posts limit 1')) }}{{ once('parts/foot.html') }}",
    "template-error"
)]
#[case::deep_macros_8(
    "parts/foot.html",
    "{% macro m(n) %}{% if n > 0 %}{{ m(n - 1) }}{% else %}{{ once('parts/foot.html') }}{% endif %}{% endmacro %}{{ m(8) }}",
    "template-error"
)]
#[case::deep_macros_12(
    "parts/foot.html",
    "{% macro m(n) %}{% if n > 0 %}{{ m(n - 1) }}{% else %}{{ once('parts/foot.html') }}{% endif %}{% endmacro %}{{ m(12) }}",
    "template-error"
)]
#[case::deep_macros_16(
    "parts/foot.html",
    "{% macro m(n) %}{% if n > 0 %}{{ m(n - 1) }}{% else %}{{ once('parts/foot.html') }}{% endif %}{% endmacro %}{{ m(16) }}",
    "template-error"
)]
#[case::deep_macros_25(
    "parts/foot.html",
    "{% macro m(n) %}{% if n > 0 %}{{ m(n - 1) }}{% else %}{{ once('parts/foot.html') }}{% endif %}{% endmacro %}{{ m(25) }}",
    "template-error"
)]
#[case::deep_macros_200(
    "parts/foot.html",
    "{% macro m(n) %}{% if n > 0 %}{{ m(n - 1) }}{% else %}{{ once('parts/foot.html') }}{% endif %}{% endmacro %}{{ m(200) }}",
    "template-error"
)]
#[case::chain_of_sums("parts/foot.html", "{{ 1LOTS }}", "template-syntax")]
#[case::loops_in_loops(
    "parts/foot.html",
    "{% for a in range(9999) %}{% for b in range(9999) %}{% for c in range(9999) %}x{% endfor %}{% endfor %}{% endfor %}",
    "template-limit"
)]
#[case::doubling(
    "parts/foot.html",
    "{% set n = namespace(t='xxxxxxxx') %}{% for a in range(60) %}{% set n.t = n.t ~ n.t %}{% endfor %}",
    "template-limit"
)]
fn templates_have_an_end(#[case] name: &str, #[case] text: &str, #[case] code: &str) {
    let text = text.replace("LOTS", &" + 1".repeat(50_000));
    let mut bench = small().with(&format!("templates/{name}"), &text);
    let diagnostics = bench.diagnostics();
    let file = format!("templates/{name}");
    assert!(
        diagnostics
            .iter()
            .any(|(found, path, ..)| (&**found, path) == (code, &file)),
        "{diagnostics:?}"
    );
    assert_eq!(bench.files(), [""; 0]);
}

#[test]
fn a_long_chain_of_operators_is_rendered() {
    let text = format!("{{{{ 0{} }}}}", " + 1".repeat(4_000));
    let mut bench = small().with("templates/parts/foot.html", &text);
    bench.sound();
    assert!(bench.page("index.html").contains("4000"));
}

/// A query that two templates have is reported in both, whichever page is rendered first.
#[rstest]
#[case::nothing_found("title = 'Lima'", false, "empty-result")]
#[case::unknown_term("not tag = 'lima'", false, "unused-term")]
#[case::of_a_list_of_terms("title = 'Lima'", true, "empty-result")]
fn a_query_is_reported_in_each_template_that_has_it(
    #[case] condition: &str,
    #[case] as_terms: bool,
    #[case] code: &str,
) {
    let query = format!("\"from posts where {condition}\"");
    let query = match as_terms {
        true => format!("{{{{ terms(\"tag\", query={query})|length }}}}"),
        false => format!("{{% for post in query({query}) %}}x{{% endfor %}}"),
    };
    let mut bench = small()
        .with("templates/archive.html", &format!("{query}\n"))
        .with("templates/overview.html", &format!("\n{query}\n"));
    for _ in 0..2 {
        let built = bench.build();
        let locations = built.diagnostics.iter().map(|diagnostic| {
            let location = &diagnostic.location;
            (
                diagnostic.code.name(),
                location.file.as_deref().unwrap(),
                location.line,
            )
        });
        let expected = [
            (code, "templates/archive.html", 1),
            (code, "templates/overview.html", 2),
        ];
        assert_eq!(locations.collect::<Vec<_>>(), expected);
    }
}

/// Also once the page is gone that was rendered first; the other one is not rendered for it.
#[rstest]
#[case::the_first("posts/2026-03-01-a.md", "2026/b/index.html")]
#[case::the_last("posts/2026-03-02-b.md", "2026/a/index.html")]
fn an_empty_query_is_reported_as_long_as_a_page_has_it(#[case] removed: &str, #[case] kept: &str) {
    let query = "{% for post in query(\"from posts where title = 'Lima'\") %}x{% endfor %}";
    let mut bench = Bench::new("")
        .with("templates/post.html", query)
        .with("posts/2026-03-01-a.md", "# Lime\n")
        .with("posts/2026-03-02-b.md", "# Sand\n");
    let expected = ["empty-result templates/post.html"];
    let mut reported = |is_removed: bool| {
        if is_removed {
            bench.sources.remove(removed);
        }
        let found = bench.diagnostics().into_iter();
        let found: Vec<_> = found
            .map(|(code, file, ..)| format!("{code} {file}"))
            .collect();
        assert_eq!(found, expected);
        bench.out.take_published()
    };
    assert!(reported(false).contains(&kept.to_owned()));
    for is_removed in [false, true, false] {
        assert!(!reported(is_removed).contains(&kept.to_owned()));
    }
}

/// `set` is the name of the content set, `content` the text as HTML.
#[test]
fn a_post_names_its_content_set() {
    let mut bench = Bench::new("[content.pots]\ndated = false\n[archive.sets]\nby = \"set\"\n")
        .with("posts/2026-03-01-a.md", "A post.\n")
        .with("pots/b.md", "A pot.\n")
        .with(
            "templates/post.html",
            "{{ post.set }}|{% if post.set == \"pots\" %}pot{% endif %}|{{ post.content }}|{{ query(\"where set = 'pots'\")|length }}",
        );
    bench.sound();
    assert_eq!(
        bench.page("pots/b/index.html"),
        "pots|pot|<p>A pot.</p>\n|1\n"
    );
    assert_eq!(
        bench.page("2026/a/index.html"),
        "posts||<p>A post.</p>\n|1\n"
    );
    assert!(bench.page("sets/pots/index.html").contains("/pots/b/"));
    bench.sources.write(
        "pages/x.html",
        "{{ query(\"where content = 'pots'\")|length }}",
    );
    let built = bench.build();
    assert!(
        said(&built.diagnostics).contains("did you mean `set`?"),
        "{:?}",
        built.diagnostics
    );
}

/// The text of a template that has the name of the built-in one, and the text of the home page or the post that
/// shows that the built-in one is in it.
#[rstest]
#[case::extended(
    "post.html",
    "{% extends \"theme/post.html\" %}{% block foot %}mine{% endblock %}",
    "2026/lime/index.html",
    &["<h1>Lime &amp; sand</h1>", "mine"]
)]
#[case::included(
    "parts/card.html",
    "<div class=\"mine\">{% include \"theme/parts/card.html\" %}</div>",
    "index.html",
    &["<div class=\"mine\"><article class=\"card\">"]
)]
#[case::both(
    "base.html",
    "{% extends \"theme/base.html\" %}{% block foot %}<b>mine</b>{{ super() }}{% endblock %}",
    "2026/lime/index.html",
    &["<title>Lime &amp; sand", "<b>mine</b>"]
)]
fn the_built_in_template_of_its_own_name_is_in_reach(
    #[case] name: &str,
    #[case] text: &str,
    #[case] page: &str,
    #[case] shown: &[&str],
) {
    let mut bench = small().with(&format!("templates/{name}"), text);
    bench.sound();
    let page = bench.page(page);
    for shown in shown {
        assert!(page.contains(shown), "{shown}: {page}");
    }
}

#[test]
fn an_unknown_template_of_the_theme_is_an_error_with_the_nearest() {
    let text = "{% extends \"theme/psot.html\" %}";
    let mut bench = small().with("templates/post.html", text);
    let found = said(&bench.build().diagnostics);
    assert!(
        found.contains("there is no template `theme/psot.html`"),
        "{found}"
    );
    assert!(found.contains("did you mean `theme/post.html`?"), "{found}");
}
