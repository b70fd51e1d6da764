//! Work on threads that end with it.

use std::thread;

/// Maps each item on a thread of its own; the results are in the order of the items.
pub(crate) fn each_on_a_thread<T: Sync, R: Send>(
    items: &[T],
    work: impl Fn(&T) -> R + Sync,
) -> Vec<R> {
    let work = &work;
    thread::scope(|scope| {
        let items = items.iter();
        let threads: Vec<_> = items.map(|item| scope.spawn(move || work(item))).collect();
        let results = threads.into_iter().map(|thread| {
            thread
                .join()
                .unwrap_or_else(|panic| std::panic::resume_unwind(panic))
        });
        results.collect()
    })
}

/// The most threads that work on one list of items.
const THREADS: usize = 8;

/// The number of items below which a thread is not worth starting.
const FEW: usize = 1_024;

/// Maps parts of the items, in their order, each on a thread of its own.
pub(crate) fn parts_on_threads<T: Sync, R: Send>(
    items: &[T],
    work: impl Fn(&[T]) -> R + Sync,
) -> Vec<R> {
    let size = items.len().div_ceil(THREADS).max(FEW);
    let parts: Vec<&[T]> = items.chunks(size).collect();
    match parts.as_slice() {
        [only] => vec![work(only)],
        parts => each_on_a_thread(parts, |part| work(part)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_are_mapped_in_their_order() {
        let items: Vec<usize> = (0..3 * FEW + 1).collect();
        let parts = parts_on_threads(&items, <[usize]>::to_vec);
        assert_eq!(parts.len(), 4);
        assert_eq!(parts.concat(), items);
        assert!(parts_on_threads(&[], <[usize]>::to_vec).is_empty());
    }
}
