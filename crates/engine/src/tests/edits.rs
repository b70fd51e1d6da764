//! A build after edits equals a clean one, byte for byte, and makes only what they touch.

use std::collections::BTreeSet;
use std::io;
use std::sync::Arc;

use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use rstest::rstest;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_engine::BuildSession;

use super::{Bench, Out, SITE, collected};
use crate::Workspace;
use crate::publish::Destination;
use crate::source::{FileStamp, MemorySources, Sources};

/// Settings that use whatever pages can ask for.
pub(super) const SETTINGS: &str = r#"
search = "full"
[content.posts]
[content.boats]
dated = false
terms = ["class"]
[queries]
new = "from posts where date >= today - 60 days"
[export.new]
query = "from new, boats"
fields = ["title", "link", "tag", "related", "content", "words"]
[archive.journal]
link = "/"
per_page = 2
feeds = ["atom", "json"]
feed_content = "full"
feed_limit = 2
feed_history = true
[archive.tags]
by = "tag"
link = "/tags/{tag}/"
overview = "/tags/"
per_page = 2
feeds = ["rss"]
[archive.categories]
by = "category"
link = "/on/{category}/"
overview = "/on/"
[archive.years]
by = "year"
link = "/{year}/"
overview = "/years/"
group = "month"
show = "lines"
[archive.boats]
query = "from boats"
[terms.category]
nested = true
[related]
query = "from posts where likeness > 0 order by likeness desc limit 2"
fill = "from posts"
weigh = { tag = 2, title = 1, body = 1 }
feeds = true
"#;

/// Two more languages, one of which has words that are English.
pub(super) const LOCALES: &str = r#"
[locale.de]
title = "Das Log"
[locale.nl]
prefix = "/nederlands/"
"#;

/// A page that asks for much.
const PAGE: &str = r#"---
title: All sorts
---
{% extends "base.html" %}
{% block main %}
{% for post in query("from new") %}{{ post.title }} {{ post.words }}{% else %}nothing new{% endfor %}
{% for post in query("from posts where tag = :tag limit 2", tag="a") %}{{ card(post) }}{% endfor %}
{% for term in terms("tag", order="count", query="from posts where year = 2026") %}{{ term }} {{ term.count }}{% endfor %}
{% for term in terms("category") %}<a href="{{ term.link }}">{{ term.name }}</a>{% endfor %}
{% for feed in feeds() %}{{ feed.title }}{% endfor %}
{% for post in query("from boats") %}{{ post.tags }} {{ post.length }}{% endfor %}
{% for post in query("from posts any language order by title limit 3") %}{{ post|link }} {{ post.date|date }}{% endfor %}
{% if site.languages|length > 1 %}{% for post in query("where language = 'de' limit 2") %}{{ post }} {{ post.language }}{% endfor %}{% endif %}
{{ terms("tag")|length|posts }}
{% endblock %}
"#;

/// A post's page of the site's own.
const POST: &str = r#"{% extends "base.html" %}
{% block main %}<h1>{{ post.title }}</h1>{{ post.content }}
{% for near in query("from posts where category = this.category and not current") %}{{ near.title }}{% endfor %}
{% for near in query("from posts where likeness > 0.3 order by likeness desc limit 2") %}{{ near.likeness }}{% endfor %}
{% if site.languages|length > 1 %}{% for other in post.translations %}{{ other|link }}{% endfor %}{% endif %}
{% include "parts/related.html" %}
{% endblock %}
"#;

pub(super) fn rich() -> Bench {
    let mut bench = Bench::new(SETTINGS)
        .with("pages/all.html", PAGE)
        .with(
            "pages/about.md",
            "# About\n\nSee [one](../posts/2026-01-01-p1.md).\n\n<!-- tabulae newest journal limit 3 --><!-- tabulae end -->\n\n<!-- tabulae terms tag order count --><!-- tabulae end -->\n",
        )
        .with("assets/a.svg", "a")
        .with("posts/b.png", "b")
        .with(
            "terms/tag/a.md",
            "---\ntitle: A tag\nspellings: [aa]\n---\nOn A.\n",
        )
        .with(
            "boats/turnip.md",
            "---\nclass: wide\nlength: 12\n---\nA boat.\n",
        );
    for number in 1..=6 {
        post(&mut bench, number, number);
    }
    bench
}

/// Writes one of the posts; `how` decides what it says.
fn post(bench: &mut Bench, number: u8, how: u8) {
    let month = 1 + how % 12;
    let tags = ["a", "b", "a, b", "A, c", "", "aa"][usize::from(how % 6)];
    let category = ["X", "X/Y", "Z", ""][usize::from(how % 4)];
    let more = match how % 16 {
        3 => "related: false\n",
        6 => "template: plain.html\n",
        7 => "draft: true\n",
        11 => "date: 2026-06-02\n",
        13 => "expires: 2026-06-02\n",
        14 => "related: p1\n",
        15 => "unlisted: true\n",
        _ => "",
    };
    let date = match how % 16 {
        11 => String::new(),
        _ => format!("date: 2026-{month:02}-0{}\n", 1 + number % 9),
    };
    let image = if how % 5 == 2 { "image: b.png\n" } else { "" };
    // A placeholder of each kind.
    let list = match how % 16 {
        1 => "query \"from posts where category = this.category and not current\"",
        2 => "query \"from new order by title limit 2\" each \"parts/card.html\"",
        4 => "related",
        5 => "related limit 1 with \"parts/lines.html\"",
        8 => "newest boats each \"parts/card.html\"",
        9 => "newest years",
        10 => "terms category order newest limit 2",
        _ => "",
    };
    let list = match list {
        "" => String::new(),
        list => format!("<!-- tabulae {list} -->\n<!-- tabulae end -->\n\n"),
    };
    let text = format!(
        "---\ntitle: Post {number} {}\n{date}tags: [{tags}]\ncategory: {category}\n{more}{image}---\n\nWords {} of lime.\n\nSee [next](2026-01-01-p{}.md), ![b](b.png).\n\n{list}{}\n",
        how / 16,
        how % 3,
        1 + (number % 6 + how % 6) % 6,
        "masonry ".repeat(usize::from(how % 4)),
    );
    bench.sources.write(&path(number), text);
}

fn path(number: u8) -> String {
    format!("posts/2026-01-01-p{number}.md")
}

/// Writes settings, in several languages if they were in several before, but for some of `how`.
fn write_settings(bench: &mut Bench, settings: &str, how: u8) {
    let before = bench.sources.read("tabulae.toml").unwrap_or_default();
    let had_languages = String::from_utf8_lossy(&before).contains("[locale.");
    let has_languages = had_languages != (how % 8 == 7);
    let locales = match how % 3 {
        0 => LOCALES.replace("Das Log", "Logbuch"),
        _ => LOCALES.to_owned(),
    };
    let locales = if has_languages { &locales } else { "" };
    let settings = match has_languages {
        true => settings.replace("from boats\"", "from boats\"\nlocales = [\"en\", \"nl\"]"),
        false => settings.to_owned(),
    };
    let text = format!("{SITE}{settings}{locales}");
    bench.sources.write("tabulae.toml", text);
}

fn translated(number: u8) -> String {
    format!("posts/2026-01-01-p{number}.de.md")
}

/// Writes a post in another language, in a file of its own or beside the original.
fn translate(bench: &mut Bench, number: u8, how: u8) {
    let draft = if how % 7 == 3 { "draft: true\n" } else { "" };
    let tag = ["a", "b", "Das A"][usize::from(how % 3)];
    let front = format!("title: Beitrag {number}\ntags: [{tag}]\ncategory: X\n{draft}");
    let text = format!("Worte {} über Kalk.\n", how % 4);
    let (path, more) = match how % 3 {
        0 => (translated(number), ""),
        1 => (
            "posts/2026-02-02-eins.md".to_owned(),
            "language: de\ntranslation: p1\n",
        ),
        _ => ("posts/2026-02-03-een.md".to_owned(), "language: nl\n"),
    };
    bench
        .sources
        .write(&path, format!("---\n{front}{more}---\n\n{text}"));
    if how % 3 == 1 && how.is_multiple_of(2) {
        let text = "---\ntitle: One\ndate: 2026-01-02\ntranslation: p1\n---\n\nOne.\n";
        bench.sources.write(&self::path(1), text);
    }
}

/// Changes something.
pub(super) fn edit(bench: &mut Bench, (kind, number, how): (u8, u8, u8)) {
    let number = 1 + number % 7;
    match kind % 20 {
        0..=3 => post(bench, number, how),
        4..=5 => {
            // Another text, and perhaps another summary; nothing else.
            if let Ok(text) = bench.sources.read(&path(number)) {
                let text = String::from_utf8(text).unwrap();
                let text = match how % 3 {
                    0 => text.replace("Words ", "Few words "),
                    _ => format!("{text}\nOne line more, {how}.\n"),
                };
                bench.sources.write(&path(number), text);
            }
        }
        6 => bench.sources.remove(&path(number)),
        7 => {
            // The same text under another name.
            let to = format!("posts/2026-0{}-01-p{number}.md", 1 + how % 6);
            if let Ok(text) = bench.sources.read(&path(number)) {
                bench.sources.remove(&path(number));
                bench.sources.write(&to, text);
            }
        }
        8 => {
            let times = [
                "2026-06-01T12:00:00Z",
                "2026-06-02T12:00:00Z",
                "2026-05-01T12:00:00Z",
                "2026-09-01T12:00:00Z",
            ];
            bench.now = times[usize::from(how % 4)];
        }
        9 => match how % 3 {
            0 => bench.sources.write("templates/post.html", POST),
            1 if how % 2 == 0 => bench
                .sources
                .write("templates/plain.html", "{{ post.title }}{{ previous }}"),
            1 => bench.sources.write(
                "templates/parts/card.html",
                format!("<p>{{{{ post.title }}}} {how} {{{{ post.summary }}}}</p>"),
            ),
            _ => {
                bench.sources.remove("templates/post.html");
                bench.sources.remove("templates/plain.html");
                bench.sources.remove("templates/parts/card.html");
            }
        },
        10 => {
            let per_page = 1 + how % 3;
            let settings = SETTINGS.replace("per_page = 2", &format!("per_page = {per_page}"));
            let settings = match how % 5 {
                1 => settings.replace(
                    "search = \"full\"",
                    "search = true\nmenu = [\"/on/\", \"tags\"]",
                ),
                2 => settings.replace("group = \"month\"", "group = \"category\"\nmenu = false"),
                3 => settings.replace(
                    "[content.boats]",
                    "[content.boats.related]\nquery = \"from posts limit 2\"\n[content.boats]",
                ),
                _ => settings,
            };
            write_settings(bench, &settings, how);
        }
        11 => match how % 3 {
            0 => bench.sources.remove("terms/tag/a.md"),
            1 => bench
                .sources
                .write("terms/tag/a.md", "---\ntitle: Another\n---\nText.\n"),
            _ if how % 2 == 0 => bench
                .sources
                .write("terms/tag/b.md", "---\nspellings: [a]\n---\n"),
            _ => bench
                .sources
                .write("terms/tag/a.md", "---\nspellings: [c]\n---\n"),
        },
        12 => match how % 3 {
            0 => bench.sources.write("assets/a.svg", vec![how]),
            1 => bench.sources.write("assets/more/b.txt", "b"),
            _ => bench.sources.remove("assets/more/b.txt"),
        },
        13 => match how % 3 {
            0 => bench
                .sources
                .write("pages/all.html", PAGE.replace("nothing new", "none")),
            1 => bench
                .sources
                .write("pages/more.md", format!("# More {how}\n")),
            _ => bench.sources.remove("pages/more.md"),
        },
        14 => match how % 3 {
            0 => bench.sources.write("posts/b.png", vec![how; 3]),
            1 => bench.sources.remove("posts/b.png"),
            _ => bench.sources.write(
                "boats/turnip.md",
                format!("---\nclass: wide\nlength: {how}\n---\nA boat.\n"),
            ),
        },
        16..=17 => translate(bench, number, how),
        18 => match how % 4 {
            0 => bench.sources.remove(&translated(number)),
            1 => bench.sources.write("pages/about.de.md", "# Über\n"),
            2 => bench.sources.remove("pages/about.de.md"),
            _ => bench.sources.write("pages/index.md", "# Home\n"),
        },
        19 => match how % 4 {
            0 => bench
                .sources
                .write("terms/tag/a.md", "---\ntitle.de: Das A\n---\nOn A.\n"),
            1 => bench
                .sources
                .write("terms/tag/a.de.md", "---\nslug: aa-de\n---\nÜber A.\n"),
            2 => bench.sources.remove("terms/tag/a.de.md"),
            _ => bench.sources.remove("pages/index.md"),
        },
        // Someone meddles with what was written.
        _ => match how % 3 {
            // A build with errors would leave the files of a build that is no longer known.
            0 if !has_errors(bench) => bench.out.forget(),
            0 => {}
            1 => bench.out.put("index.html", "not ours"),
            _ => bench.out.put("tags/index.html", "nor this"),
        },
    }
}

fn has_errors(bench: &Bench) -> bool {
    let built = bench.build_into(&mut Out::default());
    built.diagnostics.iter().any(Diagnostic::is_error)
}

/// Returns the diagnostics of a build, without those that depend on the one before.
fn told(diagnostics: &[Diagnostic]) -> BTreeSet<String> {
    let once = [Code::FeedIdChanged, Code::GuessedFeedId];
    let lasting = diagnostics
        .iter()
        .filter(|diagnostic| !once.contains(&diagnostic.code));
    lasting
        .map(|diagnostic| {
            format!(
                "{:?} {} {}",
                diagnostic.location,
                diagnostic.code.name(),
                diagnostic.message
            )
        })
        .collect()
}

/// Returns the first difference of two texts.
fn difference(made: &[u8], clean: &[u8]) -> Option<String> {
    let at = (0..made.len().max(clean.len())).find(|at| made.get(*at) != clean.get(*at))?;
    let around = |bytes: &[u8]| {
        let range = at.saturating_sub(60).min(bytes.len())..(at + 60).min(bytes.len());
        String::from_utf8_lossy(&bytes[range]).into_owned()
    };
    Some(format!(
        "made {:?}, clean {:?}",
        around(made),
        around(clean)
    ))
}

/// Builds, and compares with a clean build. Returns false if both have errors, and the first difference if
/// there is any.
pub(super) fn same_as_clean(bench: &mut Bench) -> Result<bool, String> {
    let built = bench.build();
    let mut clean = Out::default();
    let cleanly = bench.build_into(&mut clean);
    let (said, expected) = (told(&built.diagnostics), told(&cleanly.diagnostics));
    if said != expected {
        return Err(format!("{said:?} instead of {expected:?}"));
    }
    if cleanly.diagnostics.iter().any(Diagnostic::is_error) {
        return Ok(false);
    }
    let (files, clean) = (bench.out.files(), clean.files());
    if !files.keys().eq(clean.keys()) {
        return Err(format!("{:?} instead of {:?}", files.keys(), clean.keys()));
    }
    let apart = clean.iter().find_map(|(path, bytes)| {
        let apart = difference(&files[path], bytes)?;
        Some(format!("{path}: {apart}"))
    });
    apart.map_or(Ok(true), Err)
}

#[test]
fn a_build_after_any_edits_equals_a_clean_one() {
    let config = Config {
        cases: 32,
        failure_persistence: None,
        ..Config::default()
    };
    let edits = prop::collection::vec(any::<(u8, u8, u8)>(), 1..10);
    let cases = (0..3, any::<bool>(), any::<bool>(), edits);
    TestRunner::new(config)
        .run(&cases, |(how, by_terms, in_languages, edits)| {
            let mut bench = rich();
            if how > 0 {
                bench.begin_session(how == 2);
            }
            if how == 2 {
                bench.session = bench.session.map(BuildSession::exclusive);
            }
            let settings = match by_terms {
                true => SETTINGS.replace(", title = 1, body = 1", ""),
                false => SETTINGS.to_owned(),
            };
            if in_languages {
                bench.sources.write("tabulae.toml", "[locale.de]");
                translate(&mut bench, 2, 0);
            }
            write_settings(&mut bench, &settings, 1);
            bench.build();
            for one in edits {
                // Into a folder that a preview keeps to itself nobody else writes.
                if how == 2 && one.0 % 20 == 15 && one.2 % 3 != 0 {
                    continue;
                }
                edit(&mut bench, one);
                let same = same_as_clean(&mut bench);
                prop_assert!(same.is_ok(), "after {one:?}: {}", same.unwrap_err());
            }
            Ok(())
        })
        .unwrap();
}

/// The reasons of a dry run after an edit, by the files that would change.
fn reasons(path: &str, text: Option<&str>) -> (usize, Vec<String>) {
    let mut bench = super::small();
    bench.sound();
    match text {
        Some(text) => bench.sources.write(path, text),
        None => bench.sources.remove(path),
    }
    bench.dry_run = true;
    let report = bench.build().output;
    let changes = report.changes.iter();
    let said = changes.map(|change| format!("{}: {}", change.path, change.why));
    (report.rendered, said.collect())
}

const OLD: &str = "posts/2025-01-02-old.md";

#[test]
fn a_text_touches_its_page_alone() {
    let text = "---\ntitle: Old\n---\n\nLong ago.\n\nAnd more.\n";
    let (made, said) = reasons(OLD, Some(text));
    assert_eq!(made, 1);
    assert_eq!(
        said,
        ["2025/old/index.html: posts/2025-01-02-old.md changed its text"]
    );
}

#[test]
fn a_title_touches_the_lists_that_show_it() {
    let (made, said) = reasons(OLD, Some("---\ntitle: Older\n---\n\nLong ago.\n"));
    let why = "posts/2025-01-02-old.md changed its title";
    let files = [
        "2026/lime/index.html",
        "2025/old/index.html",
        "index.html",
        "2025/index.html",
        "atom.xml",
    ];
    assert_eq!(said, files.map(|file| format!("{file}: {why}")));
    assert_eq!(made, 5);
}

#[test]
fn a_tag_touches_its_pages_and_their_overview() {
    let text = "---\ntitle: Old\ntags: lime\n---\n\nLong ago.\n";
    let said = reasons(OLD, Some(text)).1;
    let page = said.iter().find(|said| said.starts_with("tags/lime/"));
    assert_eq!(
        page.unwrap(),
        "tags/lime/index.html: the list /tags/lime/ changed"
    );
    let all = said.iter().find(|said| said.starts_with("tags/index"));
    assert_eq!(
        all.unwrap(),
        "tags/index.html: the terms of the archive `tags` changed"
    );
    assert!(!said.iter().any(|said| said.starts_with("tags/masonry/")));
}

#[test]
fn a_post_that_goes_takes_its_page_along() {
    let said = reasons(OLD, None).1;
    assert!(said.contains(&"2025/old/index.html: no output has its path any more".to_owned()));
    assert!(said.contains(&"index.html: posts/2025-01-02-old.md is gone".to_owned()));
}

#[test]
fn a_template_touches_the_pages_that_use_it() {
    let card = "<p>{{ post.title }}</p>\n";
    let (_, said) = reasons("templates/parts/card.html", Some(card));
    let why = "templates/parts/card.html changed";
    assert!(said.contains(&format!("index.html: {why}")), "{said:?}");
    // A year's page has lines, but its template may show cards.
    assert!(
        !said.iter().any(|said| said.starts_with("2025/old/")),
        "{said:?}"
    );
}

#[test]
fn nothing_is_made_where_nothing_changed() {
    let mut bench = super::small();
    bench.sound();
    let report = bench.sound();
    assert_eq!(
        (report.rendered, report.written, report.unchanged),
        (0, 0, 20)
    );
    assert_eq!(report.posts, 3);
}

/// All texts but one have the word `weir`. Once that one has it too, the word weighs less in all of them, so that
/// each likeness changes. No list does, as only two posts each share a tag.
#[rstest]
#[case::pages_without_likeness_stay("{{ near.title }}", 1)]
#[case::pages_with_likeness_are_made_again("{{ near.likeness }}", 6)]
fn an_edit_that_changes_each_likeness_and_no_list(#[case] shown: &str, #[case] rendered: usize) {
    let settings =
        "[related]\nquery = \"from posts where likeness > 0 order by likeness desc limit 1\"\n";
    let template = format!(
        "{{% extends \"base.html\" %}}{{% block main %}}{{{{ post.content }}}}{{% for near in related %}}{shown}{{% endfor %}}{{% endblock %}}"
    );
    let mut bench = Bench::new(settings).with("templates/post.html", &template);
    let post = |number: usize, words: &str| {
        let tag = number / 2;
        format!(
            "---\ntitle: T{number}\ndate: 2026-01-0{number}\ntags: [t{tag}]\n---\nSummary.\n\nOwn{number} {words}.\n"
        )
    };
    for number in 2..8 {
        let words = if number == 4 { "lock" } else { "weir lock" };
        bench = bench.with(&format!("posts/p{number}.md"), &post(number, words));
    }
    bench.sound();
    bench.sources.write("posts/p4.md", post(4, "weir lock"));
    assert_eq!(bench.sound().rendered, rendered);
    bench.after_edit("posts/p4.md", Some(&post(4, "weir")));
}

#[test]
fn a_damaged_memory_is_as_if_it_were_deleted() {
    let mut bench = super::small();
    bench.sound();
    let mut kept = bench.out.load_cache().unwrap();
    let middle = kept.len() / 2;
    kept[middle] ^= 1;
    bench.out.save_cache(&|to| to.write_all(&kept)).unwrap();
    let report = bench.sound();
    assert_eq!((report.written, report.unchanged), (0, 20));
    assert!(report.rendered > 0);
}

/// On disk, where files have times and names are exchanged.
#[test]
fn on_disk_a_build_after_edits_equals_a_clean_one() {
    use crate::publish::DiskOutput;
    use crate::source::DiskSources;

    let folder = tempfile::tempdir().unwrap();
    let site = folder.path().join("site");
    let mut bench = rich();
    let mut written: std::collections::BTreeMap<String, Vec<u8>> = Default::default();
    let edits: [(u8, u8, u8); 14] = [
        (0, 1, 4),
        (0, 2, 23),
        (9, 0, 0),
        (6, 3, 0),
        (8, 0, 1),
        (12, 0, 7 * 3),
        (0, 3, 9),
        (7, 4, 2),
        (11, 0, 1),
        (10, 0, 3),
        (13, 0, 1),
        (14, 0, 3),
        (9, 0, 2),
        (8, 0, 2),
    ];
    for (at, one) in edits.into_iter().enumerate() {
        edit(&mut bench, one);
        let now = bench.sources.files();
        for path in written.keys().filter(|path| !now.contains_key(*path)) {
            std::fs::remove_file(site.join(path)).unwrap();
        }
        for (path, bytes) in now
            .iter()
            .filter(|(path, bytes)| written.get(*path) != Some(*bytes))
        {
            let path = site.join(path);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, bytes).unwrap();
        }
        written = now;
        let build = |name: &str| {
            let out = folder.path().join(name);
            let output = DiskOutput::new(&out).unwrap().named(name);
            let mut output = output.state(folder.path().join(format!("{name}.state")));
            let workspace = Workspace::at(&site).clock(bench.clock());
            let built = workspace.include(bench.include);
            let built = collected(built.build(&mut output, bench.options()));
            let files = DiskSources::new(&out).list("").unwrap().unwrap_or_default();
            let read = |path: String| {
                let bytes = std::fs::read(out.join(&path)).unwrap();
                (path, bytes)
            };
            (
                told(&built.diagnostics),
                files.into_iter().map(read).collect::<Vec<_>>(),
            )
        };
        let (made, clean) = (build("out"), build(&format!("clean-{at}")));
        assert_eq!(made.0, clean.0, "{one:?}");
        if made.0.iter().any(|diagnostic| diagnostic.contains("taken")) {
            continue;
        }
        assert!(made.1.len() > 20);
        assert_eq!(made.1, clean.1, "{one:?}");
    }
}

#[rstest]
#[case::put_together("{% include \"parts/\" ~ \"x\" ~ \".html\" %}")]
#[case::of_a_value("{% set part = \"parts/x.html\" %}{% include part %}")]
#[case::once("{% set part = \"parts/x.html\" %}{{ once(part) }}")]
#[case::that_may_be_missing("{% include \"parts/x.html\" ignore missing %}")]
#[case::once_with_a_space("{{ once (\"parts/x.html\") }}")]
#[case::once_by_another_name("{% set f = once %}{{ f(\"parts/x.html\") }}")]
#[case::escaped("{% include \"parts\\x2fx.html\" %}")]
#[case::put_together_and_maybe_missing(
    "{% set kind = \"x\" %}{% include \"parts/\" ~ kind ~ \".html\" ignore missing %}"
)]
#[case::in_a_macro("{% macro m(name) %}{% include name %}{% endmacro %}{{ m(\"parts/x.html\") }}")]
fn a_page_is_made_again_when_a_part_that_it_loads_changes_or_comes(#[case] page: &str) {
    let may_miss = page.contains("missing");
    let mut bench = Bench::new("").with("posts/2026-01-01-a.md", "A\n");
    bench.sources.write("pages/p.html", page);
    if !may_miss {
        bench.sources.write("templates/parts/x.html", "one");
    }
    bench.sound();
    let made = bench.after_edit("templates/parts/x.html", Some("two"));
    assert!(made.contains(&"p/index.html".to_owned()), "{made:?}");
    assert_eq!(bench.page("p/index.html"), "two\n");
    // What is missing is no reason to make the page each time.
    bench.sources.remove("templates/parts/x.html");
    if may_miss {
        bench.sound();
        let made = bench.after_edit("posts/2026-01-01-a.md", Some("B\n"));
        assert!(!made.contains(&"p/index.html".to_owned()), "{made:?}");
    }
}

#[rstest]
#[case::with_a_space("{{ card (query(\"from posts\")) }}")]
#[case::by_another_name("{% set f = card %}{{ f(query(\"from posts\")) }}")]
fn a_page_of_cards_is_made_again_when_their_template_changes(#[case] page: &str) {
    let mut bench = Bench::new("").with("posts/2026-01-01-a.md", "A\n");
    bench.sources.write("pages/p.html", page);
    bench.sound();
    let made = bench.after_edit("templates/parts/card.html", Some("own card"));
    assert!(made.contains(&"p/index.html".to_owned()), "{made:?}");
    assert_eq!(bench.page("p/index.html"), "own card\n");
}

#[test]
fn an_overview_that_shows_a_count_alone_is_made_again() {
    let mut bench = Bench::new("").with("posts/2026-01-01-a.md", "---\ntags: [x]\n---\nA\n");
    bench
        .sources
        .write("templates/overview.html", "{{ archive.count }}");
    bench.sound();
    assert_eq!(bench.page("tags/index.html"), "1\n");
    bench.after_edit("posts/2026-01-02-b.md", Some("---\ntags: [x, y]\n---\nB\n"));
    assert_eq!(bench.page("tags/index.html"), "2\n");
}

/// Sources of which one file can no longer be read.
#[derive(Debug, Clone)]
struct Lost(MemorySources, &'static str);

impl Sources for Lost {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        self.0.list(folder)
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        if path == self.1 {
            return Err(io::ErrorKind::PermissionDenied.into());
        }
        self.0.read(path)
    }

    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>> {
        self.0.stamp(path)
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        self.0.size(path)
    }

    fn share(&self) -> Arc<dyn Sources> {
        Arc::new(self.clone())
    }
}

/// A post whose file is as it was is not read, until its page is made again.
#[test]
fn a_body_that_cannot_be_read_again_is_an_error_and_no_empty_page() {
    let post = "posts/2026-01-01-a.md";
    let mut bench = Bench::new("").with(post, "A text.\n");
    bench.sound();
    let before = bench.out.files();
    bench
        .sources
        .write("templates/post.html", "{{ post.content }}");
    let lost = Lost(bench.sources.clone(), post);
    let site = Workspace::from_sources(lost).clock(bench.clock());
    let options = bench.options();
    let built = collected(site.build(&mut bench.out, options));
    let found: Vec<_> = built
        .diagnostics
        .iter()
        .map(|d| (d.code.name(), d.location.file.as_deref()))
        .collect();
    assert_eq!(found, [("unreadable-file", Some(post))]);
    assert_eq!(bench.out.files(), before);
}
