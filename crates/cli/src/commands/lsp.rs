//! `tabulae lsp`

use std::path::{Path, PathBuf};
use std::sync::Arc;

use tabulae_engine::Workspace;
use tabulae_lsp::Opener;

use crate::args::Args;
use crate::ui::{self, Status};

/// Serves an editor until it says good-bye. `-C` names the site; else it is the one that the editor's folder is in.
pub(super) fn run(args: &Args) -> Status {
    let named = args.folder.as_ref();
    let dir = named.and_then(|folder| std::path::absolute(folder).ok());
    let find = |folder: &Path| -> Option<PathBuf> {
        let site = Workspace::open(dir.as_deref().unwrap_or(folder)).ok()?;
        site.root().map(Path::to_owned)
    };
    let own = args.clone();
    let open: Opener = Arc::new(move |root| own.workspace_in(root));
    match tabulae_lsp::run(&find, &open) {
        Ok(()) => Status::Done,
        Err(error) => {
            ui::complain(&format!("error: the language server ended: {error}\n"));
            Status::Machine
        }
    }
}
