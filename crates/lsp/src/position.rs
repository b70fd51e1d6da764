//! Positions of the Language Server Protocol, whose characters are UTF-16 code units, and bytes and columns of texts.

use lsp_types::{Position, Range};
use tabulae_core::source::Location;

/// Returns the byte at a position; the end of the line or of the text for one beyond it.
pub(crate) fn offset(text: &str, position: Position) -> usize {
    let mut start = 0;
    for _ in 0..position.line {
        match text[start..].find('\n') {
            Some(at) => start += at + 1,
            None => return text.len(),
        }
    }
    let line = text[start..].split('\n').next().unwrap_or_default();
    let line = line.strip_suffix('\r').unwrap_or(line);
    let mut units = 0;
    for (at, c) in line.char_indices() {
        if units >= position.character {
            return start + at;
        }
        units += units_of(c);
    }
    start + line.len()
}

/// Returns the position of a byte; that of the character that it is in, and the end of the text for one beyond it.
pub(crate) fn position(text: &str, offset: usize) -> Position {
    let mut offset = offset.min(text.len());
    while !text.is_char_boundary(offset) {
        offset -= 1;
    }
    let before = &text[..offset];
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    let line = before.matches('\n').count();
    let units: u32 = before[start..].chars().map(units_of).sum();
    Position::new(u32::try_from(line).unwrap_or(u32::MAX), units)
}

/// Returns the range of bytes of a text.
pub(crate) fn range(text: &str, start: usize, end: usize) -> Range {
    Range::new(position(text, start), position(text, end))
}

/// Returns the range that a location marks in the text of its file; of a file as a whole its first character.
pub(crate) fn range_of(text: &str, location: &Location) -> Range {
    let marks = location.excerpt.is_some();
    let width = if marks { location.width } else { 0 };
    range_of_columns(text, location.line, location.column, width)
}

/// Returns the range of `width` characters at a line and column, which count from 1.
pub(crate) fn range_of_columns(text: &str, line: usize, column: usize, width: usize) -> Range {
    let Some(start) = tabulae_core::edit::offset(text, line, column) else {
        return range(text, text.len(), text.len());
    };
    let marked = text[start..].chars().take(width);
    let length: usize = marked.map(char::len_utf8).sum();
    range(text, start, start + length)
}

fn units_of(c: char) -> u32 {
    if c.len_utf16() == 2 { 2 } else { 1 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case::start("abc", 0, 0, 0)]
    #[case::two_units("😀b", 0, 2, 4)]
    #[case::within_a_character("😀b", 0, 1, 4)]
    #[case::second_line("a\nbc", 1, 1, 3)]
    #[case::beyond_a_line("a\r\nbc", 0, 9, 1)]
    #[case::beyond_the_text("a\n", 9, 9, 2)]
    fn a_position_is_a_byte(
        #[case] text: &str,
        #[case] line: u32,
        #[case] character: u32,
        #[case] expected: usize,
    ) {
        assert_eq!(offset(text, Position::new(line, character)), expected);
    }

    proptest! {
        /// Each character boundary is found again by its position, but for those between the two of a line's end.
        #[test]
        fn bytes_are_found_by_their_positions(text in "[aä😀\n]{0,12}") {
            for at in (0..=text.len()).filter(|at| text.is_char_boundary(*at)) {
                prop_assert_eq!(offset(&text, position(&text, at)), at);
            }
        }
    }
}
