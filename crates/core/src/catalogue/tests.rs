use std::sync::atomic::Ordering;

use super::*;
use crate::front_matter;
use crate::post::{Body, assemble};
use crate::source::{Source, Spanned};
use crate::testing::{Small, counted_html};
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
        .map(|(path, front)| post(settings, path, front));
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
    let spellings: Vec<_> = table.terms[0]
        .spellings
        .iter()
        .map(|(name, _)| name.as_str())
        .collect();
    assert_eq!(spellings, ["lime", "Lime"]);
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

/// Each post is `paths` without ending, with its front matter; then the groups of translations, each by its
/// paths in the order of languages, and what is said.
#[rstest]
#[case::side_by_side(&[("lime", ""), ("lime.de", "")], &["lime lime.de"], &[])]
#[case::by_name(&[("a", "translation: x"), ("b", "language: de\ntranslation: x")], &["a b"], &[])]
#[case::in_three(&[("a", "translation: x"), ("a.de", ""), ("c", "language: ar\ntranslation: x")], &["a a.de c"], &[])]
#[case::joined_late(
    &[("a", "translation: x"), ("b", "language: de\ntranslation: y"), ("c", "language: ar\ntranslation: x"), ("b.ar", "draft: true\ntranslation: z")],
    &["a c"],
    &["unpublished-translation b.ar"]
)]
#[case::a_draft(&[("lime", ""), ("lime.de", "draft: true")], &[], &["unpublished-translation lime.de"])]
#[case::scheduled(&[("lime", ""), ("lime.de", "date: 2027-01-01")], &[], &[])]
#[case::unlisted(&[("lime", ""), ("lime.de", "unlisted: true")], &[], &[])]
#[case::twice(
    &[("lime", ""), ("lime.de", ""), ("kalk", "language: de\ntranslation: x"), ("lime.ar", "translation: x")],
    &["lime kalk lime.ar"],
    &["translation-conflict lime.de"]
)]
#[case::undeclared(&[("lime", ""), ("lime.fr", ""), ("notes.fr", "")], &[], &["unknown-language lime.fr"])]
fn translations_are_grouped(
    #[case] posts: &[(&str, &str)],
    #[case] groups: &[&str],
    #[case] expected: &[&str],
) {
    let settings = settings("[locale.de]\n[locale.ar]\n");
    let posts = posts.iter().map(|(name, front)| {
        let dated = if front.contains("date:") {
            ""
        } else {
            "date: 2026-01-01\n"
        };
        (
            format!("posts/{name}.md"),
            format!("title: T\n{dated}{front}"),
        )
    });
    let posts: Vec<(String, String)> = posts.collect();
    let posts: Vec<(&str, &str)> = posts
        .iter()
        .map(|(path, front)| (&**path, &**front))
        .collect();
    let made = catalogue(&settings, &posts, Vec::new());
    let name = |path: &str| path.replace("posts/", "").replace(".md", "");
    let found = made
        .diagnostics
        .iter()
        .filter(|found| found.code != Code::AddressConflict);
    let found = found.map(|found| {
        let file = found.location.file.as_deref().unwrap_or_default();
        format!("{} {}", found.code.name(), name(file))
    });
    assert_eq!(found.collect::<Vec<_>>(), expected);
    let catalogue = &made.output;
    let mut seen = std::collections::BTreeSet::new();
    for id in catalogue.all() {
        let mut group: Vec<PostId> = catalogue.translations(id).collect();
        // Reciprocal: each translation has this post, and the same others.
        for other in &group {
            assert!(catalogue.translations(*other).any(|back| back == id));
        }
        if !group.is_empty() {
            group.push(id);
            group.sort_by_key(|id| catalogue.post(*id).locale);
            seen.insert(
                paths(catalogue, &group)
                    .iter()
                    .map(|path| name(path))
                    .collect::<Vec<_>>()
                    .join(" "),
            );
        }
    }
    assert_eq!(seen.into_iter().collect::<Vec<_>>(), groups);
}

/// Ñ is a letter behind N in Spanish, and an N with an accent in English.
#[test]
fn each_language_has_its_own_order() {
    let settings = settings("[locale.es]\n[content.posts]\ndated = false\nlink = \"/{slug}/\"\n");
    let posts = [
        ("posts/a.md", "title: Ñandú"),
        ("posts/b.md", "title: Nube"),
        ("posts/a.es.md", "title: Ñandú"),
        ("posts/b.es.md", "title: Nube"),
    ];
    let made = catalogue(&settings, &posts, Vec::new()).output;
    let of = |locale| paths(&made, made.listed(Some(LocaleId(locale))));
    assert_eq!(of(0), ["posts/a.md", "posts/b.md"]);
    assert_eq!(of(1), ["posts/b.es.md", "posts/a.es.md"]);
    assert_eq!(made.listed(None).len(), 4);
}

#[test]
fn a_term_has_names_in_other_languages() {
    let settings = settings("[locale.de]\n[locale.fr]\n");
    let spanned = |text: &str| Spanned::new(text.to_owned(), crate::source::Span::default());
    let mut lime = note("lime", Some("Lime"), None, &[]);
    lime.html = "On lime.".to_owned();
    lime.titles = vec![(LocaleId(1), spanned("Gebrannter Kalk"))];
    let mut german = note("lime", None, None, &[]);
    german.locale = LocaleId(1);
    german.html = "Über Kalk.".to_owned();
    let posts = [
        ("posts/2026-01-01-a.md", "tags: lime"),
        ("posts/2026-01-02-b.de.md", "tags: gebrannter kalk"),
        ("posts/2026-01-03-c.fr.md", "tags: lime"),
    ];
    let made = catalogue(&settings, &posts, vec![german, lime]).output;
    let terms = &made.terms(0).terms;
    assert_eq!(terms.len(), 1);
    let in_languages = [0, 1, 2].map(|locale| {
        let (term, locale) = (&terms[0], LocaleId(locale));
        let about = term.about_in(locale);
        let posts = made.within(locale).posts_of(term).0;
        (term.name_in(locale), term.slug_in(locale), about, posts)
    });
    assert_eq!(
        in_languages,
        [
            ("Lime", "lime", Some("On lime."), 1),
            ("Gebrannter Kalk", "gebrannter-kalk", Some("Über Kalk."), 1),
            ("Lime", "lime", None, 1),
        ]
    );
}

/// In Turkish I is the capital of ı, and İ of i; in English "ISIK" and "isik" are one.
#[test]
fn terms_are_folded_as_in_the_language_of_their_post() {
    let text = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n[locale.tr]\n[terms.tag]\nnested = true\n";
    let settings = Settings::read(&Source::new("tabulae.toml", text)).output;
    let posts = [
        ("posts/2026-01-01-a.md", "tags: [ISIK]"),
        ("posts/2026-01-02-b.md", "tags: [isik]"),
        ("posts/2026-01-03-c.tr.md", "tags: [IŞIK]"),
        ("posts/2026-01-04-d.tr.md", "tags: [ışık/İZ]"),
        ("posts/2026-01-05-e.tr.md", "tags: [IŞIK/iz]"),
    ];
    let made = catalogue(&settings, &posts, Vec::new()).output;
    let table = made.terms(0);
    let counts = table
        .terms
        .iter()
        .map(|term| (term.identity.as_str(), term.posts.len()));
    let expected = [("ışık/iz", 2), ("ışık", 3), ("isik", 2)];
    assert_eq!(counts.collect::<Vec<_>>(), expected);
    assert_eq!(table.find("IŞIK"), table.find("ışık"));
    assert_eq!(table.find("ISIK"), table.find("isik"));
}

#[test]
fn kept_bodies_are_the_texts_of_posts_also_after_an_edit() {
    let posts = [(
        "posts/a.md",
        "title: A\ndate: 2026-01-02",
        "<p>Old &amp; dry</p>",
    )];
    let mut small = Small::new("", &posts);
    let (id, plain) = (PostId(0), small.catalogue.body(PostId(0)).into_owned());
    assert_eq!(plain, "Old & dry");
    small.catalogue.keep_bodies();
    assert_eq!(small.catalogue.body(id), plain);
    let mut post = small.catalogue.post(id).clone();
    post.html = "<p>New</p>".to_owned().into();
    small.catalogue.retext(id, post.into());
    assert_eq!(small.catalogue.body(id), "New");
}

#[test]
fn bodies_are_made_once_however_often_they_are_read_ahead() {
    let (html, made) = counted_html("<p>LIME kiln</p>");
    let body = Body {
        html,
        ..Body::default()
    };
    let post = ("posts/a.md", "title: A\ndate: 2026-01-02", body);
    let mut small = Small::with_bodies("", vec![post]);
    let before = made.load(Ordering::Relaxed);
    small.catalogue.fold_bodies();
    small.catalogue.read_bodies();
    assert_eq!(made.load(Ordering::Relaxed), before, "they are not kept");
    small.catalogue.keep_bodies();
    for _ in 0..2 {
        small.catalogue.read_bodies();
        small.catalogue.fold_bodies();
        small.catalogue.count_words();
    }
    assert_eq!(small.catalogue.folded_body(PostId(0)), Some("lime kiln"));
    assert_eq!(small.catalogue.body(PostId(0)), "LIME kiln");
    assert_eq!(small.catalogue.post(PostId(0)).words(), 2);
    assert_eq!(made.load(Ordering::Relaxed), before + 1);
}
