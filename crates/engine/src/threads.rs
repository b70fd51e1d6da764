//! Thread pools whose stacks hold deep templates; locks.

use std::num::NonZeroUsize;
use std::sync::{Mutex, MutexGuard, OnceLock, PoisonError};

use rayon::{ThreadPool, ThreadPoolBuilder};

/// The stack of each thread that renders, in bytes. Only what is used of it takes memory.
const STACK: usize = 64 << 20;

/// Runs `work` on a pool of `jobs` threads, or on the process-wide pool of one thread for each processor.
/// Within a pool, or where none can be made, it runs `work` where it is.
pub(crate) fn on_pool<T: Send>(jobs: Option<NonZeroUsize>, work: impl FnOnce() -> T + Send) -> T {
    static SHARED: OnceLock<Option<ThreadPool>> = OnceLock::new();
    let own;
    let pool = match jobs {
        Some(jobs) => {
            own = pool(jobs.get());
            own.as_ref()
        }
        None if rayon::current_thread_index().is_some() => None,
        None => SHARED.get_or_init(|| pool(0)).as_ref(),
    };
    match pool {
        Some(pool) => pool.install(work),
        None => work(),
    }
}

/// Returns a pool of `threads` threads, one for each processor if it is 0.
fn pool(threads: usize) -> Option<ThreadPool> {
    let pool = ThreadPoolBuilder::new().num_threads(threads);
    pool.stack_size(STACK).build().ok()
}

/// Locks data that threads share. A thread that panicked left it usable.
pub(crate) fn locked<T: ?Sized>(shared: &Mutex<T>) -> MutexGuard<'_, T> {
    shared.lock().unwrap_or_else(PoisonError::into_inner)
}
