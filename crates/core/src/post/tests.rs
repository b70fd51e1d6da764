use super::*;
use crate::diagnostic::Code;
use crate::front_matter;
use rstest::rstest;

fn settings(more: &str) -> Settings {
    let text = format!(
        "[site]\ntitle = \"T\"\naddress = \"https://x.example/log/\"\ntimezone = \"Europe/London\"\n{more}"
    );
    let read = Settings::read(&Source::new("tabulae.toml", &text));
    assert_eq!(read.diagnostics, []);
    read.output
}

fn moment(settings: &Settings) -> Moment {
    Moment {
        now: "2026-06-01T12:00:00Z".parse().unwrap(),
        zone: settings.site.timezone.clone(),
    }
}

fn read_with(settings: &Settings, path: &str, text: &str, body: Body) -> Collected<Post> {
    let source = Source::new(path, text);
    let front = front_matter::read(&source, &settings.site.timezone).output;
    assemble(
        path,
        (0, &settings.content[0]),
        settings,
        &moment(settings),
        &source,
        front,
        body,
    )
}

fn read(path: &str, text: &str) -> Collected<Post> {
    read_with(&settings(""), path, text, Body::default())
}

fn sound(path: &str, text: &str) -> Post {
    let read = read(path, text);
    assert_eq!(read.diagnostics, []);
    read.output
}

#[rstest]
#[case::given("posts/2026-01-02-a.md", "---\ntitle: Lime\n---\n", "Lime")]
#[case::number_as_written("posts/2026-01-02-a.md", "---\ntitle: 1.10\n---\n", "1.10")]
#[case::empty_counts_as_missing(
    "posts/2026-01-02-the-long-walk.md",
    "---\ntitle: ''\n---\n",
    "The long walk"
)]
#[case::name_without_date("posts/2026-01-02-the_long_walk.md", "", "The long walk")]
#[case::folder_of_index("posts/2026-01-02-the-long-walk/index.md", "", "The long walk")]
fn the_title_is_given_or_made_of_the_name(
    #[case] path: &str,
    #[case] text: &str,
    #[case] title: &str,
) {
    assert_eq!(&*sound(path, text).title, title);
}

#[test]
fn a_heading_is_the_title_before_the_name() {
    let notes = Notes {
        heading: Some("By hand".to_owned()),
        ..Notes::default()
    };
    let body = Body {
        notes,
        ..Body::default()
    };
    let post = read_with(&settings(""), "posts/2026-01-02-a.md", "", body).output;
    assert_eq!(&*post.title, "By hand");
}

#[rstest]
#[case::field("posts/a.md", "---\ndate: 2026-03-14\n---\n", "2026-03-14")]
#[case::field_before_name("posts/2025-01-01-a.md", "---\ndate: 2026-03-14\n---\n", "2026-03-14")]
#[case::name("posts/2025-01-31-a.md", "", "2025-01-31")]
#[case::quoted(
    "posts/a.md",
    "---\ndate: '2026-03-14 10:00'\n---\n",
    "2026-03-14T10:00:00Z"
)]
#[case::day_of_the_site(
    "posts/a.md",
    "---\ndate: 2026-05-31T23:30:00Z\n---\n",
    "2026-06-01T00:30:00+01:00"
)]
#[case::toml(
    "posts/a.md",
    "+++\ndate = 2026-03-14 10:00:00\n+++\n",
    "2026-03-14T10:00:00Z"
)]
#[case::json("posts/a.md", "{\"date\": \"2026-03-14\"}", "2026-03-14")]
fn the_date_is_a_field_or_before_the_name(
    #[case] path: &str,
    #[case] text: &str,
    #[case] iso: &str,
) {
    assert_eq!(
        sound(path, text).date.map(|date| date.iso()).as_deref(),
        Some(iso)
    );
}

#[rstest]
#[case::live("date: 2026-06-01", State::Live)]
#[case::draft_first("date: 2027-01-01\ndraft: true", State::Draft)]
#[case::scheduled("date: 2026-06-01 13:01", State::Scheduled)]
#[case::now_is_not_scheduled("date: 2026-06-01 13:00", State::Live)]
#[case::scheduled_before_expired("date: 2026-06-02\nexpires: 2026-05-01", State::Scheduled)]
#[case::expired_at_now("date: 2026-01-01\nexpires: 2026-06-01T12:00:00Z", State::Expired)]
#[case::expires_later("date: 2026-01-01\nexpires: 2026-06-02", State::Live)]
#[case::expired_before_unlisted(
    "date: 2026-01-01\nexpires: 2026-05-01\nunlisted: true",
    State::Expired
)]
#[case::unlisted("date: 2026-01-01\nunlisted: true", State::Unlisted)]
fn the_state_is_the_first_that_holds(#[case] front: &str, #[case] state: State) {
    assert_eq!(
        sound("posts/a.md", &format!("---\n{front}\n---\n")).state(),
        state
    );
}

#[rstest]
#[case::list("tags: [Lime, 'a, b']", &["Lime", "a, b"])]
#[case::text_at_commas("tags: lime, work party,, x", &["lime", "work party", "x"])]
#[case::both_names("tag: lime\ntags: [stone]", &["lime", "stone"])]
#[case::as_written("tags: [1.10, true, 2026-03-14]", &["1.10", "true", "2026-03-14"])]
#[case::empty_dropped("tags: ['', null, x]", &["x"])]
#[case::repeats_dropped("tags: [Lime, lime, LIME, work-party, Work Party]", &["Lime", "work-party"])]
#[case::number("tags: 12", &["12"])]
fn terms_as_written(#[case] front: &str, #[case] terms: &[&str]) {
    let post = sound(
        "posts/a.md",
        &format!("---\ndate: 2026-01-01\n{front}\n---\n"),
    );
    let found: Vec<&str> = post.terms[0]
        .iter()
        .map(|term| term.node.as_str())
        .collect();
    assert_eq!(found, terms);
}

#[rstest]
#[case::of_name("posts/2026-01-02-Größe & Maß.md", "", "grosse-and-mass")]
#[case::given("posts/2026-01-02-a.md", "---\nslug: Lime_1.0~x\n---\n", "Lime_1.0~x")]
fn the_slug_is_given_or_made(#[case] path: &str, #[case] text: &str, #[case] slug: &str) {
    assert_eq!(sound(path, text).slug, slug);
}

#[rstest]
#[case::field(Notes::default(), "---\nsummary: Short.\n---\n", Some("Short."))]
#[case::more(Notes { before_more: Some("Before.".into()), first_paragraph: Some("First.".into()), ..Notes::default() }, "", Some("Before."))]
#[case::first(Notes { first_paragraph: Some("First.".into()), ..Notes::default() }, "", Some("First."))]
#[case::none(Notes::default(), "", None)]
fn the_summary_is_given_or_taken_from_the_text(
    #[case] notes: Notes,
    #[case] text: &str,
    #[case] summary: Option<&str>,
) {
    let body = Body {
        notes,
        ..Body::default()
    };
    let post = read_with(&settings(""), "posts/2026-01-02-a.md", text, body).output;
    assert_eq!(post.summary.as_deref(), summary);
}

#[test]
fn a_long_first_paragraph_is_cut_at_a_word() {
    let text = "abcd ".repeat(100);
    let short = cut(text.trim(), 280);
    assert_eq!(short, format!("{}…", "abcd ".repeat(56).trim_end()));
    assert_eq!(cut("one two, three", 8), "one two…");
    assert_eq!(cut("one", 280), "one");
}

#[rstest]
#[case::other_form("date: 14/03/2026", Code::InvalidDate, 2, 7)]
#[case::no_such_day("date: 2026-02-30", Code::InvalidDate, 2, 7)]
#[case::list_as_date("date: [2026-02-03]", Code::InvalidType, 2, 7)]
#[case::missing("title: x", Code::MissingDate, 1, 1)]
#[case::map_as_list("date: 2026-01-01\ntags: {a: b}", Code::InvalidType, 3, 7)]
#[case::map_in_list("date: 2026-01-01\ntags:\n  - a: b", Code::InvalidType, 4, 5)]
#[case::list_as_title("date: 2026-01-01\ntitle: [a]", Code::InvalidType, 3, 8)]
#[case::text_as_flag("date: 2026-01-01\ndraft: 'yes'", Code::InvalidType, 3, 8)]
#[case::slug_slash("date: 2026-01-01\nslug: a/b", Code::InvalidSlug, 3, 7)]
#[case::slug_steps_out("date: 2026-01-01\nslug: ..", Code::InvalidSlug, 3, 7)]
#[case::moved_from_elsewhere(
    "date: 2026-01-01\nmoved_from: https://y.example/a/",
    Code::InvalidAddress,
    3,
    13
)]
#[case::moved_from_out("date: 2026-01-01\nmoved_from: /../a/", Code::InvalidAddress, 3, 13)]
fn diagnostics_name_their_place(
    #[case] front: &str,
    #[case] code: Code,
    #[case] line: usize,
    #[case] column: usize,
) {
    let diagnostics = read("posts/a.md", &format!("---\n{front}\n---\n")).diagnostics;
    let found: Vec<_> = diagnostics
        .iter()
        .map(|f| (f.code, f.location.line, f.location.column))
        .collect();
    assert_eq!(found, [(code, line, column)]);
    assert!(diagnostics[0].help.is_some());
}

#[rstest]
#[case::path("/a/b/", "/a/b/")]
#[case::whole_address("https://x.example/log/a/", "/a/")]
#[case::with_the_sites_path("/log/a/", "/a/")]
fn old_addresses_are_below_the_sites_root(#[case] written: &str, #[case] below: &str) {
    let post = sound(
        "posts/a.md",
        &format!("---\ndate: 2026-01-01\nmoved_from: {written}\n---\n"),
    );
    assert_eq!(post.moved_from[0].node, below);
}

#[rstest]
#[case::another_word(
    "published_on: 2026-03-14",
    "`date = [\"date\", \"published_on\"]` below `[content.posts.fields]`"
)]
#[case::not_its_date(
    "updated: 2026-03-14\nhours: 2026",
    "write `date: 2026-03-14` in the front matter"
)]
fn a_missing_date_may_go_by_another_word(#[case] front: &str, #[case] help: &str) {
    let found = read("posts/a.md", &format!("---\n{front}\n---\n")).diagnostics;
    assert_eq!(found.len(), 1, "{found:?}");
    assert!(
        found[0].help.as_deref().unwrap().contains(help),
        "{found:?}"
    );
}

#[rstest]
#[case::text("status: draft", true)]
#[case::other_case("status: Draft", true)]
#[case::other_text("status: published", false)]
#[case::flag("hidden: true", true)]
#[case::turned("published: false", true)]
#[case::turned_true("published: true", false)]
#[case::nothing("title: A", false)]
#[case::any_rule("published: true\nhidden: true", true)]
#[case::another_word_of_the_default("status: WIP", true)]
fn a_draft_goes_by_what_the_blog_calls_it(#[case] front: &str, #[case] draft: bool) {
    let fields = "[content.posts.fields]\ndraft = [\"not published\", \"status\", \"hidden\"]\n";
    let text = format!("---\ndate: 2026-01-01\n{front}\n---\n");
    let read = read_with(&settings(fields), "posts/a.md", &text, Body::default());
    assert_eq!(read.diagnostics, []);
    assert_eq!(read.output.exclusion.draft, draft);
}

#[rstest]
#[case::draft("draft: true", true)]
#[case::no_draft("draft: false", false)]
#[case::unpublished("published: false", true)]
#[case::published("published: true", false)]
#[case::published_on_a_day("published: 2026-01-01", false)]
#[case::wip("status: wip", true)]
#[case::pending("status: Pending", true)]
#[case::private("status: PRIVATE", true)]
#[case::done("status: done", false)]
#[case::number("status: 3", false)]
#[case::both("draft: false\nstatus: draft", true)]
fn a_draft_by_default(#[case] front: &str, #[case] draft: bool) {
    let post = sound("posts/2026-01-01-a.md", &format!("---\n{front}\n---\n"));
    assert_eq!(post.exclusion.draft, draft);
}

#[rstest]
#[case::own_word("status: idea", true)]
#[case::in_another_case("status: Review", true)]
#[case::no_longer_a_word("status: wip", false)]
#[case::no_longer_a_key("draft: true", false)]
fn a_mapping_replaces_the_default(#[case] front: &str, #[case] draft: bool) {
    let fields = "[content.posts.fields]\ndraft = [\"status in (idea, review)\"]\n";
    let text = format!("---\ndate: 2026-01-01\n{front}\n---\n");
    let read = read_with(&settings(fields), "posts/a.md", &text, Body::default());
    assert_eq!(
        (read.diagnostics.len(), read.output.exclusion.draft),
        (0, draft)
    );
}

/// A word that is almost one that excludes a post is reported at its location: the post would be public.
#[rstest]
#[case::default("", "status: darft", "write `status: draft`")]
#[case::own(
    "[content.posts.fields]\ndraft = [\"stage in (review)\"]\n",
    "stage: reveiw",
    "write `stage: review`"
)]
fn a_slip_in_a_word_is_told(#[case] fields: &str, #[case] front: &str, #[case] help: &str) {
    let text = format!("---\ndate: 2026-01-01\n{front}\n---\n");
    let read = read_with(&settings(fields), "posts/a.md", &text, Body::default());
    let [found] = &read.diagnostics[..] else {
        panic!("{:?}", read.diagnostics);
    };
    assert_eq!(
        (found.location.line, found.help.as_deref()),
        (3, Some(help))
    );
    assert!(!found.is_error() && !read.output.exclusion.draft);
}

#[test]
fn every_post_of_a_folder_of_drafts_is_one() {
    let settings = settings("[content.posts]\ndraft = true\n");
    let text = "---\ndraft: false\n---\n";
    let read = read_with(&settings, "posts/a.md", text, Body::default());
    assert_eq!(read.diagnostics, []);
    assert_eq!(read.output.state(), State::Draft);
}

#[test]
fn an_undated_draft_is_no_error() {
    assert_eq!(sound("posts/a.md", "---\ndraft: true\n---\n").date, None);
}

#[test]
fn a_set_may_call_its_fields_otherwise() {
    let settings =
        settings("[content.posts.fields]\ndate = [\"day\", \"published_on\"]\ntags = \"labels\"\n");
    let text = "---\npublished_on: 2026-01-02\nlabels: [a]\ntags: [b]\n---\n";
    let read = read_with(&settings, "posts/a.md", text, Body::default());
    assert_eq!(read.diagnostics, []);
    assert_eq!(
        read.output.date.map(|date| date.iso()).as_deref(),
        Some("2026-01-02")
    );
    let tags: Vec<_> = read.output.terms[0]
        .iter()
        .map(|term| term.node.as_str())
        .collect();
    assert_eq!(tags, ["a"]);
}

#[rstest]
#[case::inline("<p>li<em>m</em>e and R&amp;D</p>", 3)]
#[case::dash("<p>a – b</p>", 2)]
#[case::blocks("<h1>One</h1><p>two</p><ul><li>three</li><li>four</li></ul>", 4)]
#[case::code("<p><code>a b</code></p>", 2)]
#[case::none("", 0)]
fn words_are_counted_as_a_reader_would(#[case] html: &str, #[case] words: usize) {
    let body = Body {
        html: html.to_owned().into(),
        ..Body::default()
    };
    assert_eq!(
        read_with(&settings(""), "posts/2026-01-02-a.md", "", body)
            .output
            .words(),
        words
    );
}

/// Path, front matter and slug in each language, and the path that translations share.
#[rstest]
#[case::neither("posts/2026-01-02-lime.md", "", 0, "lime", "posts/2026-01-02-lime")]
#[case::before_the_ending("posts/2026-01-02-lime.de.md", "", 1, "lime", "posts/2026-01-02-lime")]
#[case::of_index(
    "posts/2026-01-02-lime/index.de.md",
    "",
    1,
    "lime",
    "posts/2026-01-02-lime/index"
)]
#[case::the_sites("posts/2026-01-02-lime.EN.md", "", 0, "lime", "posts/2026-01-02-lime")]
#[case::front_matter(
    "posts/2026-01-02-lime.md",
    "language: de",
    1,
    "lime",
    "posts/2026-01-02-lime"
)]
#[case::both(
    "posts/2026-01-02-lime.de.md",
    "language: DE",
    1,
    "lime",
    "posts/2026-01-02-lime"
)]
#[case::no_language(
    "posts/2026-01-02-lime.js.md",
    "language: Rust",
    0,
    "lime-js",
    "posts/2026-01-02-lime.js"
)]
fn a_post_is_in_the_language_that_it_says(
    #[case] path: &str,
    #[case] front: &str,
    #[case] locale: u16,
    #[case] slug: &str,
    #[case] untranslated: &str,
) {
    let settings = settings("[locale.de]\n");
    let read = read_with(
        &settings,
        path,
        &format!("---\n{front}\n---\n"),
        Body::default(),
    );
    assert_eq!(read.diagnostics, []);
    let post = read.output;
    let found = (
        post.locale.0,
        post.slug.as_str(),
        post.untranslated.as_str(),
    );
    assert_eq!(found, (locale, slug, untranslated));
    assert_eq!(
        locale_of(path, &settings.content[0], &post.front, &settings),
        post.locale
    );
}

#[test]
fn a_blog_in_one_language_knows_of_none() {
    let post = sound(
        "posts/2026-01-02-notes.de.md",
        "---\nlanguage: Rust\ntranslation: x\n---\n",
    );
    assert_eq!(
        (post.locale, post.slug.as_str()),
        (LocaleId::SITE, "notes-de")
    );
    assert_eq!(post.translation, None);
}

#[rstest]
#[case::of_the_set("", 1)]
#[case::of_the_post("language: en", 0)]
fn posts_are_in_the_language_of_their_set_unless_they_say_another(
    #[case] front: &str,
    #[case] locale: u16,
) {
    let settings = settings("[locale.de]\n[content.posts]\nlanguage = \"de\"\n");
    let text = format!("---\n{front}\n---\n");
    let read = read_with(
        &settings,
        "posts/2026-01-02-lime.md",
        &text,
        Body::default(),
    );
    assert_eq!(read.output.locale, LocaleId(locale));
}

#[rstest]
#[case::undeclared(
    "posts/2026-01-02-a.md",
    "language: fr",
    "the blog has no language `fr`, so that this post is in another: declare it by a table `[locale.fr]` in tabulae.toml"
)]
#[case::a_slip(
    "posts/2026-01-02-a.md",
    "language: dee",
    "the blog has no language `dee`, so that this post is in another: declare it by a table `[locale.dee]` in tabulae.toml"
)]
#[case::another_than_the_files(
    "posts/2026-01-02-a.de.md",
    "language: en",
    "the language is `en` here, and `de` in the file's name: leave `language` out, or rename the file"
)]
fn a_language_in_doubt_is_told(#[case] path: &str, #[case] front: &str, #[case] expected: &str) {
    let settings = settings("[locale.de]\n");
    let read = read_with(
        &settings,
        path,
        &format!("---\n{front}\n---\n"),
        Body::default(),
    );
    let found = read.diagnostics.iter();
    let found = found.map(|found| {
        format!(
            "{}: {}",
            found.message,
            found.help.as_deref().unwrap_or_default()
        )
    });
    assert_eq!(found.collect::<Vec<_>>(), [expected]);
}

#[rstest]
#[case::day("14.03.2026", "2026-03-14")]
#[case::time("14.03.2026 09:30", "2026-03-14T09:30:00Z")]
#[case::in_words("March 4, 2026", "2026-03-04")]
#[case::offset("2026/03/14 09:30 +0100", "2026-03-14T08:30:00Z")]
#[case::known_form_first("2026-03-14", "2026-03-14")]
fn a_content_set_has_forms_of_dates(#[case] written: &str, #[case] expected: &str) {
    let settings = settings(
        "[content.posts]\ndate_formats = [\"%d.%m.%Y\", \"%d.%m.%Y %H:%M\", \"%B %-d, %Y\", \"%Y/%m/%d %H:%M %z\"]\n",
    );
    let text = format!("---\ndate: '{written}'\nupdated: {written}\n---\n");
    let read = read_with(&settings, "posts/a.md", &text, Body::default());
    assert_eq!(read.diagnostics, []);
    let (date, updated) = (read.output.date.unwrap(), read.output.updated.unwrap());
    assert_eq!(
        (date.iso().as_str(), updated.iso().as_str()),
        (expected, expected)
    );
}

#[rstest]
#[case::another_form("14/03/2026", "\"14/03/2026\" is not a date in a known form")]
#[case::no_such_day("31.02.2026", "\"31.02.2026\" is not a date in a known form")]
fn a_date_in_no_form_names_those_of_the_set(#[case] written: &str, #[case] expected: &str) {
    let settings = settings("[content.posts]\ndate_formats = [\"%d.%m.%Y\"]\n");
    let text = format!("---\ndate: {written}\n---\n");
    let read = read_with(&settings, "posts/a.md", &text, Body::default());
    let found: Vec<_> = read
        .diagnostics
        .iter()
        .map(|found| found.message.as_str())
        .collect();
    assert_eq!(found, [expected]);
    let help = read.diagnostics[0].help.as_deref().unwrap();
    assert!(help.contains(", or by \"%d.%m.%Y\""), "{help}");
}

/// A field of any name comes from within a map, or stays what it is.
#[rstest]
#[case::within("info:\n  part: 2", Some("2"))]
#[case::first_present("info:\n  part: 2\nno: 3", Some("2"))]
#[case::next("no: 3\ninfo: {}", Some("3"))]
#[case::own("part: 1", Some("1"))]
#[case::mapped_before_own("part: 1\nno: 3", Some("3"))]
#[case::none("other: 1", None)]
fn any_field_is_mapped(#[case] front: &str, #[case] expected: Option<&str>) {
    let settings = settings("[content.posts.fields]\npart = [\"info.part\", \"no\"]\n");
    let text = format!("---\ndate: 2026-03-14\n{front}\n---\n");
    let read = read_with(&settings, "posts/a.md", &text, Body::default());
    assert_eq!(read.diagnostics, []);
    let part = read
        .output
        .front
        .get("part")
        .map(|entry| entry.value.node.written().unwrap().to_owned());
    assert_eq!(part.as_deref(), expected);
}

#[test]
fn the_text_of_the_image_and_the_template_are_mapped() {
    let settings =
        settings("[content.posts.fields]\nimage_alt = [\"cover.text\"]\ntemplate = [\"kind\"]\n");
    let text = "---\ndate: 2026-03-14\ncover: { text: A gate }\nkind: wide.html\n---\n";
    let post = read_with(&settings, "posts/a.md", text, Body::default()).output;
    let alt = post.front.get("image_alt").unwrap();
    assert_eq!(alt.value.node.written(), Some("A gate"));
    assert_eq!(post.template.unwrap().node, "wide.html");
}

#[rstest]
#[case::yaml("yaml", "---\ntitle: Lime\ntags: [a]\n")]
#[case::yaml_without_a_line("yml", "title: Lime\ntags: [a]\n")]
#[case::toml("toml", "title = \"Lime\"\ntags = [\"a\"]\n")]
#[case::json("json", "\n{\"title\": \"Lime\", \"tags\": [\"a\"]}\n")]
fn a_data_file_is_front_matter_alone(#[case] ending: &str, #[case] text: &str) {
    let source = Source::new(&format!("posts/a.{ending}"), text);
    let read = front_matter::read(&source, &jiff::tz::TimeZone::UTC);
    assert_eq!(read.diagnostics, []);
    let map = read.output.map;
    assert_eq!(map.get("title").unwrap().value.node.written(), Some("Lime"));
    assert!(map.get("tags").is_some());
    assert_eq!(read.output.body, text.len());
    let place = map.get("title").unwrap().value.span;
    assert!(text[place.start..place.end].contains("Lime"));
}

#[rstest]
#[case::list("json", "[1]", 1)]
#[case::more("json", "{\"a\": 1}\n{}", 2)]
#[case::open("json", "{\"a\": 1", 1)]
#[case::toml("toml", "a = 1\nb = \n", 2)]
#[case::yaml("yaml", "a: [1\nb: 2\n", 2)]
fn a_data_file_that_is_not_valid_is_an_error(
    #[case] ending: &str,
    #[case] text: &str,
    #[case] line: usize,
) {
    let source = Source::new(&format!("posts/a.{ending}"), text);
    let read = front_matter::read(&source, &jiff::tz::TimeZone::UTC);
    let found: Vec<_> = read
        .diagnostics
        .iter()
        .map(|found| (found.code, found.location.line))
        .collect();
    assert_eq!(
        found,
        [(Code::FrontMatterSyntax, line)],
        "{:?}",
        read.diagnostics
    );
}
