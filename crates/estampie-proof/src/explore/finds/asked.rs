//! What is asked for in vain.

use super::Session;
use estampie_engine::telemetry::{Reason, What};

/// A sound is asked for and has no take for what is so.
pub(super) fn no_take(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let names = &session.program.names;
    let of = session.seen.happened.iter().filter_map(|h| match h.what {
        What::Refused { sound, reason: reason @ (Reason::NoTake { .. } | Reason::NoRange { .. } | Reason::Nothing), .. } => {
            Some((session.seconds(h.frame), session.name(sound), crate::trace::reason_text(&reason, names)))
        }
        _ => None,
    });
    of.collect()
}
