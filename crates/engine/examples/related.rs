//! Shows the related posts of a post, and what they share: `cargo run --example related -- SITE POST`.

use std::fmt::Write as _;

use tabulae_engine::{Error, Workspace};

#[expect(clippy::print_stdout, reason = "a program for a terminal")]
fn main() -> Result<(), Error> {
    let mut arguments = std::env::args().skip(1);
    let folder = arguments.next().unwrap_or_else(|| ".".to_owned());
    let post = arguments.next().unwrap_or_default();
    print!("{}", related(&Workspace::open(folder)?, &post)?);
    Ok(())
}

/// Returns the title of a post, and a line for each related post and each field in which they are alike.
pub(crate) fn related(site: &Workspace, post: &str) -> Result<String, Error> {
    let mut text = format!("{}\n", site.post(post)?.title());
    for related in site.related(post)? {
        let _ = writeln!(text, "  {:.3} {}", related.score(), related.post.title());
        for shared in related.shared.iter().filter(|shared| shared.part > 0) {
            let _ = writeln!(text, "    {}: {}", shared.field, shared.terms.join(", "));
        }
    }
    Ok(text)
}
