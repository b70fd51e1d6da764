//! `tabulae settings`

use tabulae_core::effective::{as_object, as_toml, effective};

use crate::args::Args;
use crate::ui::{self, Status};

pub(super) fn run(args: &Args) -> Status {
    let site = args.workspace();
    let diagnostics = site.diagnostics().to_vec();
    let Ok(settings) = site.settings() else {
        return ui::failed(args, &diagnostics);
    };
    let tables = effective(settings);
    if args.is_json() {
        return ui::json(&as_object(&tables, &settings.yields), &diagnostics);
    }
    ui::report(&diagnostics, args.all).max(ui::print(&as_toml(&tables, &settings.yields)))
}
