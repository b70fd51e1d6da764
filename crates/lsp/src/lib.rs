//! Editor support over the Language Server Protocol (version 3.17), on the engine's public API.
//!
//! The main thread reads messages and answers from the site as it was last read. A worker reads the site again after each
//! change: only posts that changed are read, so that answers are a fraction of a second behind the buffers. The
//! diagnostics of the edited file are computed on the main thread. After a save a further thread checks the site as a build
//! does, rendering too.

mod completion;
mod diagnostics;
mod edited;
mod edits;
mod hover;
mod navigation;
mod open_site;
mod place;
mod position;
mod server;
mod worker;

pub use self::server::{Opener, run, serve};
