//! Writes a made-up engineering blog, the same for the same seed: `write_blog FOLDER [POSTS [SEED]]`.

#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_precision_loss,
    clippy::cast_sign_loss,
    reason = "sizes of texts are small"
)]

#[path = "../benches/generator/mod.rs"]
mod generator;

use std::path::PathBuf;

fn main() {
    let mut words = std::env::args().skip(1);
    let folder = words.next().expect("write_blog FOLDER [POSTS [SEED]]");
    let mut number = |or: u64| {
        let word = words.next();
        word.map_or(or, |word| word.parse().expect("a whole number"))
    };
    let (posts, seed) = (number(1_000), number(7));
    let posts = usize::try_from(posts).expect("a number of posts");
    generator::engineering::write_blog(&PathBuf::from(folder), posts, seed);
}
