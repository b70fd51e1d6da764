//! Assets that are larger than memory should be.

use std::io;
use std::sync::Arc;

use super::bench::{collected, said};
use super::{Out, small};
use crate::Workspace;
use crate::options::BuildOptions;
use crate::source::{FileStamp, MemorySources, Sources};

/// Sources whose large files can only be opened, and of which one breaks off within.
#[derive(Debug, Clone)]
struct Streamed {
    memory: MemorySources,
    breaks_off: Option<&'static str>,
}

/// A reader that fails where its file would end.
struct BreaksOff<R>(R);

impl<R: io::Read> io::Read for BreaksOff<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self.0.read(buffer) {
            Ok(0) => Err(io::ErrorKind::UnexpectedEof.into()),
            read => read,
        }
    }
}

impl Sources for Streamed {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        self.memory.list(folder)
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        assert!(self.memory.size(path)? < 1 << 21, "{path} is read whole");
        self.memory.read(path)
    }

    fn open(&self, path: &str) -> io::Result<Box<dyn io::Read + '_>> {
        let whole = io::Cursor::new(self.memory.read(path)?);
        Ok(if self.breaks_off == Some(path) {
            Box::new(BreaksOff(whole))
        } else {
            Box::new(whole)
        })
    }

    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>> {
        self.memory.stamp(path)
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        self.memory.size(path)
    }

    fn share(&self) -> Arc<dyn Sources> {
        Arc::new(self.clone())
    }
}

#[test]
fn a_large_asset_is_copied_piece_by_piece() {
    let film = |byte: u8| vec![byte; (1 << 21) + 1];
    let mut bench = small();
    bench.sources.write("assets/film.mp4", film(1));
    let mut sources = Streamed {
        memory: bench.sources.clone(),
        breaks_off: None,
    };
    let build = |sources: &Streamed, out: &mut Out| {
        let site = Workspace::from_sources(sources.clone());
        collected(site.build(out, BuildOptions::default()))
    };
    let mut written = |sources: &Streamed| {
        let built = build(sources, &mut bench.out);
        assert_eq!(built.diagnostics, []);
        (bench.out.files()["film.mp4"].clone(), built.output.written)
    };
    assert_eq!(written(&sources).0, film(1));
    assert_eq!(written(&sources), (film(1), 0));
    sources.memory.write("assets/film.mp4", film(2));
    assert_eq!(written(&sources), (film(2), 1));
    sources.memory.write("assets/film.mp4", film(3));
    sources.breaks_off = Some("assets/film.mp4");
    let built = build(&sources, &mut bench.out);
    let found = said(&built.diagnostics);
    assert!(
        found.starts_with("assets/film.mp4:1:1: cannot read"),
        "{found}"
    );
    assert_eq!(bench.out.files()["film.mp4"], film(2));
}
