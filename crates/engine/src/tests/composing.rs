//! Writing queries: chains, absent posts, choices, and the lists of a page.

use rstest::rstest;

use super::bench::Bench;
use crate::{ListKind, MemoryOutput, PageLists, QueryPage};

fn bench() -> Bench {
    Bench::new(
        "[queries]\nwalls = \"where tag = 'lime'\"\n[archive.tags]\nby = \"tag\"\nlink = \"/tags/{tag}/\"\noverview = \"/tags/\"\nper_page = 1\n[archive.years]\nby = \"year\"\nlink = \"/{year}/\"\n[related]\nweigh = { tag = 1 }\n",
    )
    .with("posts/2026-03-14-a.md", "---\ntags: [lime, o'clock]\nhours: 4\n---\nA.\n")
    .with("posts/2026-03-15-b.md", "---\ntags: [lime]\n---\nB.\n")
    .with("posts/2025-03-16-c.md", "---\ntags: [sand]\n---\nC.\n")
    .with("posts/2026-04-01-d.md", "---\ntags: [lime]\ndraft: true\n---\nD.\n")
}

#[rstest]
#[case::found(
    "from posts where tag = 'lime'",
    None,
    "a",
    true,
    "it is number 2 of 2"
)]
#[case::condition(
    "from posts where year = 2026 and tag = 'sand'",
    None,
    "a",
    false,
    "`tag = 'sand'` is false for it"
)]
#[case::limit(
    "from posts where tag = 'lime' limit 1",
    None,
    "a",
    false,
    "it is number 2 of 2, and `limit 1` leaves it out"
)]
#[case::offset(
    "from posts limit 5 offset 1",
    None,
    "b",
    false,
    "it is number 1 of 3, and `limit 5` `offset 1` leaves it out"
)]
#[case::this(
    "from posts where tag has any (this.tag) and not current",
    Some("a"),
    "a",
    false,
    "`not current` is false for it"
)]
#[case::this_and_another(
    "from posts where tag has any (this.tag)",
    Some("c"),
    "a",
    false,
    "`tag has any (this.tag)` is false for it"
)]
#[case::draft(
    "from posts",
    None,
    "d",
    false,
    "it is excluded: `draft: true` (posts/2026-04-01-d.md:3)"
)]
fn a_post_is_found_or_not_for_a_reason(
    #[case] query: &str,
    #[case] this: Option<&str>,
    #[case] post: &str,
    #[case] is_found: bool,
    #[case] reason: &str,
) {
    let site = bench().workspace();
    let page = this.map_or(QueryPage::None, QueryPage::Post);
    let found = site.why_not(query, page, post).unwrap();
    assert_eq!((found.is_member, found.reason.as_str()), (is_found, reason));
}

#[rstest]
#[case::field("where ta|", "ta", "tag", "tag")]
#[case::set("from po|", "po", "posts", "posts")]
#[case::named_query("from wa|", "wa", "walls", "walls")]
#[case::term("where tag = 'o'", "o", "o'clock", "o''clock")]
#[case::key_of_this_blog("where ho|", "ho", "hours", "hours")]
#[case::keyword("from posts ord|", "ord", "order", "order")]
#[case::operator("where hours |", "", ">=", ">=")]
#[case::operator_of_words("where tag is|", "is", "is missing", "is missing")]
#[case::after_a_flag("where draft an|", "an", "and", "and")]
fn a_query_can_be_completed(
    #[case] marked: &str,
    #[case] word: &str,
    #[case] label: &str,
    #[case] text: &str,
) {
    let site = bench().workspace();
    let at = marked.find('|').unwrap_or(marked.len() - 1);
    let query = marked.replace('|', "");
    let (place, choices) = site.choices(&query, at);
    assert_eq!(&query[place], word);
    let found = choices.iter().find(|choice| choice.label == label);
    assert_eq!(found.map(|choice| choice.text.as_str()), Some(text));
    assert!(found.is_some_and(|choice| choice.fits(word)));
}

/// Each operator makes a condition that can be read.
#[rstest]
#[case::single("hours", &["=", "!=", "<", "<=", ">", ">="], "4")]
#[case::range("hours", &["in"], "1 .. 4")]
#[case::between("hours", &["between"], "1 and 4")]
#[case::text("title", &["contains", "starts with", "ends with"], "'A'")]
#[case::lists("tag", &["has any", "has all"], "('lime')")]
#[case::missing("hours", &["is missing", "is not missing"], "")]
fn an_operator_can_be_read(#[case] field: &str, #[case] operators: &[&str], #[case] value: &str) {
    let site = bench().workspace();
    let start = format!("where {field} ");
    let (_, choices) = site.choices(&start, start.len());
    for operator in operators {
        let known = choices.iter().any(|choice| choice.text == *operator);
        assert!(known, "{operator}");
        let query = format!("{start}{operator} {value}");
        assert!(site.query(query.as_str()).is_ok(), "{query}");
    }
}

#[test]
fn terms_come_with_their_counts_the_most_first() {
    let site = bench().workspace();
    let (_, choices) = site.choices("where tag = '", 13);
    let shown = choices
        .iter()
        .map(|choice| format!("{} {}", choice.label, choice.detail));
    assert_eq!(
        shown.collect::<Vec<_>>(),
        ["lime 2 posts", "o'clock 1 post", "sand 1 post"]
    );
}

fn lists(bench: &Bench, address: &str) -> Option<PageLists> {
    let mut session = bench.workspace().session();
    session
        .build(&mut MemoryOutput::default(), bench.options())
        .unwrap();
    session.page_lists(address)
}

/// The kind, the name, the place, the query and the addresses of each list.
fn shown(lists: &PageLists) -> Vec<String> {
    let one = lists.lists.iter().map(|list| {
        let place = format!(
            "{}:{}:{}",
            list.location.file.as_deref().unwrap_or_default(),
            list.location.line,
            list.location.column
        );
        let query = list.query.as_deref().unwrap_or("-");
        format!(
            "{} {} {place} [{query}] {}",
            list.kind.name(),
            list.name,
            list.links.join(" ")
        )
    });
    one.collect()
}

#[rstest]
#[case::page_of_a_tag(
    "/tags/lime/page/2/",
    "archive tags tabulae.toml:7:10 [where tag = 'lime'] /2026/a/"
)]
#[case::as_a_file(
    "/tags/lime/index.html",
    "archive tags tabulae.toml:7:10 [where tag = 'lime'] /2026/b/"
)]
#[case::a_quote_in_a_term(
    "/tags/o-clock/",
    "archive tags tabulae.toml:7:10 [where tag = 'o''clock'] /2026/a/"
)]
#[case::year(
    "/2025/",
    "archive years tabulae.toml:12:10 [where year = 2025] /2025/c/"
)]
#[case::overview(
    "/tags/",
    "overview tags tabulae.toml:7:10 [-] /tags/lime/ /tags/o-clock/ /tags/sand/"
)]
#[case::related("/2026/a/", "related  tabulae.toml:15:1 [-] /2026/b/")]
fn a_page_has_a_list(#[case] address: &str, #[case] expected: &str) {
    let found = lists(&bench(), address).unwrap();
    assert_eq!(shown(&found), [expected]);
}

#[test]
fn a_page_has_the_queries_of_its_template_and_of_placeholders() {
    let bench = bench()
        .with(
            "templates/post.html",
            "{{ post.title }}\n{% for one in query(\"from posts where not current limit 1\") %}{{ one.title }}{% endfor %}\n{{ post.content }}",
        )
        .with(
            "posts/2026-05-01-e.md",
            "---\ntags: [mud]\n---\n<!-- tabulae query \"from walls\" --><!-- tabulae end -->\n",
        );
    let found = lists(&bench, "/2026/e/").unwrap();
    assert_eq!(found.this.as_deref(), Some("posts/2026-05-01-e.md"));
    let queries = found
        .lists
        .iter()
        .filter(|list| list.kind == ListKind::Query);
    let queries: Vec<_> = queries
        .map(|list| {
            let file = list.location.file.as_deref().unwrap_or_default();
            (file, list.location.line, list.links.join(" "))
        })
        .collect();
    let post = ("posts/2026-05-01-e.md", 4, "/2026/b/ /2026/a/".to_owned());
    let template = ("templates/post.html", 2, "/2026/b/".to_owned());
    assert_eq!(queries, [post, template]);
}

#[test]
fn no_page_has_no_lists() {
    assert_eq!(lists(&bench(), "/missing/"), None);
    assert_eq!(
        bench().workspace().session().page_lists("/2026/"),
        lists(&bench(), "/2026/"),
        "without a build in the session the site is read"
    );
}

#[rstest]
#[case::behind_a_comment(
    "# As in [related].\n[related]\nweigh = { tag = 1 }\n",
    "tabulae.toml:6:1"
)]
#[case::of_the_set(
    "[related]\nweigh = { tag = 1 }\n[content.posts.related]\nquery = \"limit 3\"\n",
    "tabulae.toml:7:1"
)]
#[case::of_the_set_in_quotes(
    "[related]\nweigh = { tag = 1 }\n[content.\"posts\".related]\nquery = \"limit 3\"\n",
    "tabulae.toml:7:1"
)]
fn related_posts_come_from_their_table(#[case] settings: &str, #[case] place: &str) {
    let bench = Bench::new(settings)
        .with("posts/2026-03-14-a.md", "---\ntags: [lime]\n---\nA.\n")
        .with("posts/2026-03-15-b.md", "---\ntags: [lime]\n---\nB.\n");
    let lists = shown(&lists(&bench, "/2026/a/").unwrap());
    assert!(
        lists[0].starts_with(&format!("related  {place} ")),
        "{lists:?}"
    );
}
