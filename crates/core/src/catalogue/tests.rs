use super::*;
use crate::front_matter;
use crate::post::{Body, assemble};
use crate::source::{Source, Spanned};
use crate::time::Moment;
use rstest::rstest;

const SITE: &str = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";

fn settings(more: &str) -> Settings {
    let read = Settings::read(&Source::new("tabulae.toml", &format!("{SITE}{more}")));
    assert_eq!(read.diagnostics, []);
    read.output
}

fn post(settings: &Settings, path: &str, front: &str) -> Post {
    let source = Source::new(path, &format!("---\n{front}\n---\n"));
    let moment = Moment {
        now: "2026-06-01T12:00:00Z".parse().unwrap(),
        zone: settings.site.timezone.clone(),
    };
    let front = front_matter::read(&source, &moment.zone).output;
    let set = settings
        .content
        .iter()
        .position(|set| path.starts_with(&set.folder))
        .unwrap();
    let read = assemble(
        path,
        (set, &settings.content[set]),
        settings,
        &moment,
        &source,
        front,
        Body::default(),
    );
    assert_eq!(read.diagnostics, []);
    read.output
}

fn note(name: &str, title: Option<&str>, slug: Option<&str>, spellings: &[&str]) -> TermNote {
    let spanned = |text: &&str| Spanned::new((*text).to_owned(), crate::source::Span::default());
    TermNote {
        moved_from: Vec::new(),
        field: 0,
        name: name.to_owned(),
        locale: LocaleId::SITE,
        titles: Vec::new(),
        slugs: Vec::new(),
        title: title.as_ref().map(spanned),
        slug: slug.as_ref().map(spanned),
        spellings: spellings.iter().map(spanned).collect(),
        html: String::new(),
        source: Source::new("terms/tag/x.md", ""),
    }
}

fn catalogue(
    settings: &Settings,
    posts: &[(&str, &str)],
    notes: Vec<TermNote>,
) -> Collected<Catalogue> {
    let posts = posts
        .iter()
        .map(|(path, front)| post(settings, path, front))
        .collect();
    Catalogue::new(
        posts,
        notes,
        settings,
        Include::default(),
        jiff::civil::Date::constant(2026, 6, 1),
    )
}

fn paths(catalogue: &Catalogue, ids: &[PostId]) -> Vec<String> {
    ids.iter()
        .map(|id| catalogue.post(*id).path.clone())
        .collect()
}

#[test]
fn posts_stand_newest_first_then_by_title_then_by_path() {
    let settings = settings("[content.posts]\ndated = false\nlink = \"/{slug}/\"\n");
    let posts = [
        ("posts/a.md", "title: Zebra"),
        ("posts/b.md", "title: apple"),
        ("posts/c.md", "title: x\ndate: 2026-01-01"),
        ("posts/d.md", "title: B\ndate: 2026-01-02"),
        ("posts/e.md", "title: a\ndate: 2026-01-02"),
        ("posts/f.md", "title: a\ndate: 2026-01-02"),
    ];
    let made = catalogue(&settings, &posts, Vec::new());
    assert_eq!(made.diagnostics, []);
    let all: Vec<PostId> = made.output.all().collect();
    let expected = [
        "posts/e.md",
        "posts/f.md",
        "posts/d.md",
        "posts/c.md",
        "posts/b.md",
        "posts/a.md",
    ];
    assert_eq!(paths(&made.output, &all), expected);
}

#[test]
fn a_term_is_shown_as_it_is_spelt_most_and_of_equals_as_first() {
    let settings = settings("");
    let posts = [
        ("posts/a.md", "date: 2026-01-04\ntags: [Lime, work-party]"),
        ("posts/b.md", "date: 2026-01-03\ntags: [lime, Work Party]"),
        ("posts/c.md", "date: 2026-01-02\ntags: [lime]"),
        (
            "posts/d.md",
            "date: 2026-01-05\ndraft: true\ntags: [LIME, held]",
        ),
        ("posts/e.md", "date: 2026-01-06\ndraft: true\ntags: [LIME]"),
        ("posts/f.md", "date: 2026-01-07\ndraft: true\ntags: [LIME]"),
    ];
    let catalogue = catalogue(&settings, &posts, Vec::new()).output;
    let table = catalogue.terms(0);
    let shown: Vec<_> = table
        .terms
        .iter()
        .map(|term| (term.name.as_str(), term.posts.len()))
        .collect();
    assert_eq!(shown, [("lime", 3), ("held", 0), ("Work Party", 2)]);
    assert_eq!(table.find("  LIME "), table.find("lime"));
}

#[test]
fn a_note_joins_spellings_and_gives_title_and_slug() {
    let settings = settings("");
    let posts = [(
        "posts/a.md",
        "date: 2026-01-04\ntags: [stonework, masonry, C++]",
    )];
    let notes = vec![
        note("masonry", Some("Masonry"), None, &["stonework"]),
        note("cpp", Some("C++"), Some("c-plus"), &[]),
    ];
    let catalogue = catalogue(&settings, &posts, notes).output;
    let terms: Vec<_> = catalogue
        .terms(0)
        .terms
        .iter()
        .map(|t| (t.name.as_str(), t.slug.as_str(), t.posts.len()))
        .collect();
    assert_eq!(terms, [("Masonry", "masonry", 1), ("C++", "c-plus", 1)]);
}

#[test]
fn a_spelling_of_two_notes_is_an_error() {
    let settings = settings("");
    let notes = vec![note("a", None, None, &["x"]), note("b", None, None, &["x"])];
    let made = catalogue(&settings, &[("posts/a.md", "date: 2026-01-04")], notes);
    let codes: Vec<_> = made
        .diagnostics
        .iter()
        .map(|diagnostic| diagnostic.code)
        .collect();
    assert_eq!(codes, [Code::NameConflict]);
}

#[test]
fn a_nested_term_counts_under_those_above_it() {
    let settings = settings("[terms.category]\nnested = true\n");
    let posts = [
        ("posts/a.md", "date: 2026-01-04\ncategory: Waterway/Locks"),
        ("posts/b.md", "date: 2026-01-03\ncategory: waterway / Boats"),
        (
            "posts/c.md",
            "date: 2026-01-02\ncategory: [Waterway/Locks, Waterway]",
        ),
    ];
    let catalogue = catalogue(&settings, &posts, Vec::new()).output;
    let table = catalogue.terms(1);
    let count = |name: &str| {
        table
            .find(name)
            .map(|id| (table.term(id).slug.as_str(), table.term(id).posts.len()))
    };
    assert_eq!(count("waterway"), Some(("waterway", 3)));
    assert_eq!(count("Waterway/locks"), Some(("waterway/locks", 2)));
    assert_eq!(count("WATERWAY/boats"), Some(("waterway/boats", 1)));
}

#[rstest]
#[case::folder(
    "/{folder}/{slug}/",
    "posts/walks/a.md",
    "date: 2026-01-04",
    "/walks/a/"
)]
#[case::no_folder("/{folder}/{slug}/", "posts/a.md", "date: 2026-01-04", "/a/")]
#[case::two_digits(
    "/{year}/{month}/{day}/{slug}.html",
    "posts/a.md",
    "date: 2026-01-04",
    "/2026/01/04/a.html"
)]
#[case::term(
    "/{category}/{slug}/",
    "posts/a.md",
    "date: 2026-01-04\ncategory: Work parties",
    "/work-parties/a/"
)]
#[case::own_field(
    "/{series}/{slug}/",
    "posts/a.md",
    "date: 2026-01-04\nseries: The long walk",
    "/the-long-walk/a/"
)]
#[case::own_number(
    "/v{version}/{slug}/",
    "posts/a.md",
    "date: 2026-01-04\nversion: 1.10",
    "/v1.10/a/"
)]
#[case::unicode(
    "/{slug}/",
    "posts/a.md",
    "date: 2026-01-04\nslug: größe",
    "/gr%C3%B6%C3%9Fe/"
)]
fn links_are_made_by_pattern(
    #[case] pattern: &str,
    #[case] path: &str,
    #[case] front: &str,
    #[case] link: &str,
) {
    let settings = settings(&format!("[content.posts]\nlink = \"{pattern}\"\n"));
    let made = catalogue(&settings, &[(path, front)], Vec::new());
    assert_eq!(made.diagnostics, []);
    assert_eq!(made.output.link(PostId(0)).encoded, link);
}

#[rstest]
#[case::none("date: 2026-01-04")]
#[case::several("date: 2026-01-04\ncategory: [a, b]")]
fn a_link_may_use_only_what_each_post_has_one_of(#[case] front: &str) {
    let settings = settings("[content.posts]\nlink = \"/{category}/{slug}/\"\n");
    let made = catalogue(&settings, &[("posts/a.md", front)], Vec::new());
    let found: Vec<_> = made
        .diagnostics
        .iter()
        .map(|f| (f.code, f.location.file.as_deref()))
        .collect();
    assert_eq!(found, [(Code::InvalidLinkPattern, Some("posts/a.md"))]);
}

#[test]
fn related_posts_are_named_by_path_or_slug() {
    let settings = settings("");
    let posts = [
        (
            "posts/2026-01-04-kiln.md",
            "related: [lime, 2026-01-03-lime.md, posts/2026-01-03-lime.md, lim]",
        ),
        ("posts/2026-01-03-lime.md", "title: Lime"),
    ];
    let made = catalogue(&settings, &posts, Vec::new());
    let found: Vec<_> = made
        .diagnostics
        .iter()
        .map(|f| (f.code, f.help.as_deref()))
        .collect();
    assert_eq!(
        found,
        [(Code::UnknownRelatedPost, Some("did you mean `lime`?"))]
    );
}

#[rstest]
#[case::single("hours: 3", "hours", &[Cell::Number(3.0)])]
#[case::list("colours: [red, 2, [true]]", "colours", &[Cell::Text("red"), Cell::Number(2.0), Cell::Flag(true)])]
#[case::blank("note: '  '", "note", &[])]
#[case::map("boat: {length: 9}", "boat.length", &[Cell::Number(9.0)])]
#[case::an_entry_with_a_dot_before_a_map("boat: {length: 9}\nboat.length: 7", "boat.length", &[Cell::Number(7.0)])]
#[case::in_the_other_order("boat.length: 7\nboat: {length: 9}", "boat.length", &[Cell::Number(7.0)])]
fn a_column_holds_what_the_header_says(
    #[case] front: &str,
    #[case] name: &str,
    #[case] expected: &[Cell<'_>],
) {
    let settings = settings("");
    let front = format!("date: 2026-01-01\n{front}");
    let posts = [("posts/a.md", "date: 2026-02-01"), ("posts/b.md", &front)];
    let catalogue = catalogue(&settings, &posts, Vec::new()).output;
    let column = catalogue.column(name).unwrap();
    let of = |id| catalogue.cells(column, PostId(id)).collect::<Vec<_>>();
    assert_eq!((of(0), of(1)), (vec![], expected.to_vec()));
}
