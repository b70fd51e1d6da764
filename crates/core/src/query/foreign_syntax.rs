//! Words that people bring along from other languages, and the right form for each.

use crate::diagnostic::Help;

/// Words for a comparison, or for one of the words that follow a field.
const TESTS: &[(&[&str], &str)] = &[
    (&["equals", "eq", "equal", "are"], "write `=`"),
    (&["ne", "isnt", "differs"], "write `!=`"),
    (&["before", "lt", "below", "under"], "write `<`"),
    (&["after", "gt", "since", "above", "over"], "write `>`"),
    (&["lte", "until"], "write `<=`"),
    (&["gte"], "write `>=`"),
    (&["within", "during"], "write `in`"),
    (
        &["includes", "include", "having", "contain", "intersects"],
        "write `= 'lime'` or `has any ('lime', 'masonry')`; within a text, `contains 'lime'`",
    ),
    (
        &["startswith", "starting", "begins"],
        "write `starts with 'L'`",
    ),
    (&["endswith", "ending"], "write `ends with 'e'`"),
    (&["exists"], "write `is not missing`"),
];

/// Words that begin a clause.
const CLAUSES: &[(&[&str], &str)] = &[
    (&["sort", "sorted", "orderby"], "write `order by date desc`"),
    (
        &["take", "top", "first", "max", "count", "fetch"],
        "write `limit 5`",
    ),
    (&["skip", "start"], "write `limit 5 offset 10`"),
    (
        &["newest", "latest", "recent", "last"],
        "the newest are first by default: write `from posts limit 5`",
    ),
    (
        &["per", "paginate", "page"],
        "a query has one `limit`; pages are made by `per_page = 10` in [archive.NAME]",
    ),
    (&["oldest"], "write `from posts order by date limit 5`"),
    (&["tagged"], "write `where tag = 'lime'`"),
    (
        &["all", "every"],
        "leave it out: `from posts` is all of them",
    ),
    (&["filter", "when", "if", "having", "with"], "write `where`"),
    (
        &["group"],
        "a query does not group: an archive does with `by = \"year\"`, the command line with `--by year`",
    ),
    (
        &["join", "union"],
        "posts of several content sets are `from posts, fleet`",
    ),
];

fn find(table: &[(&[&str], &'static str)], word: &str) -> Option<Help> {
    let word = word.to_ascii_lowercase();
    let found = table
        .iter()
        .find(|(words, _)| words.contains(&word.as_str()));
    found.map(|(_, text)| help(text))
}

/// Returns a help, which says what to write in place of a word or sign if that is a word or sign as well.
fn help(text: &'static str) -> Help {
    let new = text
        .strip_prefix("write `")
        .and_then(|rest| rest.strip_suffix('`'));
    match new.filter(|new| !new.contains([' ', '\'', '`', '(', ':'])) {
        Some(new) => Help::write(new),
        None => text.into(),
    }
}

/// Returns the replacement of a word that follows a field.
pub(super) fn test(word: &str) -> Option<Help> {
    find(TESTS, word)
}

/// Returns the replacement of a word that is to begin a clause.
pub(super) fn clause(word: &str) -> Option<Help> {
    find(CLAUSES, word)
}

/// Returns the help for a word that is meant to exclude posts.
pub(super) fn exclusion(word: &str) -> Option<Help> {
    let words = ["exclude", "excluding", "except", "without", "minus", "omit"];
    let is_one = words.contains(&word.to_ascii_lowercase().as_str());
    is_one.then(|| help("to leave posts out, turn a test around: `and not current`, or `where not current` as the first"))
}

/// Returns the help for a text that is an expression of a template: `{{ post.category }}`.
pub(super) fn template_value(text: &str) -> Option<String> {
    let inner = text.trim().strip_prefix("{{")?.strip_suffix("}}")?.trim();
    let is_path = inner
        .chars()
        .all(|c| c.is_alphanumeric() || "._".contains(c));
    let field = of_this(inner).filter(|_| is_path)?;
    Some(format!(
        "write `this.{field}` without quotes for the post whose page is being made"
    ))
}

/// Returns the field of a name such as `post.category`, which is meant as `this.category`.
pub(super) fn of_this(name: &str) -> Option<&str> {
    let owners = ["post.", "current.", "page.", "self.", "this."];
    let field = owners.iter().find_map(|owner| name.strip_prefix(owner))?;
    (!field.is_empty()).then_some(field)
}

/// Returns the replacement of a character that is not of the language.
pub(super) fn character(c: char) -> Help {
    help(match c {
        '‘' | '’' | '“' | '”' | '„' | '‚' | '«' | '»' => {
            "write texts in straight quotes: 'lime'"
        }
        '#' => "a query has no comments; write texts in quotes",
        '{' | '}' => {
            "pass the value by its name: `query(\"… = :tag\", tag=tag)`; write conditions and lists in parentheses"
        }
        '@' | '$' => "a parameter is written `:name`, a field by its name alone",
        '~' | '%' => "to look within a text, write `contains 'lime'`",
        '/' => "write a regular expression in quotes: `matches 'gate|lock'`",
        '≤' => "write `<=`",
        '≥' => "write `>=`",
        '≠' => "write `!=`",
        _ => "write texts in quotes, and unusual names in backquotes",
    })
}

/// Returns the replacement of a field's name that is a word for something else.
pub(super) fn name(word: &str) -> Option<&'static str> {
    match word.to_ascii_lowercase().as_str() {
        "yesterday" => Some("write `today - 1 day`"),
        "tomorrow" => Some("write `today + 1 day`"),
        "id" => Some("name a post by its slug or its path: `slug = 'lime'`"),
        "rand" | "shuffle" | "rnd" => {
            Some("write `random(7)`, or `random(today)` for another order each day")
        }
        "self" => Some("the post whose page is being made is `this`: `this.category`"),
        _ => None,
    }
}
