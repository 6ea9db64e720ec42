//! Too many at once.

use super::Session;
use estampie_engine::names::NameKey;
use estampie_engine::telemetry::{Cause, Reason, What};
use std::collections::{HashMap, VecDeque};

/// Within a second so many of one sound are too many.
const STOLEN: usize = 12;
const REFUSED: usize = 16;
/// Twice within so many seconds is heard as one that is too loud.
const TWICE: f64 = 0.02;

/// All voices sound.
pub(super) fn voices(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let all = session.program.voices;
    let full = session.seen.samples.iter().find(|s| s.sounding >= all);
    full.map(|s| (session.seconds(s.frame), "all".to_owned(), format!("all {all} voices sound"))).into_iter().collect()
}

/// Where something of a sound happens `count` times within a second.
fn crowds(session: &Session<'_>, count: usize, of: impl Fn(&What) -> Option<NameKey>) -> Vec<(f64, NameKey)> {
    let second = session.frames(1.0);
    let mut lately: HashMap<NameKey, VecDeque<u64>> = HashMap::new();
    let mut found = Vec::new();
    for happening in &session.seen.happened {
        let Some(sound) = of(&happening.what) else { continue };
        let frames = lately.entry(sound).or_default();
        frames.push_back(happening.frame);
        while frames.front().is_some_and(|f| f + second < happening.frame) {
            frames.pop_front();
        }
        if frames.len() == count {
            found.push((session.seconds(happening.frame), sound));
        }
    }
    found
}

/// Voices of a sound are stolen one after another.
pub(super) fn stolen(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let found = crowds(session, STOLEN, |what| match what {
        What::VoiceEnd { sound, cause: Cause::Stolen, .. } => Some(*sound),
        _ => None,
    });
    found.into_iter().map(|(at, sound)| (at, session.name(sound), format!("{STOLEN} of it are stolen within a second"))).collect()
}

/// A sound is refused again and again because of a limit.
pub(super) fn refused(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let found = crowds(session, REFUSED, |what| match what {
        What::Refused {
            sound,
            reason: Reason::Each { .. } | Reason::All { .. } | Reason::Group { .. } | Reason::Voices { .. } | Reason::Unimportant { .. },
            ..
        } => Some(*sound),
        _ => None,
    });
    found.into_iter().map(|(at, sound)| (at, session.name(sound), format!("it is refused {REFUSED} times within a second"))).collect()
}

/// The same begins twice, almost at once, at the same emitter and by two reactions: on one frame, or again and again so far apart. Two inputs may fall
/// together once by chance.
pub(super) fn twice(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let near = session.frames(TWICE);
    let repeats = |sound: NameKey| session.program.find_sound.get(sound).is_none_or(|at| session.program.sounds[at].repeat.is_some());
    // Of the last beginning at each emitter: when, and by whom.
    let mut last: HashMap<(NameKey, NameKey, NameKey), (u64, NameKey)> = HashMap::new();
    // How far apart two reactions have played a sound.
    let mut apart: HashMap<(NameKey, NameKey, NameKey), Vec<u64>> = HashMap::new();
    let mut found = Vec::new();
    for happening in &session.seen.happened {
        let What::VoiceStart { sound, leaf, emitter, by, .. } = happening.what else { continue };
        // Layers, what the world plays, and what repeats itself are not asked for one by one.
        if by.is_none() || repeats(sound) {
            continue;
        }
        let Some((frame, asked)) = last.insert((sound, leaf, emitter), (happening.frame, by)) else { continue };
        let between = happening.frame.abs_diff(frame);
        if asked == by || between > near {
            continue;
        }
        let before = apart.entry((sound, asked, by)).or_default();
        if between == 0 || before.iter().any(|b| b.abs_diff(between) <= 48) {
            let ms = session.seconds(between) * 1e3;
            found.push((session.seconds(happening.frame), session.name(sound), format!("it begins again {ms:.1} ms after it began")));
        }
        before.push(between);
    }
    found
}
