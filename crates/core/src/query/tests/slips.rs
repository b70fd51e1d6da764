//! Forms of other languages and slips, each with the help that names the right form.

use super::*;

#[rstest]
#[case::values_by_or(
    "where category = 'Locks' or 'Bridges'",
    "write `category in ('Locks', 'Bridges')`"
)]
#[case::three_by_or(
    "where category = 'Locks' or 'Bridges' or 'Weirs'",
    "write `category in ('Locks', 'Bridges', 'Weirs')`"
)]
#[case::values_by_and(
    "where tag = 'lime' and 'masonry'",
    "write `tag has all ('lime', 'masonry')`"
)]
#[case::none_of_two(
    "where tag != 'lime' and 'masonry'",
    "write `tag not in ('lime', 'masonry')`"
)]
#[case::equal_to_a_list("where tag = ('lime', 'masonry')", "`tag has any ('lime', 'masonry')`")]
#[case::equal_to_all_of_a_list(
    "where tag = ('lime', 'masonry')",
    "`tag has all ('lime', 'masonry')`"
)]
#[case::unequal_to_a_list("where tag != ('lime', 'masonry')", "`tag not in ('lime', 'masonry')`")]
#[case::list_in_one_text("where tag = 'lime, masonry'", "`tag has any ('lime', 'masonry')`")]
#[case::field_of_the_post("where category = post.category", "`this.category`")]
#[case::field_of_the_current("where category = current.category", "`this.category`")]
#[case::template_in_quotes("where category = '{{ post.category }}'", "`this.category`")]
#[case::field_with_its_post("where post.category = 'Locks'", "by its name alone: `category`")]
#[case::in_terms_of_this("where tag in this.tags", "write `tag has any (this.tag)`")]
#[case::in_a_term_of_this("where tag in this.tag", "write `tag has any (this.tag)`")]
#[case::direction("order by title dsc", "did you mean `desc`?")]
#[case::pages("limit 2 per page", "`per_page = 10`")]
#[case::offset_and_limit("limit 5, 5", "write `limit 5 offset 5`")]
#[case::offset_before_limit("limit 10, 5", "write `limit 5 offset 10`")]
#[case::rand("order by rand()", "write `random(7)`")]
#[case::random_without_a_seed("order by random()", "write `random(7)`")]
#[case::shuffle("order by shuffle", "write `random(7)`")]
#[case::exclude("exclude current", "`where not current`")]
#[case::exclude_after_where("where exclude current", "`and not current`")]
#[case::exclude_at_the_end("where tag = 'lime' exclude current", "`and not current`")]
#[case::without("from posts without current", "`and not current`")]
#[case::in_a_month("where date in april", "write `month = 4`")]
#[case::month_in_a_word("where month = April", "`month = 4`")]
#[case::month_in_a_text("where month = 'sept'", "`month = 9`")]
#[case::id("where id = 46", "`slug = 'lime'`")]
#[case::few_terms("where tag = 'xyzzy'", "`dredging` (1)")]
#[case::all_of_few_terms_with_the_nearest(
    "where tag = 'masnry'",
    "the nearest: `masonry` (2); all: "
)]
#[case::all_of_few_terms("where tag = 'xyzzy'", "`masonry` (2)")]
fn a_slip_leads_to_what_to_type(#[case] text: &str, #[case] expected: &str) {
    let found = world().compile(text, false, &[]).diagnostics;
    let helps: Vec<&str> = found
        .iter()
        .filter_map(|found| found.help.as_deref())
        .collect();
    assert_eq!(helps.len(), 1, "{found:?}");
    assert!(helps[0].contains(expected), "{helps:?}");
}

/// A text in a post may well hold the marks of a template.
#[rstest]
#[case::open("where title contains '{{'")]
#[case::whole("where title contains '{{ x | upper }}'")]
fn a_text_may_hold_template_marks(#[case] text: &str) {
    assert_eq!(world().compile(text, false, &[]).diagnostics, []);
}

#[rstest]
#[case("january", Some(1))]
#[case("Sept.", Some(9))]
#[case("mar", Some(3))]
#[case("ma", None)]
#[case("marchy", None)]
fn a_month_has_a_number(#[case] name: &str, #[case] expected: Option<usize>) {
    assert_eq!(crate::time::month_number(name), expected);
}
