//! The pages of the example site in a real browser, over WebDriver.
//!
//! Needs `chromedriver` (and the Chromium that it drives), and for the tests of accessibility the
//! file that `TABULAE_AXE` names, `axe.min.js` of the package axe-core. What is not there is
//! reported as ignored; with `TABULAE_BROWSER=required` it is a failure.

mod driver;
mod pages;
mod workbench;

use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;

use libtest_mimic::{Arguments, Failed, Trial};

use self::driver::World;

/// A test on an open page.
type Test = fn(&World) -> Result<(), Failed>;

fn main() -> ExitCode {
    let arguments = Arguments::from_args();
    let required = std::env::var_os("TABULAE_BROWSER").is_some_and(|value| value == "required");
    let axe = std::env::var_os("TABULAE_AXE").map(PathBuf::from);
    let axe = axe.filter(|path| path.is_file());
    let world = World::new(axe.clone()).map(Arc::new);
    let mut trials = Vec::new();
    for (name, needs_axe, test) in pages::TESTS.iter().chain(workbench::TESTS) {
        let missing = match &world {
            Err(why) => Some(why.clone()),
            Ok(_) if *needs_axe && axe.is_none() => Some("TABULAE_AXE names no file".to_owned()),
            Ok(_) => None,
        };
        let shown = match &missing {
            Some(why) if !required => format!("{name} ({why})"),
            _ => (*name).to_owned(),
        };
        let ignored = missing.is_some() && !required;
        let world = world.clone();
        let test: Test = *test;
        let trial = Trial::test(shown, move || match (world, missing) {
            (Ok(world), None) => test(&world),
            (_, why) => Err(why.unwrap_or_default().into()),
        });
        trials.push(trial.with_ignored_flag(ignored));
    }
    libtest_mimic::run(&arguments, trials).exit_code()
}
