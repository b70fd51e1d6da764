use rstest::rstest;

use super::*;
use crate::source::Source;
use crate::testing::Small;

const POSTS: [(&str, &str, &str); 2] = [
    (
        "posts/lime.md",
        "title: 'Lime, \"hot\"'\ndate: 2026-03-14 09:30\ntags: [lime, Hot mix]\nsummary: |\n  Two\n  lines\ninfo: { level: 3, tools: [trowel, hawk] }\nwords: nine",
        "<p>One <em>two</em></p>",
    ),
    ("posts/sand.md", "title: Sand\ndate: 2026-01-01", ""),
];

/// A site whose tag `lime` has a page, and where sand is related to lime.
struct Site;

impl ExportSource for Site {
    fn link(&self, post: PostId) -> String {
        format!("https://x.example/{}/", post.0)
    }

    fn term_link(&self, _: PostId, _: usize, term: TermId) -> Option<String> {
        (term.0 == 0).then(|| "https://x.example/tags/lime/".to_owned())
    }

    fn related(&self, post: PostId) -> Vec<PostId> {
        if post.0 == 0 {
            vec![PostId(1)]
        } else {
            Vec::new()
        }
    }

    fn content(&self, _: PostId) -> String {
        "<p>".to_owned()
    }
}

fn small() -> Small {
    Small::new("", &POSTS)
}

fn resolve(name: &str, catalogue: &Catalogue) -> Result<ExportField, Box<Diagnostic>> {
    ExportField::resolve(name, Source::command_line(name).top(), catalogue)
}

#[rstest]
#[case::title("title", json!("Lime, \"hot\""), json!("Sand"))]
#[case::link("link", json!("https://x.example/0/"), json!("https://x.example/1/"))]
#[case::time("date", json!("2026-03-14T09:30:00Z"), json!("2026-01-01"))]
#[case::year("year", json!(2026), json!(2026))]
#[case::words("words", json!(2), json!(0))]
#[case::hidden_by_a_derived_name("meta.words", json!("nine"), json!(null))]
#[case::text("text", json!("One two"), json!(""))]
#[case::content("content", json!("<p>"), json!("<p>"))]
#[case::state("state", json!("live"), json!("live"))]
#[case::terms("tag", json!([
    { "name": "lime", "slug": "lime", "link": "https://x.example/tags/lime/" },
    { "name": "Hot mix", "slug": "hot-mix", "link": null },
]), json!([]))]
#[case::related("related", json!([{ "title": "Sand", "link": "https://x.example/1/" }]), json!([]))]
#[case::map("info", json!({ "level": 3, "tools": ["trowel", "hawk"] }), json!(null))]
#[case::path("info.level", json!(3), json!(null))]
fn a_field_has_its_value(#[case] name: &str, #[case] lime: Value, #[case] sand: Value) {
    let small = small();
    let field = resolve(name, &small.catalogue).unwrap();
    let value = |id| field.value(PostId(id), &small.catalogue, &Site);
    assert_eq!([value(0), value(1)], [lime, sand]);
}

#[rstest]
#[case::nowhere("levle", "no post has a field `levle`", None)]
#[case::almost(
    "sumary",
    "no post has a field `sumary`",
    Some("did you mean `summary`?")
)]
#[case::of_a_page(
    "likeness",
    "`likeness` has no meaning in an export, which is no post's page",
    Some("leave it out")
)]
fn an_unknown_field_is_an_error(
    #[case] name: &str,
    #[case] message: &str,
    #[case] help: Option<&str>,
) {
    let small = small();
    let error = resolve(name, &small.catalogue).unwrap_err();
    assert_eq!(error.message, message);
    assert!(
        help.is_none_or(|help| error.help.as_deref() == Some(help)),
        "{:?}",
        error.help
    );
}

#[rstest]
#[case::json(
    ExportFormat::Json,
    "[\n{\"title\":\"Lime, \\\"hot\\\"\",\"info.level\":3},\n{\"title\":\"Sand\",\"info.level\":null}\n]\n"
)]
#[case::ndjson(
    ExportFormat::Ndjson,
    "{\"title\":\"Lime, \\\"hot\\\"\",\"info.level\":3}\n{\"title\":\"Sand\",\"info.level\":null}\n"
)]
#[case::csv(
    ExportFormat::Csv,
    "title,info.level\r\n\"Lime, \"\"hot\"\"\",3\r\nSand,\r\n"
)]
fn rows_are_written_in_their_order(#[case] format: ExportFormat, #[case] expected: &str) {
    assert_eq!(written(format, &["title", "info.level"]), expected);
}

fn written(format: ExportFormat, names: &[&str]) -> String {
    let small = small();
    let field = |name: &&str| ((*name).to_owned(), resolve(name, &small.catalogue).unwrap());
    let fields: Vec<_> = names.iter().map(field).collect();
    let row = |id: PostId| {
        let fields = fields.iter();
        fields
            .map(|(_, field)| field.value(id, &small.catalogue, &Site))
            .collect()
    };
    write(format, &fields, small.catalogue.all().map(row))
}

#[test]
fn a_cell_has_names_of_terms_and_links_of_related_posts() {
    let text = written(
        ExportFormat::Csv,
        &["tag", "related", "info.tools", "summary"],
    );
    let expected = "tag,related,info.tools,summary\r\nlime; Hot mix,https://x.example/1/,trowel; hawk,\"Two\nlines\"\r\n,,,\r\n";
    assert_eq!(text, expected);
}

#[test]
fn an_export_without_posts_is_an_empty_list() {
    assert_eq!(write(ExportFormat::Json, &[], std::iter::empty()), "[]\n");
    assert_eq!(write(ExportFormat::Ndjson, &[], std::iter::empty()), "");
}
