//! The feeds of the example site, as the program writes them.

use std::process::Command;

use tabulae_engine::{Destination, DiskOutput};
use tempfile::TempDir;

#[test]
fn every_feed_is_read_by_a_parser_of_someone_else() {
    let folder = TempDir::new().unwrap();
    let site = folder.path().join("towpath");
    let made = Command::new(tabulae_checks::program().unwrap())
        .arg("demo")
        .arg(&site)
        .output();
    assert!(made.unwrap().status.success());
    let mut read = 0;
    let out = DiskOutput::new(site.join("out")).unwrap();
    for name in out.list().unwrap() {
        let bytes = std::fs::read(site.join("out").join(&name)).unwrap();
        let is_feed = name.ends_with("atom.xml")
            || name.ends_with("rss.xml")
            || name.ends_with("feed.json")
            || name == "works.xml";
        if is_feed {
            let feed = feed_rs::parser::parse(bytes.as_slice())
                .unwrap_or_else(|error| panic!("{name}: {error}"));
            assert!(
                !feed.entries.is_empty() && feed.entries.iter().all(|entry| entry.title.is_some()),
                "{name}"
            );
            read += 1;
        }
    }
    // Nine in English; in German three of the journal, and one of each of three categories.
    assert_eq!(read, 15);
}
