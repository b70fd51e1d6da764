//! The four most similar documents of every document, by tags and category alone and with the words of
//! titles and texts, beside the time of building the index.
//!
//! `cargo bench -p tabulae-similarity` measures 10,000 documents; other numbers by `-- 100000`.

#![allow(missing_docs, reason = "a bench, not a library")]
#![allow(clippy::print_stdout, reason = "a bench prints its table")]
#![allow(clippy::cast_precision_loss, reason = "numbers of a bench are small")]
#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "numbers of a bench are small"
)]
#![allow(
    clippy::disallowed_methods,
    reason = "a bench is where time is measured"
)]

use std::sync::Arc;
use std::time::Instant;

use tabulae_similarity::{CountMatrix, Doc, Field, Index, Search, Term, Tuning};

/// Numbers that look random and are the same in each run (SplitMix64).
struct Dice(u64);

impl Dice {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A rank after Zipf's law with a flattened head (Mandelbrot).
    fn zipf(&mut self, ranks: u32, offset: f64) -> u32 {
        let unit = (self.next() >> 11) as f64 / (1u64 << 53) as f64;
        let whole = (f64::from(ranks) + offset) / offset;
        let rank = (offset * whole.powf(unit) - offset) as u32;
        rank.min(ranks - 1)
    }

    /// A matrix of rows of `length` draws.
    fn matrix(&mut self, rows: u32, length: u32, ranks: u32, offset: f64) -> Arc<CountMatrix> {
        let mut matrix = CountMatrix::default();
        for _ in 0..rows {
            let mut draws: Vec<u32> = (0..length).map(|_| self.zipf(ranks, offset)).collect();
            draws.sort_unstable();
            let row = draws.chunk_by(|a, b| a == b);
            matrix.push(row.map(|same| (Term(same[0]), same.len() as u32)));
        }
        Arc::new(matrix)
    }
}

fn main() {
    let words = std::env::args().skip(1);
    let mut sizes: Vec<u32> = words.filter_map(|word| word.parse().ok()).collect();
    if sizes.is_empty() {
        sizes = vec![10_000];
    }
    println!(
        "{:>9} {:<12} {:>9} {:>12}",
        "documents", "fields", "index", "a search"
    );
    for size in sizes {
        let mut dice = Dice(7);
        let field = |counts, weight| Field {
            counts,
            weight,
            required: false,
        };
        let tags = dice.matrix(size, 3, (size / 20).max(30), 1.0);
        let categories = dice.matrix(size, 1, 12, 1.0);
        let titles = dice.matrix(size, 5, 20_000, 5.0);
        let texts = dice.matrix(size, 260, 20_000, 30.0);
        let terms = vec![field(tags.clone(), 0.6), field(categories.clone(), 0.4)];
        let all = vec![
            field(tags, 3.0 / 7.0),
            field(categories, 2.0 / 7.0),
            field(titles, 1.0 / 7.0),
            field(texts.clone(), 1.0 / 7.0),
        ];
        for (name, fields) in [
            ("terms", terms),
            ("all", all),
            ("texts", vec![field(texts, 1.0)]),
        ] {
            measure(size, name, fields);
        }
    }
}

fn measure(size: u32, name: &str, fields: Vec<Field>) {
    let docs: Vec<Doc> = (0..size).map(Doc).collect();
    let began = Instant::now();
    let index = Index::new(fields, docs.clone(), Tuning::default());
    let built = began.elapsed();
    let began = Instant::now();
    let step = (size as usize / 2_000).max(1);
    let mut found = 0;
    for query in docs.iter().step_by(step) {
        let search = Search {
            query: *query,
            k: 4,
            with_ties: false,
        };
        found += index.top_k(search, |doc| doc != *query).len();
    }
    let searches = docs.len().div_ceil(step);
    assert!(found > 0);
    println!(
        "{size:>9} {name:<12} {:>6.0} ms {:>9.1} µs",
        built.as_secs_f64() * 1e3,
        began.elapsed().as_secs_f64() * 1e6 / searches as f64
    );
}
