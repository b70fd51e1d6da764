//! Lists posts of a site: `cargo run --example list -- SITE [QUERY]`.

use std::fmt::Write as _;

use tabulae_engine::{Error, Workspace};

#[expect(clippy::print_stdout, reason = "a program for a terminal")]
fn main() -> Result<(), Error> {
    let mut arguments = std::env::args().skip(1);
    let folder = arguments.next().unwrap_or_else(|| ".".to_owned());
    let query = arguments.next();
    let query = query.as_deref().unwrap_or("order by date desc limit 10");
    print!("{}", list(&Workspace::open(folder)?, query)?);
    Ok(())
}

/// Returns a line for each post of a query, and one with their number.
pub(crate) fn list(site: &Workspace, query: &str) -> Result<String, Error> {
    let posts = site.query(query)?;
    let mut text = String::new();
    for warning in posts.warnings() {
        let _ = writeln!(text, "{warning}");
    }
    for post in posts.iter() {
        let _ = writeln!(text, "{:<10} {}", post.date(), post.title());
    }
    let _ = writeln!(text, "{} of {} posts", posts.len(), posts.total());
    Ok(text)
}
