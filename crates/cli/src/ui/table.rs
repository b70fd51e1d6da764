//! Tables that fit the terminal: columns of text give way, those of numbers and dates do not.

use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

/// The width of a table if no terminal gives one.
const WIDE: usize = 120;
/// The separator of two columns.
const GAP: &str = "  ";

/// A column.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Column {
    gives: Gives,
    right: bool,
}

/// The way in which a column shrinks if the table is too wide.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Gives {
    Nothing,
    ItsEnd,
    ItsStart,
}

impl Column {
    /// Text that may lose its end.
    pub(crate) fn text() -> Self {
        Self {
            gives: Gives::ItsEnd,
            right: false,
        }
    }

    /// A path, which may lose its start.
    pub(crate) fn path() -> Self {
        Self {
            gives: Gives::ItsStart,
            right: false,
        }
    }

    /// Text that is always whole.
    pub(crate) fn fixed() -> Self {
        Self {
            gives: Gives::Nothing,
            right: false,
        }
    }

    /// Numbers, aligned right.
    pub(crate) fn number() -> Self {
        Self {
            gives: Gives::Nothing,
            right: true,
        }
    }
}

/// Rows under one another.
#[derive(Debug)]
pub(crate) struct Table {
    columns: Vec<Column>,
    rows: Vec<Vec<String>>,
}

impl Table {
    pub(crate) fn new(columns: Vec<Column>) -> Self {
        Self {
            columns,
            rows: Vec::new(),
        }
    }

    pub(crate) fn row(&mut self, cells: Vec<String>) {
        self.rows.push(cells);
    }

    /// The table as text, as wide as the terminal at most.
    pub(crate) fn show(&self) -> String {
        let width = terminal_size::terminal_size().map_or(WIDE, |(width, _)| usize::from(width.0));
        self.fit(width)
    }

    fn fit(&self, width: usize) -> String {
        let widths = self.widths(width);
        let mut out = String::new();
        for row in &self.rows {
            let cells =
                row.iter()
                    .zip(&self.columns)
                    .zip(&widths)
                    .map(|((cell, column), width)| {
                        let cell = cut(cell, *width, column.gives);
                        let blank = " ".repeat(width.saturating_sub(cell.width()));
                        if column.right {
                            format!("{blank}{cell}")
                        } else {
                            format!("{cell}{blank}")
                        }
                    });
            let line = cells.collect::<Vec<_>>().join(GAP);
            out.push_str(line.trim_end());
            out.push('\n');
        }
        out
    }

    /// The widest column that may give way does so, until the table fits.
    fn widths(&self, width: usize) -> Vec<usize> {
        let widest = |at: usize| {
            self.rows
                .iter()
                .map(|row| row[at].width())
                .max()
                .unwrap_or(0)
        };
        let mut widths: Vec<usize> = (0..self.columns.len()).map(widest).collect();
        let gaps = GAP.len() * self.columns.len().saturating_sub(1);
        while widths.iter().sum::<usize>() + gaps > width {
            let giving = (0..widths.len())
                .filter(|at| self.columns[*at].gives != Gives::Nothing && widths[*at] > 12);
            match giving.max_by_key(|at| widths[*at]) {
                Some(at) => widths[at] -= 1,
                None => break,
            }
        }
        widths
    }
}

/// The length of the longest bar, in characters.
const BAR: usize = 30;

/// A bar for a count, as long as any where it is the greatest; no shorter than one character.
pub(crate) fn bar(count: usize, most: usize) -> String {
    "█".repeat((count * BAR).div_ceil(most.max(1)))
}

/// A text that is at most so wide, with an ellipsis where something is left out.
fn cut(text: &str, width: usize, gives: Gives) -> String {
    if text.width() <= width || gives == Gives::Nothing {
        return text.to_owned();
    }
    let mut kept: Vec<char> = Vec::new();
    let mut used = 1;
    let chars: Box<dyn Iterator<Item = char>> = if gives == Gives::ItsStart {
        Box::new(text.chars().rev())
    } else {
        Box::new(text.chars())
    };
    for c in chars {
        used += c.width().unwrap_or(0);
        if used > width {
            break;
        }
        kept.push(c);
    }
    if gives == Gives::ItsStart {
        kept.push('…');
        kept.reverse();
    } else {
        kept.push('…');
    }
    kept.into_iter().collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_widest_column_gives_way_first() {
        let mut table = Table::new(vec![Column::fixed(), Column::text(), Column::path()]);
        table.row(vec![
            "2026-03-14".into(),
            "Lime".into(),
            "posts/2026/a-very-long-name-of-a-file.md".into(),
        ]);
        table.row(vec![
            "2026-03-15".into(),
            "運河運河".into(),
            "posts/b.md".into(),
        ]);
        assert_eq!(
            table.fit(40),
            "2026-03-14  Lime      …g-name-of-a-file.md\n2026-03-15  運河運河  posts/b.md\n"
                .replace("…g-name", "…name")
        );
    }

    #[test]
    fn numbers_stand_right() {
        let mut table = Table::new(vec![Column::text(), Column::number()]);
        table.row(vec!["a".into(), "9".into()]);
        table.row(vec!["b".into(), "10".into()]);
        assert_eq!(table.fit(80), "a   9\nb  10\n");
    }
}
