//! Work on all cores.

use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

/// Does work on all cores and gives what came of it, in the order of the work. `done` is told after each, on the core that did it; when it gives false no
/// more is begun, and what was not is left out.
#[must_use]
pub fn on_all_cores<T: Sync, R: Send>(work: &[T], each: impl Fn(&T) -> R + Sync, done: impl Fn(&T) -> bool + Sync) -> Vec<R> {
    on_cores(usize::MAX, work, each, done)
}

/// All cores but one, which is left to the sound and the screen; one at least.
#[must_use]
pub fn all_but_one() -> usize {
    std::thread::available_parallelism().map_or(1, |n| n.get().saturating_sub(1).max(1))
}

/// The same on so many cores at most.
#[must_use]
pub fn on_cores<T: Sync, R: Send>(most: usize, work: &[T], each: impl Fn(&T) -> R + Sync, done: impl Fn(&T) -> bool + Sync) -> Vec<R> {
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get).min(work.len()).min(most).max(1);
    let (next, stopped, came) = (AtomicUsize::new(0), AtomicBool::new(false), Mutex::new(Vec::new()));
    std::thread::scope(|scope| {
        for _ in 0..cores {
            scope.spawn(|| {
                while !stopped.load(Ordering::Relaxed) {
                    let at = next.fetch_add(1, Ordering::Relaxed);
                    let Some(one) = work.get(at) else { return };
                    let result = each(one);
                    if let Ok(mut came) = came.lock() {
                        came.push((at, result));
                    }
                    if !done(one) {
                        stopped.store(true, Ordering::Relaxed);
                    }
                }
            });
        }
    });
    let mut came = came.into_inner().unwrap_or_default();
    came.sort_by_key(|(at, _)| *at);
    came.into_iter().map(|(_, result)| result).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn all_is_done_once_and_given_in_its_order_and_nothing_more_is_begun_when_it_is_stopped() {
        let work: Vec<u64> = (0..500).collect();
        assert_eq!(on_all_cores(&work, |n| n * n, |_| true), work.iter().map(|n| n * n).collect::<Vec<_>>());
        let told = AtomicUsize::new(0);
        let some = on_all_cores(&work, |n| *n, |_| told.fetch_add(1, Ordering::Relaxed) < 20);
        let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
        assert!((21..=21 + cores).contains(&some.len()) && some.is_sorted(), "{}", some.len());
        assert_eq!(on_all_cores(&[] as &[u64], |n| *n, |_| true), Vec::<u64>::new());
    }
}
