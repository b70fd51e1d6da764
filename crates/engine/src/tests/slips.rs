//! Slips in templates and settings, and the words that lead on from them.

use rstest::rstest;

use super::bench::{Bench, said};

const MAIN: &str = "{% extends \"base.html\" %}{% block main %}";

/// Two posts, one of them with an image and a category.
fn site(settings: &str) -> Bench {
    Bench::new(settings)
        .with("posts/a.md", "---\ndate: 2026-02-01\ntags: [lime]\n---\n")
        .with(
            "posts/b.md",
            "---\ndate: 2026-02-02\nimage: /b.png\ncategory: Locks\n---\n",
        )
}

fn each(text: &str) -> String {
    format!("{{% for post in query(\"from posts\") %}}\n{text}\n{{% endfor %}}")
}

#[rstest]
#[case::a_loop_that_is_not_closed(
    "pages/x.html",
    "<p>\n{% for post in query(\"from posts\") %}\n{{ post.title }}\n<b>x</b>",
    "pages/x.html:2:1: `{% for … %}` is not closed\n  write `{% endfor %}` where it ends"
)]
#[case::a_condition_closed_by_a_loop(
    "pages/x.html",
    "{% for post in query(\"from posts\") %}{% if post.image %}\n{% endfor %}",
    "pages/x.html:2:1: `{% endfor %}` closes nothing here: `{% if … %}` is still open\n  write `{% endif %}` before it"
)]
#[case::a_quote_that_is_not_closed(
    "pages/x.html",
    "{% for post in query(\"from posts) %}{% endfor %}",
    "a text in quotes is not closed in this tag"
)]
#[case::another_error_before_a_loop_that_is_not_closed(
    "pages/x.html",
    "{{ 1 + }}{% for post in query(\"from posts\") %}",
    "pages/x.html:1:8: invalid template: "
)]
#[case::none_in_a_filter(
    "templates/post.html", &format!("{MAIN}{{{{ post.image|absolute }}}}{{% endblock %}}"),
    "`post.image` of `posts/a.md` is none, and the filter `absolute` takes a text\n  write `{% if post.image %}…{% endif %}` around it, or `(post.image or \"…\")`"
)]
#[case::none_in_a_filter_within_a_loop(
    "pages/x.html", &each("{{ post.image|absolute }}"),
    "pages/x.html:2:15: `post.image` of `posts/a.md` is none"
)]
#[case::the_first_of_no_terms(
    "templates/post.html", &format!("{MAIN}{{{{ post.categories[0] }}}}{{% endblock %}}"),
    "there is no `post.categories[0]`: the list `post.categories` of `posts/a.md` is too short\n  write `{% if post.categories %}…{% endif %}` around it"
)]
#[case::a_field_of_the_first_of_no_terms(
    "pages/x.html", &each("{{ post.categories[0].name }}"),
    "the list `post.categories` of `posts/a.md` is too short"
)]
#[case::a_template_that_extends_itself(
    "templates/post.html",
    "{% extends \"post.html\" %}",
    "`post.html` extends itself: a template of this name in `templates/` takes the place of the built-in one\n  extend `theme/post.html`, which is the built-in one"
)]
#[case::templates_in_a_circle(
    "templates/post.html",
    "{% extends \"parts/one.html\" %}",
    "`parts/one.html` extends itself, by other templates or at once"
)]
#[case::a_date_pattern_of_letters(
    "pages/x.html", &each("{{ post.date|date(\"DD.MM.YYYY\") }}"),
    "dates cannot be written by \"DD.MM.YYYY\": it has no `%`\n  write \"%d.%m.%Y\""
)]
#[case::a_date_pattern_of_words(
    "pages/x.html", &each("{{ post.date|date(\"full\") }}"),
    "write `%Y` for the year"
)]
#[case::a_filter_of_another_language(
    "pages/x.html", &each("{{ post.date|strftime(\"%Y\") }}"),
    "there is no filter `strftime`\n  write `|date(\"%Y\")`"
)]
#[case::a_filter_with_a_slip(
    "pages/x.html", &each("{{ post.title|uper }}"),
    "there is no filter `uper`\n  did you mean `upper`?"
)]
#[case::a_template_with_a_slip(
    "pages/x.html",
    "{% include \"parts/crad.html\" %}",
    "there is no template `parts/crad.html`\n  did you mean `parts/card.html`?"
)]
#[case::a_template_expression_in_a_query(
    "pages/x.html",
    "{% for post in query(\"where category = {{ c }}\") %}{% endfor %}",
    "pass the value by its name"
)]
fn a_slip_in_a_template_leads_to_what_to_type(
    #[case] path: &str,
    #[case] text: &str,
    #[case] expected: &str,
) {
    let mut bench = site("")
        .with(
            "templates/parts/one.html",
            "{% extends \"parts/two.html\" %}",
        )
        .with(
            "templates/parts/two.html",
            "{% extends \"parts/one.html\" %}",
        )
        .with(path, text);
    let found = said(&bench.build().diagnostics);
    assert!(found.contains(expected), "{found}");
}

#[rstest]
#[case::a_weight(
    "[related]\nweigh = { tgs = 3 }\n",
    "write one of `tag`, `category`, `author`, `title`, `body`"
)]
#[case::ttl_of_atom("[feed.x]\nttl = 60\n", "write `format = \"rss\"`, or leave `ttl` out")]
#[case::a_date_pattern("date_format = \"YYYY\"\n", "a pattern such as \"%-d %B %Y\"")]
fn a_slip_in_the_settings_leads_to_what_to_type(#[case] settings: &str, #[case] expected: &str) {
    let found = site(settings).build().diagnostics;
    assert_eq!(found.len(), 1, "{found:?}");
    assert!(said(&found).contains(expected), "{found:?}");
}

#[test]
fn the_way_out_of_none_is_one() {
    let line = each("{{ (post.image or \"/none.png\")|absolute }}");
    let mut bench = site("").with("pages/x.html", &line);
    bench.sound();
    let page = bench.page("x/index.html");
    assert!(
        page.contains("/b.png") && page.contains("/none.png"),
        "{page}"
    );
}
