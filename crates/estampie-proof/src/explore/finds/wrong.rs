//! What is never right.

use super::Session;
use estampie_engine::telemetry::{Notice, What};

/// So many seconds around a click it is looked for what began or ended.
const NEAR: f64 = 0.008;

/// Steps that stand out.
pub(super) fn clicks(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let near = session.frames(NEAR);
    let seen = session.seen;
    let about = |frame: u64| {
        let moments = seen.happened.iter().filter(|h| h.frame + near >= frame && h.frame <= frame + near);
        let of = moments.filter_map(|h| match h.what {
            What::VoiceStart { sound, .. } | What::VoiceEnd { sound, .. } => Some((h.frame.abs_diff(frame), sound)),
            _ => None,
        });
        of.min_by_key(|(apart, _)| *apart).map_or_else(|| "output".to_owned(), |(_, sound)| session.name(sound))
    };
    seen.clicks.iter().map(|frame| (session.seconds(*frame), about(*frame), format!("at {:.4} s", session.seconds(*frame)))).collect()
}

fn notices(session: &Session<'_>, of: impl Fn(&Notice) -> Option<String>) -> Vec<(f64, String, String)> {
    let all = session.seen.happened.iter().filter_map(|h| match h.what {
        What::Notice(notice) => Some((session.seconds(h.frame), of(&notice)?, notice.text(&session.program.names))),
        _ => None,
    });
    all.collect()
}

/// A bus gave a value that is no number.
pub(super) fn not_finite(session: &Session<'_>) -> Vec<(f64, String, String)> {
    notices(session, |notice| if let Notice::NotFinite { bus } = notice { Some(session.name(*bus)) } else { None })
}

/// Reactions without end.
pub(super) fn endless(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let line = |text: String| text.lines().next().unwrap_or_default().to_owned();
    let happened = &session.seen.happened;
    let cut = happened
        .iter()
        .enumerate()
        .filter_map(|(at, h)| if let What::Notice(notice @ Notice::Endless { .. }) = h.what { Some((at, h.frame, notice)) } else { None });
    cut.map(|(at, frame, notice)| {
        // Where it is cut hangs on where it began: of those that call each other the first by name stands for all.
        let chain = happened[..at]
            .iter()
            .rev()
            .take_while(|h| h.frame == frame)
            .filter_map(|h| if let What::Reaction { reaction } = h.what { Some(reaction) } else { None });
        let first = chain.take(8).map(|reaction| line(session.name(reaction))).min();
        (session.seconds(frame), first.unwrap_or_default(), notice.text(&session.program.names))
    })
    .collect()
}

/// A formula without a number.
pub(super) fn no_number(session: &Session<'_>) -> Vec<(f64, String, String)> {
    notices(session, |notice| if let Notice::NoNumber { parameter, .. } = notice { Some(session.name(*parameter)) } else { None })
}

/// More than there is room for.
pub(super) fn too_much(session: &Session<'_>) -> Vec<(f64, String, String)> {
    notices(session, |notice| match notice {
        Notice::TooMuchWaits(sound) => Some(session.name(*sound)),
        Notice::NoPlace(_) => Some("emitters".to_owned()),
        _ => None,
    })
}

/// What is always expected and is not so.
pub(super) fn expected(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let broken = crate::check::expect::judge(session.program, session.always, "", session.seen);
    broken.into_iter().map(|b| (b.at.unwrap_or(b.from).0, b.expected, b.was)).collect()
}
