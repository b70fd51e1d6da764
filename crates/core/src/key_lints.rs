//! Lints of front matter keys and terms: keys that are almost known, mappings that no post has, terms that hold
//! separators.

use std::collections::{BTreeMap, BTreeSet};

use crate::catalogue::{Catalogue, KeyUse, PostId};
use crate::diagnostic::{Code, Diagnostic, Diagnostics, Help};
use crate::post::ENTRIES;
use crate::query::ast::Statement;
use crate::query::fields::derived;
use crate::settings::{ContentSet, DraftRule, RENAMABLE, Settings};
use crate::slip::{is_slip, slip_of};
use crate::source::Spanned;
use crate::term::Term;
use crate::value::{Kind, Value};

/// Front matter keys that do nothing here, each with what to write instead.
const WITHOUT_EFFECT: [(&str, &str); 4] = [
    ("layout", TEMPLATE),
    ("permalink", LINK),
    ("url", LINK),
    ("path", LINK),
];

const TEMPLATE: &str = "write `template: NAME.html`, the name of a file in templates/; for all posts of a content set, `template` in its table";

const LINK: &str = "write `link: /address/` for the address of the post, `slug` for its last part alone, or `moved_from` for an old one; a content set has the addresses of all its posts in `link`";

/// Returns the lints of all posts. `is_used` returns true for keys that queries or templates name: these are
/// the site's own. Takes time in proportion to the number of keys of all posts.
pub fn key_lints(
    catalogue: &Catalogue,
    settings: &Settings,
    is_used: &dyn Fn(&str) -> bool,
) -> Diagnostics {
    let mut found = Diagnostics::new();
    for (number, posts) in by_set(catalogue, settings).iter().enumerate() {
        let set = &settings.content[number];
        let keys: Keys<'_> = catalogue.keys(number).collect();
        found.extend(mappings(set, &keys, catalogue, posts, settings));
        found.extend(nested(set, &keys, catalogue, posts, settings, is_used));
        let used = keys.keys().copied().filter(|key| is_used(key));
        found.extend(other_kinds(used, catalogue, posts, settings));
        found.extend(unknown_keys(
            set,
            &keys,
            catalogue,
            posts.len(),
            settings,
            is_used,
        ));
    }
    found.extend(separators(catalogue));
    found
}

/// Returns a warning for each value of another kind than most values of its key are, for the fields that a
/// statement compares or orders by.
#[must_use]
pub fn kind_lints(
    catalogue: &Catalogue,
    settings: &Settings,
    statement: &Statement,
) -> Diagnostics {
    let fields: BTreeSet<&str> = statement.fields().collect();
    let sets = by_set(catalogue, settings).into_iter();
    let lints = sets.flat_map(|posts| {
        let fields = fields.iter().copied();
        other_kinds(fields, catalogue, &posts, settings)
    });
    lints.collect()
}

/// Returns the posts of each content set, excluded ones too.
fn by_set(catalogue: &Catalogue, settings: &Settings) -> Vec<Vec<PostId>> {
    let mut posts = vec![Vec::new(); settings.content.len()];
    for id in catalogue.all() {
        posts[catalogue.post(id).set].push(id);
    }
    posts
}

/// The keys of a content set's posts, in alphabetical order.
type Keys<'a> = BTreeMap<&'a str, KeyUse>;

/// Returns the mappings of a content set none of whose keys any post has.
fn mappings(
    set: &ContentSet,
    keys: &Keys<'_>,
    catalogue: &Catalogue,
    posts: &[PostId],
    settings: &Settings,
) -> Diagnostics {
    if posts.is_empty() {
        return Diagnostics::new();
    }
    let has = |key: &str| {
        keys.contains_key(key)
            || key.contains('.')
                && posts
                    .iter()
                    .any(|id| catalogue.post(*id).front.at(key).is_some())
    };
    let mut found = Diagnostics::new();
    let is_undated = |id: &PostId| catalogue.post(*id).date.is_none();
    for (field, names) in &set.fields {
        let is_derived = derived(field, catalogue).is_some() && !RENAMABLE.contains(&&**field);
        if let Some(name) = names.first().filter(|_| is_derived) {
            let message = format!("`{field}` is worked out, and no key gives it");
            let location = settings.source.location(name.span);
            let error = Diagnostic::error(Code::UnknownKey, location, message);
            found.push(error.help("map the key to another name"));
            continue;
        }
        // That no post has a date is an error by itself.
        if field == "date" && set.dated && posts.iter().all(is_undated) {
            continue;
        }
        let called = names
            .iter()
            .filter_map(|name| Some((key_of(field, name)?, name)));
        let called: Vec<(String, &Spanned<String>)> = called.collect();
        let Some((key, name)) = called.first() else {
            continue;
        };
        if called.iter().any(|(key, _)| has(key)) {
            continue;
        }
        let near = called.iter().find_map(|(key, name)| {
            let near = keys.keys().find(|known| is_slip(key, known))?;
            Some((near, *name))
        });
        let message = format!(
            "no post of `{}` has `{key}`, which is mapped to `{field}`",
            set.name
        );
        let location = |name: &Spanned<String>| settings.source.location(name.span);
        found.push(if let Some((near, name)) = near {
            let count = keys[near].posts;
            let help = format!("write `{near}`, which {count} of its posts have");
            let written = key_of(field, name).unwrap_or_default();
            let help = Help::instead(help, name.node.replacen(&written, near, 1));
            Diagnostic::error(Code::UnknownKey, location(name), message).help(help)
        } else if let Some((at, value)) = called
            .iter()
            .filter(|_| field == "draft")
            .find_map(|(key, _)| has_value(catalogue, posts, key))
        {
            let help = format!("`{value}` is a value of `{at}`: write \"{at} in ({value})\"");
            Diagnostic::error(Code::UnknownKey, location(name), message).help(help)
        } else {
            Diagnostic::warning(Code::UnknownKey, location(name), message)
                .help("write a key that the posts have, or delete the mapping")
        });
    }
    found
}

/// Fields that are looked for within maps, each with the keys that give it and the mapping's text before a key.
const NESTED: [(&str, &[&str], &str); 9] = [
    ("tag", &["tag", "tags"], ""),
    ("category", &["category", "categories"], ""),
    ("date", &["date"], ""),
    ("updated", &["updated"], ""),
    ("summary", &["summary"], ""),
    ("expires", &["expires"], ""),
    ("unlisted", &["unlisted"], ""),
    ("draft", &["draft"], ""),
    ("draft", &["published"], "not "),
];

/// Returns a warning for each field that posts have within a map only, where it is not looked for. A draft counts even
/// if other posts say it outside.
fn nested(
    set: &ContentSet,
    keys: &Keys<'_>,
    catalogue: &Catalogue,
    posts: &[PostId],
    settings: &Settings,
    is_used: &dyn Fn(&str) -> bool,
) -> Diagnostics {
    let Some(number) = settings
        .content
        .iter()
        .position(|known| known.name == set.name)
    else {
        return Diagnostics::new();
    };
    let names = catalogue.field_names(&[number]);
    let mut found = Diagnostics::new();
    for (field, called, before) in NESTED {
        let is_outside = field != "draft" && called.iter().any(|key| keys.contains_key(key));
        let is_it = |name: &&&str| {
            let last = name.rsplit_once('.').map(|(_, last)| last);
            last.is_some_and(|last| called.contains(&last))
        };
        let inner = names.iter().find(is_it).filter(|name| !is_used(name));
        let Some(inner) = inner.filter(|_| !is_outside && set.keys_of(field).is_none()) else {
            continue;
        };
        let is_flag = |value: &Value| matches!(value, Value::Flag(..));
        let mut having = posts.iter().filter_map(|id| {
            let post = catalogue.post(*id);
            let value = post.front.at(inner)?;
            // A date of publication is no flag.
            (!called.contains(&"published") || is_flag(&value.node)).then_some((post, value))
        });
        let Some((post, value)) = having.next() else {
            continue;
        };
        let message = match having.count() {
            0 => format!("`{inner}` is not read as `{field}`"),
            others => format!(
                "`{inner}` is not read as `{field}`; {} posts have it",
                others + 1
            ),
        };
        let location = post.source.location(value.span);
        let help = format!(
            "write `{field} = [\"{before}{inner}\"]` below [content.{}.fields]",
            set.name
        );
        found.push(Diagnostic::warning(Code::UnknownKey, location, message).help(help));
    }
    found
}

/// Returns the front matter key that a mapping names; `None` for a rule that is reported where it is read.
fn key_of(field: &str, name: &Spanned<String>) -> Option<String> {
    if field == "draft" {
        return DraftRule::parse(&name.node).map(|rule| rule.key);
    }
    Some(name.node.trim_start_matches("not ").trim().to_owned())
}

/// Returns the key of which a post has this text, and the text as it is written.
fn has_value<'a>(
    catalogue: &'a Catalogue,
    posts: &[PostId],
    text: &str,
) -> Option<(&'a str, &'a str)> {
    posts.iter().find_map(|id| {
        let entries = &catalogue.post(*id).front.entries;
        entries.iter().find_map(|entry| match &entry.value.node {
            Value::Text(value) if value.trim().eq_ignore_ascii_case(text) => {
                Some((entry.key.node.as_str(), value.trim()))
            }
            _ => None,
        })
    })
}

/// Returns a warning for each key that is almost a known one, or that has no effect.
fn unknown_keys(
    set: &ContentSet,
    keys: &Keys<'_>,
    catalogue: &Catalogue,
    posts: usize,
    settings: &Settings,
    is_used: &dyn Fn(&str) -> bool,
) -> Diagnostics {
    let mapped = set.fields.iter();
    let mapped =
        mapped.flat_map(|(field, names)| names.iter().filter_map(move |name| key_of(field, name)));
    let mapped: Vec<String> = mapped.collect();
    // What a mapping names and no post has is reported by itself.
    let is_there = |key: &&str| keys.contains_key(key) || !mapped.iter().any(|known| known == key);
    let terms = settings.term_fields.iter();
    let terms = terms.flat_map(|field| [field.name.as_str(), field.many()]);
    let rules = set.draft_rules.iter().map(|rule| rule.key.as_str());
    let own = rules
        .chain(mapped.iter().map(String::as_str))
        .filter(is_there);
    let known: Vec<&str> = ENTRIES
        .iter()
        .map(|entry| entry.name)
        .chain(terms)
        .chain(own)
        .collect();
    let mut found = Diagnostics::new();
    for (
        key,
        KeyUse {
            posts: count,
            first,
        },
    ) in keys
    {
        // What many posts have is meant as it is.
        let is_meant = *count > 1 && count * 10 > posts;
        if let Some(lint) = hidden(key, catalogue, *first) {
            found.push(lint);
            continue;
        }
        if known.contains(key) || is_used(key) || is_meant {
            continue;
        }
        let what = without_effect(key).map(|(known, instead)| {
            let message = match known == *key {
                true => format!("`{key}` has no effect in a post"),
                false => {
                    format!("Tabulae does not know the key `{key}`, and `{known}` has no effect in a post")
                }
            };
            (message, Help::from(instead))
        });
        let near = || {
            let near = slip_of(key, known.iter().copied())?;
            let is_there = catalogue.post(*first).front.get(near).is_some();
            let help = match is_there {
                true => format!("did you mean `{near}`?").into(),
                false => Help::did_you_mean(near),
            };
            let message = format!("Tabulae does not know the key `{key}`");
            Some((message, help))
        };
        let Some((message, help)) = what.or_else(near) else {
            continue;
        };
        let message = match count {
            1 => message,
            count => format!("{message}; {count} posts have it"),
        };
        let post = catalogue.post(*first);
        let entry = post.front.get(key);
        let location = entry.map_or_else(
            || post.location_of("title"),
            |entry| post.source.location(entry.key.span),
        );
        found.push(Diagnostic::warning(Code::UnknownKey, location, message).help(help));
    }
    found
}

/// Returns the warning of a key that the name of the content set hides.
fn hidden(key: &str, catalogue: &Catalogue, post: PostId) -> Option<Diagnostic> {
    let post = catalogue.post(post);
    let entry = post.front.get(key).filter(|_| key == "set")?;
    let message = "`set` is the name of a post's content set, and hides this key";
    let location = post.source.location(entry.key.span);
    let help = "give the key another name, or write `meta.set` in templates";
    Some(Diagnostic::warning(Code::UnknownKey, location, message).help(help))
}

fn without_effect(key: &str) -> Option<(&'static str, &'static str)> {
    let mut known = WITHOUT_EFFECT.iter();
    known.find(|(known, _)| *known == key).copied()
}

/// Returns a warning for each value of another kind than most values of its key are: comparisons pass over it.
fn other_kinds<'k>(
    keys: impl Iterator<Item = &'k str>,
    catalogue: &Catalogue,
    posts: &[PostId],
    settings: &Settings,
) -> Diagnostics {
    let is_own = |key: &str| {
        !ENTRIES.iter().any(|entry| entry.name == key)
            && !settings.term_fields.iter().any(|field| field.is(key))
    };
    let mut found = Diagnostics::new();
    for key in keys.filter(|key| is_own(key)) {
        let values = posts.iter().filter_map(|id| {
            let post = catalogue.post(*id);
            let entry = post.front.get(key)?;
            let kind = entry.value.node.kind();
            (kind != Kind::Null).then_some((post, entry, kind))
        });
        let values: Vec<_> = values.collect();
        let of = |wanted: Kind| values.iter().filter(|(.., kind)| *kind == wanted).count();
        let kinds = [Kind::Number, Kind::Date, Kind::Flag];
        let Some(most) = kinds.into_iter().find(|kind| of(*kind) * 2 > values.len()) else {
            continue;
        };
        for (post, entry, kind) in values.iter().filter(|(.., kind)| *kind != most) {
            let message = format!(
                "`{key}` is {} here, and {} in {} other posts",
                kind.article(),
                most.article(),
                of(most)
            );
            let location = post.source.location(entry.value.span);
            let help = format!(
                "write {}, or no query that compares `{key}` finds this post",
                most.article()
            );
            found.push(Diagnostic::warning(Code::FieldTypeMismatch, location, message).help(help));
        }
    }
    found
}

/// Returns a warning for each term that looks like several, or that begins with `#`.
fn separators(catalogue: &Catalogue) -> Diagnostics {
    let mut found = Diagnostics::new();
    for table in catalogue.term_tables() {
        for term in &table.terms {
            let Some((source, written)) = &term.written else {
                continue;
            };
            let is_term = |part: &str| table.find(part).is_some();
            let Some((message, help)) = separator(term, &table.field.name, &is_term) else {
                continue;
            };
            let location = source.location(written.span);
            found.push(Diagnostic::warning(Code::SuspiciousTerm, location, message).help(help));
        }
    }
    found
}

/// Returns what is wrong with a term, and what to write.
fn separator(term: &Term, field: &str, is_term: &dyn Fn(&str) -> bool) -> Option<(String, Help)> {
    let name = term.name.as_str();
    if let Some(rest) = name.strip_prefix('#') {
        let message = format!("the {field} \"{name}\" begins with `#`");
        return Some((message, Help::write(rest.trim())));
    }
    let parts = |separators: &[char]| -> Vec<String> {
        let parts = name.split(separators).map(str::trim);
        parts
            .filter(|part| !part.is_empty())
            .map(str::to_owned)
            .collect()
    };
    let split = parts(&[';', '|', ',']);
    if split.len() > 1 {
        let message = format!("the {field} \"{name}\" looks like {} in one", split.len());
        return Some((message, format!("write `[{}]`", split.join(", ")).into()));
    }
    let words = parts(&[' ']);
    let are_terms = words.len() > 1 && words.iter().all(|word| is_term(word));
    (field == "tag" && are_terms).then(|| {
        let message = format!(
            "the tag \"{name}\" looks like {} in one: each word of it is a tag",
            words.len()
        );
        (message, format!("write `[{}]`", words.join(", ")).into())
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::Small;
    use rstest::rstest;

    /// The lints of posts with these front matters and a tenth of whose number is two.
    fn lints(settings: &str, fronts: &[&str], used: &str) -> Vec<String> {
        let front = |at: usize| fronts.get(at).copied().unwrap_or("hours: 1");
        let posts: Vec<(String, String, String)> = (0..20)
            .map(|at| {
                let path = format!("posts/2026-01-{:02}-p{at}.md", at + 1);
                (path, front(at).to_owned(), String::new())
            })
            .collect();
        let small = Small::new(settings, &posts);
        let found = key_lints(&small.catalogue, &small.settings, &|key| used == key);
        found
            .iter()
            .map(|lint| {
                let word = if lint.is_error() { "error" } else { "warning" };
                let location = &lint.location;
                let file = location.file.as_deref().unwrap_or_default();
                let help = lint.help.as_deref().unwrap_or_default();
                format!(
                    "{file}:{}:{} {word} {}; {help}",
                    location.line, location.column, lint.message
                )
            })
            .collect()
    }

    #[rstest]
    #[case::missing_letter(&["sumary: x"], "Tabulae does not know the key `sumary`; did you mean `summary`?")]
    #[case::case_differs(&["Tags: x"], "Tabulae does not know the key `Tags`; did you mean `tags`?")]
    #[case::swapped(&["tgas: x"], "Tabulae does not know the key `tgas`; did you mean `tags`?")]
    #[case::two_posts(&["catgory: x", "catgory: y"], "Tabulae does not know the key `catgory`; 2 posts have it; did you mean `category`?")]
    #[case::a_rule(&["statsu: wip"], "Tabulae does not know the key `statsu`; did you mean `status`?")]
    fn a_key_that_is_almost_known(#[case] fronts: &[&str], #[case] expected: &str) {
        // The newest post that has it is named.
        let last = fronts.len();
        let expected = format!(
            "posts/2026-01-{last:02}-p{}.md:2:1 warning {expected}",
            last - 1
        );
        assert_eq!(lints("", fronts, ""), [expected]);
    }

    #[rstest]
    #[case::known(&["summary: x", "status: live"], "")]
    #[case::short(&["dat: x", "tga: x"], "")]
    #[case::used(&["sumary: x"], "sumary")]
    #[case::another_word(&["boat: x"], "")]
    #[case::in_over_a_tenth(&["sumary: x", "sumary: x", "sumary: x"], "")]
    fn a_key_of_the_writers_own(#[case] fronts: &[&str], #[case] used: &str) {
        assert_eq!(lints("", fronts, used), [""; 0]);
    }

    #[test]
    fn a_value_of_another_kind_than_most() {
        let fronts = ["hours: 35 h", "hours: true", "hours: ", "title: 1984"];
        let found = lints("", &fronts, "hours");
        let expected = [
            "posts/2026-01-02-p1.md:2:8 warning `hours` is true or false here, and a number in 16 other posts; write a number, or no query that compares `hours` finds this post",
            "posts/2026-01-01-p0.md:2:8 warning `hours` is text here, and a number in 16 other posts; write a number, or no query that compares `hours` finds this post",
        ];
        assert_eq!(found, expected);
        // Nobody compares it.
        assert_eq!(lints("", &fronts, ""), [""; 0]);
    }

    #[test]
    fn numbers_among_texts_are_texts() {
        let fronts: Vec<String> = (0..20)
            .map(|at| format!("part: {}", ["one", "two", "3"][at % 3]))
            .collect();
        let fronts: Vec<&str> = fronts.iter().map(String::as_str).collect();
        assert_eq!(lints("", &fronts, "part"), [""; 0]);
    }

    #[test]
    fn a_key_that_is_hidden() {
        let found = lints("", &["set: a"], "set");
        assert!(
            found[0].contains("warning `set` is the name of a post's content set"),
            "{found:?}"
        );
    }

    #[test]
    fn keys_without_effect() {
        let found = lints("", &["layout: post\nurl: /a/"], "");
        let starts = [
            "posts/2026-01-01-p0.md:2:1 warning `layout` has no effect",
            "posts/2026-01-01-p0.md:3:1 warning `url` has no effect",
        ];
        assert_eq!(found.len(), 2);
        assert!(
            found
                .iter()
                .zip(starts)
                .all(|(found, start)| found.starts_with(start)),
            "{found:?}"
        );
    }

    #[rstest]
    #[case::no_such_key(
        "tag = [\"labels\"]",
        "warning no post of `posts` has `labels`, which is mapped to `tag`; write a key"
    )]
    #[case::a_near_key(
        "summary = [\"abuot\"]",
        "error no post of `posts` has `abuot`, which is mapped to `summary`; write `about`, which 1 of its posts have"
    )]
    #[case::a_near_key_of_a_draft(
        "draft = [\"sttus in (wip)\"]",
        "error no post of `posts` has `sttus`, which is mapped to `draft`; write `status`"
    )]
    #[case::a_derived_field(
        "year = [\"about\"]",
        "error `year` is worked out, and no key gives it; map the key to another name"
    )]
    #[case::a_value(
        "draft = [\"wip\"]",
        "error no post of `posts` has `wip`, which is mapped to `draft`; `WIP` is a value of `status`: write \"status in (WIP)\""
    )]
    fn a_mapping_that_no_post_has(#[case] mapping: &str, #[case] expected: &str) {
        let settings = format!("[content.posts.fields]\n{mapping}\n");
        let found = lints(&settings, &["status: WIP\nabout: x"], "");
        let [found] = &found[..] else {
            panic!("{found:?}");
        };
        assert!(
            found.starts_with("tabulae.toml:5:") && found.contains(expected),
            "{found}"
        );
    }

    #[rstest]
    #[case::tags(
        "info: { tags: [a] }",
        "`info.tags` is not read as `tag`; write `tag = [\"info.tags\"]` below [content.posts.fields]"
    )]
    #[case::deep(
        "a:\n  b: { summary: x }",
        "`a.b.summary` is not read as `summary`; write `summary = [\"a.b.summary\"]` below [content.posts.fields]"
    )]
    #[case::draft(
        "draft: false\ninfo: { draft: true }",
        "`info.draft` is not read as `draft`; write `draft = [\"info.draft\"]` below [content.posts.fields]"
    )]
    #[case::published(
        "info: { published: false }",
        "`info.published` is not read as `draft`; write `draft = [\"not info.published\"]` below [content.posts.fields]"
    )]
    fn a_field_within_a_map(#[case] front: &str, #[case] expected: &str) {
        let found = lints("", &[front], "");
        assert_eq!(found.len(), 1, "{found:?}");
        assert!(found[0].starts_with("posts/2026-01-01-p0.md:"), "{found:?}");
        assert!(found[0].ends_with(expected), "{found:?}");
    }

    #[rstest]
    #[case::outside_too("", &["tags: a", "info: { tags: [b] }"], "")]
    #[case::mapped("[content.posts.fields]\ntag = [\"info.tags\"]\n", &["info: { tags: [b] }"], "")]
    #[case::used("", &["info: { tags: [b] }"], "info.tags")]
    #[case::another("", &["info: { credits: [b] }"], "")]
    #[case::a_date("", &["info: { published: 2026-01-01 }"], "")]
    fn a_field_within_a_map_that_is_meant(
        #[case] settings: &str,
        #[case] fronts: &[&str],
        #[case] used: &str,
    ) {
        assert_eq!(lints(settings, fronts, used), [""; 0]);
    }

    #[rstest]
    #[case::of_several("summary = [\"nothing\", \"about\"]")]
    #[case::within("summary = [\"info.about\"]")]
    #[case::a_rule("draft = [\"not about\"]")]
    fn a_mapping_that_a_post_has(#[case] mapping: &str) {
        let settings = format!("[content.posts.fields]\n{mapping}\n");
        let front = "about: x\ninfo: { about: y }";
        assert_eq!(lints(&settings, &[front], ""), [""; 0]);
    }

    #[rstest]
    #[case::semicolon(
        "tags: ['a; b']",
        "the tag \"a; b\" looks like 2 in one; write `[a, b]`"
    )]
    #[case::hash("tags: ['#rye']", "the tag \"#rye\" begins with `#`; write `rye`")]
    #[case::comma(
        "category: [a, 'b, c']",
        "the category \"b, c\" looks like 2 in one; write `[b, c]`"
    )]
    #[case::words(
        "tags: [rye, oven, rye oven]",
        "the tag \"rye oven\" looks like 2 in one: each word of it is a tag; write `[rye, oven]`"
    )]
    fn a_term_that_holds_separators(#[case] front: &str, #[case] expected: &str) {
        let found = lints("", &[front], "");
        assert_eq!(found.len(), 1, "{found:?}");
        assert!(found[0].ends_with(expected), "{found:?}");
    }

    #[rstest]
    #[case::two_words("tags: [rye, stone oven]")]
    #[case::an_author("author: [Ann, Lee, Ann Lee]")]
    fn a_term_of_several_words(#[case] front: &str) {
        assert_eq!(lints("", &[front], ""), [""; 0]);
    }
}
