//! A guard around other people's decoders: one that panics costs its file, and no more than that.

use std::cell::Cell;

thread_local! {
    static GUARDED: Cell<bool> = const { Cell::new(false) };
}

/// Whether this thread works within a guard: a panic there is caught, and told as what is wrong with a file.
#[must_use]
pub fn guarded() -> bool {
    GUARDED.get()
}

/// Works within a guard; `None` if the work panicked. Nothing of what a panic leaves behind may be used again.
pub(crate) fn caught<T>(work: impl FnOnce() -> T) -> Option<T> {
    let before = GUARDED.replace(true);
    let done = std::panic::catch_unwind(std::panic::AssertUnwindSafe(work));
    GUARDED.set(before);
    done.ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_panic_is_caught_and_the_guard_ends_with_the_work() {
        assert_eq!(caught(|| (guarded(), caught(guarded))), Some((true, Some(true))));
        assert!(!guarded());
        let usual = std::panic::take_hook();
        std::panic::set_hook(Box::new(|_| {}));
        assert_eq!(caught(|| -> u8 { std::panic::panic_any("broken") }), None);
        std::panic::set_hook(usual);
        assert!(!guarded());
    }
}
