//! Writes the posts of each tag as JSON for other programs: `cargo run --example json_api -- SITE FOLDER`.

use std::collections::BTreeMap;
use std::error::Error;
use std::path::PathBuf;

use serde_json::{Value, json};
use tabulae_engine::{Direction, Query, Workspace, field};

fn main() -> Result<(), Box<dyn Error>> {
    let mut arguments = std::env::args().skip(1);
    let folder = arguments.next().unwrap_or_else(|| ".".to_owned());
    let out = PathBuf::from(arguments.next().unwrap_or_else(|| "api".to_owned()));
    std::fs::create_dir_all(&out)?;
    for (name, object) in by_tag(&Workspace::open(folder)?)? {
        let text = serde_json::to_string_pretty(&object)?;
        std::fs::write(out.join(name), text)?;
    }
    Ok(())
}

/// Returns an object for each tag, by the name of its file.
pub(crate) fn by_tag(site: &Workspace) -> Result<BTreeMap<String, Value>, tabulae_engine::Error> {
    let mut files = BTreeMap::new();
    for (tag, slug, count) in site.query(Query::all())?.count_by("tag")? {
        let of_tag = Query::all()
            .filter(field("tag").eq(tag.as_str()))
            .order_by("date", Direction::Descending);
        let posts = site.query(of_tag)?.into_iter().map(|post| {
            json!({ "title": post.title(), "link": post.link(), "date": post.date().to_string() })
        });
        let object = json!({ "tag": tag, "count": count, "posts": posts.collect::<Vec<_>>() });
        files.insert(format!("{slug}.json"), object);
    }
    Ok(files)
}
