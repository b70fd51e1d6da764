//! Documents by terms, as counts in compressed sparse row format (CSR).

/// The number of a document: its row in every matrix.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Doc(pub u32);

/// The number of a term within its field: its column in the field's matrix.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Term(pub u32);

impl Doc {
    pub(crate) fn at(self) -> usize {
        self.0 as usize
    }
}

impl Term {
    pub(crate) fn at(self) -> usize {
        self.0 as usize
    }
}

/// The terms of each document with their counts. Takes six bytes per term of a document.
#[derive(Debug, Clone)]
pub struct CountMatrix {
    /// The start of each row, and the end of the last.
    starts: Vec<usize>,
    terms: Vec<Term>,
    counts: Vec<u16>,
    /// One more than the highest term.
    width: usize,
}

impl Default for CountMatrix {
    fn default() -> Self {
        Self {
            starts: vec![0],
            terms: Vec::new(),
            counts: Vec::new(),
            width: 0,
        }
    }
}

impl CountMatrix {
    /// Creates an empty matrix with room for the terms of all documents together.
    #[must_use]
    pub fn with_capacity(entries: usize) -> Self {
        Self {
            terms: Vec::with_capacity(entries),
            counts: Vec::with_capacity(entries),
            ..Self::default()
        }
    }

    /// Adds the row of the next document: its terms in rising order, each once, with its count from
    /// 1. Counts above 65,535 count as 65,535.
    pub fn push(&mut self, row: impl IntoIterator<Item = (Term, u32)>) {
        let start = self.terms.len();
        for (term, count) in row {
            debug_assert!(self.terms[start..].last().is_none_or(|last| *last < term));
            self.terms.push(term);
            self.counts.push(u16::try_from(count).unwrap_or(u16::MAX));
        }
        let end = self.terms[start..].last();
        self.width = self.width.max(end.map_or(0, |last| last.at() + 1));
        self.starts.push(self.terms.len());
    }

    /// Returns the row of a document.
    ///
    /// # Panics
    /// If there is no such row.
    #[must_use]
    pub fn row(&self, doc: Doc) -> Row<'_> {
        let entries = self.starts[doc.at()]..self.starts[doc.at() + 1];
        Row {
            terms: &self.terms[entries.clone()],
            counts: &self.counts[entries],
        }
    }

    /// Returns the number of rows.
    #[must_use]
    pub fn height(&self) -> usize {
        self.starts.len() - 1
    }

    /// Returns the number of columns: one more than the highest term.
    #[must_use]
    pub fn width(&self) -> usize {
        self.width
    }
}

/// The maximum number of terms in a piece of a row.
pub(crate) const PIECE: usize = 64;

/// The terms of one document with their counts.
#[derive(Debug, Clone, Copy)]
pub struct Row<'a> {
    /// The terms, in rising order.
    pub terms: &'a [Term],
    counts: &'a [u16],
}

impl<'a> Row<'a> {
    /// Iterates over terms and counts, in rising order of the terms.
    pub fn iter(self) -> impl ExactSizeIterator<Item = (Term, u16)> + use<'a> {
        self.terms.iter().copied().zip(self.counts.iter().copied())
    }

    /// Splits the row into rows of up to [`PIECE`] terms.
    pub(crate) fn pieces(self) -> impl Iterator<Item = Self> {
        let counts = self.counts.chunks(PIECE);
        let pieces = self.terms.chunks(PIECE).zip(counts);
        pieces.map(|(terms, counts)| Self { terms, counts })
    }

    /// Returns a term and its count by their position in the row.
    pub(crate) fn entry(self, at: usize) -> (Term, u16) {
        (self.terms[at], self.counts[at])
    }

    /// Calls `see` with each term that both rows have and its counts, in rising order. Takes time
    /// linear in the length of both rows.
    pub(crate) fn intersect(self, other: Self, mut see: impl FnMut(Term, u16, u16)) {
        let (mut left, mut right) = (self.iter().peekable(), other.iter().peekable());
        while let (Some((a, count_a)), Some((b, count_b))) = (left.peek(), right.peek()) {
            let (a, b, counts) = (*a, *b, (*count_a, *count_b));
            if a == b {
                see(a, counts.0, counts.1);
            }
            if a <= b {
                left.next();
            }
            if b <= a {
                right.next();
            }
        }
    }
}
