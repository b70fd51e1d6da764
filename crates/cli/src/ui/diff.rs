//! Changes of source files as a unified diff.

use std::fmt::Write as _;

use anstyle::{AnsiColor, Style};
use serde_json::{Value, json};
use similar::{ChangeTag, TextDiff};
use tabulae_engine::FileChange;

use super::BOLD;

const REMOVED: Style = AnsiColor::Red.on_default();
const ADDED: Style = AnsiColor::Green.on_default();

/// The number of unchanged lines around a change.
const CONTEXT: usize = 2;

/// Returns a unified diff of all files, with paths below the site's folder.
pub(crate) fn diff(changes: &[FileChange]) -> String {
    let mut text = String::new();
    for change in changes {
        let old = match change.before {
            Some(_) => change.path.as_str(),
            None => "/dev/null",
        };
        let _ = writeln!(text, "{BOLD}--- {old}{BOLD:#}");
        let new = match change.after {
            Some(_) => change.path.as_str(),
            None => "/dev/null",
        };
        let _ = writeln!(text, "{BOLD}+++ {new}{BOLD:#}");
        let before = change.before.as_deref().unwrap_or_default();
        let diff = TextDiff::from_lines(before, change.after.as_deref().unwrap_or_default());
        let mut unified = diff.unified_diff();
        for hunk in unified.context_radius(CONTEXT).iter_hunks() {
            let _ = writeln!(text, "{}", hunk.header());
            for line in hunk.iter_changes() {
                let (sign, style) = match line.tag() {
                    ChangeTag::Equal => (' ', Style::new()),
                    ChangeTag::Delete => ('-', REMOVED),
                    ChangeTag::Insert => ('+', ADDED),
                };
                let shown = line.value().trim_end_matches(['\n', '\r']);
                let _ = writeln!(text, "{style}{sign}{shown}{style:#}");
            }
        }
    }
    text
}

/// Returns the changes for programs: of each file the path, and the texts before and after, null for a file that is not there.
pub(crate) fn changes_json(changes: &[FileChange]) -> Value {
    let each = changes.iter().map(
        |change| json!({ "path": change.path, "before": change.before, "after": change.after }),
    );
    each.collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_diff_shows_the_lines_around_a_change() {
        let changes = [
            FileChange {
                path: "posts/a.md".to_owned(),
                before: Some("---\ntilte: A\ndate: x\n---\nOne.\n".to_owned()),
                after: Some("---\ntitle: A\ndate: x\n---\nOne.\n".to_owned()),
            },
            FileChange {
                path: "terms/tag/lime.md".to_owned(),
                before: None,
                after: Some("---\ntitle: Lime\n---\n".to_owned()),
            },
        ];
        let expected = "\
--- posts/a.md
+++ posts/a.md
@@ -1,4 +1,4 @@
 ---
-tilte: A
+title: A
 date: x
 ---
--- /dev/null
+++ terms/tag/lime.md
@@ -0,0 +1,3 @@
+---
+title: Lime
+---
";
        assert_eq!(
            anstream::adapter::strip_str(&diff(&changes)).to_string(),
            expected
        );
    }
}
