//! The paths in an expression of a template, such as `post.image`.

/// Returns the paths in an expression, without functions, the names of arguments, and texts in quotes.
pub(super) fn paths(expression: &str) -> Vec<&str> {
    let is_of_path = |c: char| c.is_alphanumeric() || "._".contains(c);
    let length = |text: &str| text.find(|c: char| !is_of_path(c)).unwrap_or(text.len());
    let mut paths = Vec::new();
    let mut rest = expression;
    while let Some(c) = rest.chars().next() {
        if c == '"' || c == '\'' {
            let inside = &rest[1..];
            rest = inside.find(c).map_or("", |end| &inside[end + 1..]);
        } else if c.is_alphabetic() || c == '_' {
            let end = length(rest);
            let (path, after) = rest.split_at(end + index_length(&rest[end..]));
            let is_argument = after.starts_with('=') && !after.starts_with("==");
            if !after.starts_with('(') && !is_argument {
                paths.push(path);
            }
            // What follows an index belongs to the value.
            rest = &after[length(after)..];
        } else if c.is_ascii_digit() || c == '.' {
            rest = &rest[length(rest).max(1)..];
        } else {
            rest = &rest[c.len_utf8()..];
        }
    }
    paths
}

/// Returns the length of an index such as `[0]` that a text begins with.
fn index_length(text: &str) -> usize {
    let end = text.strip_prefix('[').and_then(|inside| inside.find(']'));
    let digits = end.map(|end| &text[1..=end]);
    match digits {
        Some(digits) if digits.bytes().all(|b| b.is_ascii_digit()) => digits.len() + 2,
        _ => 0,
    }
}

/// Returns the start of the path within which a byte is: the engine names only the last part of `post.tags[0].name`.
pub(super) fn start_of_path(text: &str, at: usize) -> usize {
    let rest = text.get(at..).unwrap_or_default();
    let is_within = rest.starts_with(['.', '[']);
    let is_of_path = |c: char| c.is_alphanumeric() || "._[]".contains(c);
    match text.get(..at).filter(|_| is_within) {
        Some(before) => before.trim_end_matches(is_of_path).len(),
        None => at,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::a_path("post.image", &["post.image"])]
    #[case::functions_and_texts("link(site.title, \"post.x\")", &["site.title"])]
    #[case::named_arguments("query('where a = :c', c=site.titel)", &["site.titel"])]
    #[case::a_comparison("a == b", &["a", "b"])]
    #[case::an_index("post.tags[0].name + x", &["post.tags[0]", "x"])]
    #[case::an_index_by_name("site.title[numbr]", &["site.title", "numbr"])]
    #[case::numbers("1.5 + x1", &["x1"])]
    #[case::a_field_of_a_result("query('limit 1').title", &[])]
    #[case::an_open_quote("x ~ 'y", &["x"])]
    fn paths_are_found(#[case] expression: &str, #[case] expected: &[&str]) {
        assert_eq!(paths(expression), expected);
    }

    #[rstest]
    #[case::within_a_path("{{ post.tags[0].name }}", 12, 3)]
    #[case::at_its_start("{{ post.tags }}", 3, 3)]
    #[case::beyond_the_text("{{ x }}", 99, 99)]
    fn a_part_of_a_path_leads_to_its_start(
        #[case] text: &str,
        #[case] at: usize,
        #[case] expected: usize,
    ) {
        assert_eq!(start_of_path(text, at), expected);
    }
}
