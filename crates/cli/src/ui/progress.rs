//! A bar for builds that take over a second, on a terminal only.

use std::io::IsTerminal;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use tabulae_engine::{Progress, Step};

/// The time after which a build shows a bar.
const PATIENCE: Duration = Duration::from_secs(1);

/// A bar that shows itself when it is needed.
#[derive(Debug)]
pub(crate) struct Bar {
    began: Instant,
    bar: Option<ProgressBar>,
}

impl Bar {
    pub(crate) fn new() -> Self {
        let bar = std::io::stderr().is_terminal().then(|| {
            let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::hidden());
            if let Ok(style) = ProgressStyle::with_template("{msg} {bar:30} {pos}/{len}") {
                bar.set_style(style);
            }
            bar
        });
        Self {
            began: Instant::now(),
            bar,
        }
    }

    pub(crate) fn clear(&self) {
        if let Some(bar) = &self.bar {
            bar.finish_and_clear();
        }
    }
}

impl Progress for Bar {
    fn step(&self, step: Step, done: usize, total: usize) {
        let Some(bar) = &self.bar else {
            return;
        };
        if self.began.elapsed() < PATIENCE {
            return;
        }
        if bar.is_hidden() {
            bar.set_draw_target(ProgressDrawTarget::stderr());
        }
        bar.set_message(match step {
            Step::Reading => "reading",
            Step::Writing => "writing",
        });
        bar.set_length(total as u64);
        bar.set_position(done as u64);
    }
}
