//! Random sites with random templates and random edits: a build after them equals a clean one, byte for byte.
//!
//! `TABULAE_CASES=10000 cargo test -p tabulae-engine --lib generated` runs more cases than the usual 16.

use std::cell::Cell;
use std::fmt::Write as _;

use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};

use super::edits::{SETTINGS, edit, rich, same_as_clean};
use super::{Bench, Include, SITE};
use crate::BuildSession;

/// A sequence of numbers from a seed (xorshift), so that a case is small to print and shrinks well.
struct Choices(u64);

impl Choices {
    fn new(seed: u32) -> Self {
        Self(u64::from(seed) << 1 | 1)
    }

    fn below(&mut self, end: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        usize::try_from(self.0 >> 33).unwrap() % end
    }

    fn of<'a>(&mut self, all: &[&'a str]) -> &'a str {
        all[self.below(all.len())]
    }
}

/// Names that parts go by, one of which is never there.
const PARTS: [&str; 4] = ["a", "b", "c", "missing"];

/// Queries without and with parameters, of days, texts, likeness and named ones.
const QUERIES: [&str; 10] = [
    "from posts",
    "from new",
    "from posts where date >= today - 20 days",
    "from posts order by random(today) limit 2",
    "from posts order by random(week) limit 2",
    "from posts where tag = 'a' limit 2",
    "from posts where text contains 'masonry'",
    "from boats where length > 3",
    "from posts where year = 2026 order by title desc limit 3",
    "from posts where category is missing",
];

/// One piece of a template. Pieces of `depth` 0 load no parts.
fn piece(choices: &mut Choices, depth: usize) -> String {
    let kinds = if depth > 0 { 16 } else { 8 };
    let query = choices.of(&QUERIES);
    let part = choices.of(&PARTS);
    match choices.below(kinds) {
        0 => "{{ site.title }} {{ site.lists|length }}".to_owned(),
        1 => "{% if page is defined %}{{ page.title }} {{ page.kind }}{% endif %}".to_owned(),
        2 => {
            let field = choices.of(&["title", "summary", "words", "date", "tags", "state", "image"]);
            let field = if field == "state" { "unlisted" } else { field };
            format!("{{% for p in query(\"{query}\") %}}{{{{ p.{field} }}}};{{% endfor %}}")
        }
        3 => {
            let order = choices.of(&["name", "count", "newest"]);
            let show = choices.of(&["t", "t.count", "t.link", "t|link", "t.about"]);
            format!("{{% for t in terms(\"tag\", order=\"{order}\") %}}{{{{ {show} }}}},{{% endfor %}}")
        }
        4 => format!(
            "{{% for t in terms(\"category\", limit=2, query=\"{query}\") %}}{{{{ t }}}}{{{{ t.count }}}}{{% endfor %}}"
        ),
        5 => "{% for f in feeds() %}{{ f.title }}{{ f.link }}{% endfor %}".to_owned(),
        6 => "{% if archive is defined %}{{ archive.count }}{{ archive.title }}{% endif %}".to_owned(),
        7 => "{% if post is defined %}{{ post.title }}{{ post.summary }}{{ post.likeness }}{% endif %}"
            .to_owned(),
        8 => format!("{{% include \"parts/{part}.html\" ignore missing %}}"),
        9 => format!(
            "{{% set name = \"{part}\" %}}{{% include \"parts/\" ~ name ~ \".html\" ignore missing %}}"
        ),
        10 => "{{ once (\"parts/b.html\") }}".to_owned(),
        11 => {
            let word = choices.of(&["x", "y"]);
            format!("{{% set f = once %}}{{{{ f(\"parts/a.html\", word=\"{word}\") }}}}")
        }
        12 => format!(
            "{{% macro m(name) %}}{{% include name ignore missing %}}{{% endmacro %}}{{{{ m(\"parts/{part}.html\") }}}}"
        ),
        13 => format!("{{{{ card (query(\"{query}\")) }}}}"),
        14 => format!("{{% set f = card %}}{{{{ f(query(\"{query}\"), 3) }}}}"),
        _ => format!("{{% include [\"parts/{part}.html\", \"parts/b.html\"] %}}"),
    }
}

fn template(choices: &mut Choices, depth: usize) -> String {
    let mut text = String::new();
    for _ in 0..1 + choices.below(3) {
        let _ = writeln!(text, "{}", piece(choices, depth));
    }
    text
}

/// The templates that are generated, with the depth to which they load parts: each loads those that load less.
const TEMPLATES: [(&str, usize); 7] = [
    ("templates/post.html", 1),
    ("templates/overview.html", 1),
    ("templates/archive.html", 1),
    ("pages/all.html", 1),
    ("templates/parts/a.html", 0),
    ("templates/parts/b.html", 0),
    ("templates/parts/card.html", 0),
];

/// Writes one of the templates.
fn write_template(bench: &Bench, number: usize, choices: &mut Choices) {
    let (path, depth) = TEMPLATES[number % TEMPLATES.len()];
    let mut text = template(choices, depth);
    if path == "templates/post.html" {
        text += choices.of(&[
            "{{ post.content }}",
            "{% for r in related %}{{ r.title }}{{ r.likeness }}{{ r.shares }}{% endfor %}",
            "{% for r in query('from posts where category = this.category') %}{{ r.title }}{% endfor %}",
            "{{ post.tags }}{{ post.meta }}",
        ]);
    }
    if path == "pages/all.html" {
        text = format!("---\ntitle: All sorts\n---\n{text}");
    }
    bench.sources.write(path, text);
}

fn generated(seed: u32) -> Bench {
    let (mut bench, mut choices) = (rich(), Choices::new(seed));
    // Someone meddles with outputs, and a build that fails does not record what it wrote.
    bench.foreign.adopt = true;
    for number in 0..TEMPLATES.len() {
        if choices.below(3) > 0 {
            write_template(&bench, number, &mut choices);
        }
    }
    bench
}

/// Changes something: as `edit` does, or templates, parts that come and go, settings, states, the folder of
/// a content set.
fn change(bench: &mut Bench, (kind, number, how): (u8, u8, u8), seed: u32) {
    let mut choices = Choices::new(seed);
    match kind % 8 {
        0..=2 => edit(bench, (number, kind, how)),
        3 | 4 => write_template(bench, number.into(), &mut choices),
        5 => {
            let path = [
                "templates/parts/c.html",
                "templates/parts/missing.html",
                "templates/overview.html",
            ][usize::from(number % 3)];
            if how % 2 == 0 {
                bench.sources.write(path, template(&mut choices, 0));
            } else {
                bench.sources.remove(path);
            }
        }
        6 => {
            let settings = match how % 4 {
                0 => SETTINGS.replace("search = \"full\"", "search = false"),
                1 => SETTINGS.replace("group = \"month\"", "group = \"category\""),
                2 => SETTINGS.replace("title = 1, body = 1", "title = 1"),
                _ => SETTINGS.replace("link = \"/tags/{tag}/\"", "link = \"/t/{tag}/\""),
            };
            bench
                .sources
                .write("tabulae.toml", format!("{SITE}{settings}"));
        }
        _ if how % 2 == 0 => {
            bench.include = Include {
                drafts: !bench.include.drafts,
                ..Include::default()
            };
            let is_exclusive = bench.seen.is_some();
            if bench.session.is_some() {
                bench.begin_session(is_exclusive);
            }
        }
        _ => {
            let (from, to) = match bench
                .sources
                .files()
                .keys()
                .any(|path| path.starts_with("fleet/"))
            {
                true => ("fleet/", "boats/"),
                false => ("boats/", "fleet/"),
            };
            for (path, bytes) in bench.sources.files() {
                if let Some(name) = path.strip_prefix(from) {
                    bench.sources.write(&format!("{to}{name}"), bytes);
                    bench.sources.remove(&path);
                }
            }
            let folder = format!("[content.boats]\nfolder = \"{}\"", to.trim_end_matches('/'));
            let settings = SETTINGS.replace("[content.boats]", &folder);
            bench
                .sources
                .write("tabulae.toml", format!("{SITE}{settings}"));
        }
    }
}

/// The most times that all cases are run until enough builds are compared.
const ROUNDS: usize = 3;

fn cases() -> u32 {
    let cases = std::env::var("TABULAE_CASES").ok();
    cases.and_then(|cases| cases.parse().ok()).unwrap_or(16)
}

#[test]
fn a_build_with_any_templates_after_any_edits_equals_a_clean_one() {
    let config = Config {
        cases: cases(),
        failure_persistence: None,
        ..Config::default()
    };
    let edits = prop::collection::vec(any::<((u8, u8, u8), u32)>(), 1..10);
    let (compared, failed) = (Cell::new(0), Cell::new(0));
    let strategy = (0..3, any::<u32>(), edits);
    let run = || {
        let mut runner = TestRunner::new(config.clone());
        let run = runner.run(&strategy, |(how, seed, edits)| {
            let mut bench = generated(seed);
            if how > 0 {
                bench.begin_session(how == 2);
                bench.session = bench.session.map(|session| match how {
                    2 => BuildSession::exclusive(session),
                    _ => session,
                });
            }
            bench.build();
            for (one, seed) in edits {
                // If a session gets the changed files, nobody else writes to the output. Without its manifest, a
                // build keeps files that it does not know.
                let meddles = one.0 % 8 < 3 && one.1 % 20 == 15;
                if meddles && (how == 2 || one.2 % 3 == 0) {
                    continue;
                }
                change(&mut bench, one, seed);
                match same_as_clean(&mut bench) {
                    Ok(true) => compared.set(compared.get() + 1),
                    Ok(false) => failed.set(failed.get() + 1),
                    Err(apart) => prop_assert!(false, "after {one:?} {seed}: {apart}"),
                }
            }
            Ok(())
        });
        run.unwrap();
        compared.get() * 2 > failed.get()
    };
    // Some templates load parts that there are not, which lasts until they are written again; enough others must be
    // compared. Few cases can be off by chance, more are not.
    let _ = (0..ROUNDS).any(|_| run());
    let (compared, failed) = (compared.get(), failed.get());
    assert!(
        compared * 2 > failed,
        "{compared} compared, {failed} with errors"
    );
}
