//! Page numbers: how a list is cut into pages.

use std::num::NonZeroUsize;
use std::ops::Range;

/// One page of a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pager {
    /// The page's number, from 1.
    pub number: usize,
    /// The number of pages, at least 1.
    pub pages: usize,
    /// The number of items of the whole list.
    pub total: usize,
    per_page: usize,
}

impl Pager {
    /// All pages of a list of `total` items, first to last. An empty list has one page; without
    /// `per_page` everything is on one.
    pub fn all(total: usize, per_page: Option<NonZeroUsize>) -> impl Iterator<Item = Self> {
        let per_page = per_page.map_or(total.max(1), NonZeroUsize::get);
        let pages = total.div_ceil(per_page).max(1);
        (1..=pages).map(move |number| Self {
            number,
            pages,
            total,
            per_page,
        })
    }

    /// The indexes of this page's items.
    #[must_use]
    pub fn items(&self) -> Range<usize> {
        let start = (self.number - 1) * self.per_page;
        start.min(self.total)..(start + self.per_page).min(self.total)
    }

    /// The page with newer items.
    #[must_use]
    pub fn newer(&self) -> Option<usize> {
        (self.number > 1).then(|| self.number - 1)
    }

    /// The page with older items.
    #[must_use]
    pub fn older(&self) -> Option<usize> {
        (self.number < self.pages).then_some(self.number + 1)
    }

    /// Returns the numbers to link to: the first, the last, this one and two on each side; `None` is a gap of two
    /// or more.
    #[must_use]
    pub fn numbers(&self) -> Vec<Option<usize>> {
        let near = |number: usize| {
            number == 1 || number == self.pages || number.abs_diff(self.number) <= 2
        };
        let mut numbers: Vec<Option<usize>> = Vec::new();
        let mut last = 0;
        for number in (1..=self.pages).filter(|number| near(*number)) {
            match number - last {
                1 => {}
                2 => numbers.push(Some(number - 1)),
                _ => numbers.push(None),
            }
            numbers.push(Some(number));
            last = number;
        }
        numbers
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::exact(6, Some(3), "0-3 3-6")]
    #[case::rest(7, Some(3), "0-3 3-6 6-7")]
    #[case::empty(0, Some(3), "0-0")]
    #[case::all_on_one(7, None, "0-7")]
    #[case::one_each(2, Some(1), "0-1 1-2")]
    fn pages_hold_every_item_once(
        #[case] total: usize,
        #[case] per_page: Option<usize>,
        #[case] expected: &str,
    ) {
        let ranges = Pager::all(total, per_page.and_then(NonZeroUsize::new)).map(|p| p.items());
        let pages: Vec<_> = ranges.map(|r| format!("{}-{}", r.start, r.end)).collect();
        assert_eq!(pages.join(" "), expected);
    }

    #[rstest]
    #[case::few(1, 3, "1 2 3")]
    #[case::gap_after(1, 9, "1 2 3 … 9")]
    #[case::gaps(5, 9, "1 2 3 4 5 6 7 8 9")]
    #[case::both_gaps(10, 20, "1 … 8 9 10 11 12 … 20")]
    #[case::last(20, 20, "1 … 18 19 20")]
    #[case::no_gap_of_one(4, 6, "1 2 3 4 5 6")]
    fn numbers_leave_gaps(#[case] number: usize, #[case] pages: usize, #[case] expected: &str) {
        let pager = Pager {
            number,
            pages,
            total: pages,
            per_page: 1,
        };
        let shown: Vec<_> = pager
            .numbers()
            .iter()
            .map(|n| n.map_or("…".to_owned(), |n| n.to_string()))
            .collect();
        assert_eq!(shown.join(" "), expected);
    }

    #[test]
    fn the_ends_have_no_neighbour() {
        let pages: Vec<_> = Pager::all(3, NonZeroUsize::new(1)).collect();
        assert_eq!((pages[0].newer(), pages[0].older()), (None, Some(2)));
        assert_eq!((pages[2].newer(), pages[2].older()), (Some(2), None));
    }
}
