//! Work by several threads that are its own.
//!
//! What is made once, when it is first asked for, is asked for by the workers of a pool. A worker
//! that waits for a part of its work takes up other work of the pool meanwhile, and could so come
//! to wait for the very thing that it is about to make. These threads wait and do nothing else.

use std::panic::resume_unwind;
use std::thread;

/// The number of items below which a thread is not worth starting.
const FEW: usize = 256;

/// Maps each item on a thread of its own; the results are in the order of the items.
pub(crate) fn each<T: Send, R: Send>(items: Vec<T>, work: impl Fn(T) -> R + Sync) -> Vec<R> {
    if items.len() <= 1 {
        return items.into_iter().map(work).collect();
    }
    let work = &work;
    thread::scope(|scope| {
        let items = items.into_iter();
        let threads: Vec<_> = items.map(|item| scope.spawn(move || work(item))).collect();
        let made = threads.into_iter().map(thread::ScopedJoinHandle::join);
        made.map(|made| made.unwrap_or_else(|panic| resume_unwind(panic)))
            .collect()
    })
}

/// Maps parts of the items, in their order: as many as the pool has threads, one
/// where there are few items.
pub(crate) fn parts<T: Sync, R: Send>(items: &[T], work: impl Fn(&[T]) -> R + Sync) -> Vec<R> {
    let threads = rayon::current_num_threads();
    let size = items.len().div_ceil(threads).max(FEW);
    each(items.chunks(size).collect(), work)
}

#[cfg(test)]
mod tests {
    use std::sync::{Arc, OnceLock};
    use std::time::Duration;

    use super::*;

    #[test]
    fn all_are_made_in_their_order() {
        let items: Vec<u32> = (0..10_000).collect();
        let doubled: Vec<u32> = items.iter().map(|item| item * 2).collect();
        let double = |part: &[u32]| part.iter().map(|item| item * 2).collect::<Vec<_>>();
        assert_eq!(parts(&items, double).concat(), doubled);
        assert!(parts(&[], double).is_empty());
    }

    #[test]
    fn a_worker_that_waits_takes_up_nothing_else() {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(2).build();
        let pool = pool.expect("threads");
        pool.install(|| {
            let other = Arc::new(OnceLock::new());
            each(vec![10, 60], |milliseconds| {
                if milliseconds > 10 {
                    let other = Arc::clone(&other);
                    pool.spawn(move || {
                        let _ = other.set(thread::current().id());
                    });
                }
                thread::sleep(Duration::from_millis(milliseconds));
            });
            assert_ne!(other.get(), Some(&thread::current().id()));
        });
    }
}
