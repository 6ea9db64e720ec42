//! What never ends.

use super::Session;
use crate::trace::section_name;
use std::collections::BTreeSet;

/// Sounds that still sound.
pub(super) fn sounds(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let Some(stands) = session.seen.stands.as_ref().filter(|_| session.settled()) else { return Vec::new() };
    // One that plays itself again and again sounds anew each time; one that began long ago is what does not end.
    let old = |started: u64| started <= session.last + session.frames(0.5);
    let own = |sound| {
        let name = session.name(sound);
        !session.calm.sounds.contains(&sound) && !name.contains(' ')
    };
    let voices = stands.voices.iter().filter(|v| !v.leaving && own(v.sound) && old(v.started)).map(|v| v.sound);
    let again = stands.voices.iter().filter(|v| !v.leaving && own(v.sound) && !old(v.started));
    let repeats = again
        .filter(|v| session.program.find_sound.get(v.sound).is_some_and(|at| session.program.sounds[at].repeat.is_some_and(|r| r.times.is_none())))
        .map(|v| v.sound);
    let names: BTreeSet<String> = voices.chain(repeats).map(|sound| session.name(sound)).collect();
    names
        .into_iter()
        .map(|name| {
            (session.seconds(session.end), name, format!("it still sounds {:.0} s after everything was ended", session.seconds(session.end - session.last)))
        })
        .collect()
}

/// Snapshots that are still up.
pub(super) fn snapshots(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let Some(stands) = session.seen.stands.as_ref().filter(|_| session.settled()) else { return Vec::new() };
    let up = session.program.mix.snapshots.iter().zip(&stands.snapshots).filter(|(spec, now)| now.up && !session.calm.snapshots.contains(&spec.key));
    up.map(|(spec, now)| (session.seconds(session.end), session.name(spec.key), format!("there is still {:.0} % of it", now.share * 100.0))).collect()
}

/// Pieces that still play what does not play by itself.
pub(super) fn pieces(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let Some(stands) = session.seen.stands.as_ref().filter(|_| session.settled()) else { return Vec::new() };
    let program = session.program;
    let mut found = Vec::new();
    for (spec, now) in program.music.pieces.iter().zip(&stands.pieces) {
        let Some(pass) = now.sequencer.pass() else { continue };
        let section = spec.sections[pass.section].key;
        // One that waits has its own fault; one without a state that it follows is begun and ended by reactions alone, or on purpose never.
        let follows = spec.follows.is_some();
        if session.calm.sections.contains(&(spec.key, section)) || now.sequencer.waits().is_some() || follows {
            continue;
        }
        found.push((session.seconds(session.end), session.name(spec.key), format!("it still plays {}", section_name(section, &program.names))));
    }
    found
}
