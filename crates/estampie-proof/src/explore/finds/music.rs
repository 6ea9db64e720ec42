//! Music that waits, or cannot make up its mind.

use super::Session;
use crate::trace::section_name;
use estampie_engine::names::NameKey;
use estampie_engine::telemetry::What;
use estampie_engine::vocabulary::Answer;
use std::collections::HashMap;

/// A stinger waits so many seconds at most.
const STINGER: f64 = 6.0;
/// Between two sections so often within so many seconds.
const FLIPS: (usize, f64) = (6, 10.0);

/// A piece waits for its moment for too long.
pub(super) fn waits(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let long = session.frames(session.plan.waits);
    let mut asked: HashMap<NameKey, (u64, NameKey)> = HashMap::new();
    let (mut found, mut soon) = (Vec::new(), Vec::new());
    let mut over = |piece: NameKey, (since, to): (u64, NameKey), frame: u64| {
        if frame >= since + long {
            let to = section_name(to, &session.program.names);
            found.push((session.seconds(since + long), session.name(piece), format!("it waits to go to {to} for more than {:.0} s", session.plan.waits)));
        }
    };
    for happening in &session.seen.happened {
        match happening.what {
            What::Asked { piece, to, answer: Answer::Waits | Answer::Replaces(_), leaves: Some(leaves), .. } if leaves > happening.frame + long => {
                let wait = session.seconds(leaves - happening.frame);
                let to = section_name(to, &session.program.names);
                soon.push((session.seconds(happening.frame), session.name(piece), format!("it is to wait {wait:.0} s until it goes to {to}")));
            }
            What::Asked { piece, to, answer: Answer::Waits | Answer::Replaces(_), .. } => {
                // Asked for something else, it waits for that from then on.
                if let Some(before) = asked.insert(piece, (happening.frame, to)) {
                    over(piece, before, happening.frame);
                }
            }
            What::Asked { piece, answer: Answer::Cancels(_), .. } | What::Section { piece, .. } => {
                if let Some(before) = asked.remove(&piece) {
                    over(piece, before, happening.frame);
                }
            }
            _ => {}
        }
    }
    asked.into_iter().for_each(|(piece, before)| over(piece, before, session.end));
    found.extend(soon);
    found
}

/// A piece goes back and forth between two sections.
pub(super) fn flips(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let mut lately: HashMap<NameKey, Vec<(u64, NameKey)>> = HashMap::new();
    let mut found = Vec::new();
    for happening in &session.seen.happened {
        let What::Section { piece, section, .. } = happening.what else { continue };
        let list = lately.entry(piece).or_default();
        list.push((happening.frame, section));
        let Some(first) = list.len().checked_sub(FLIPS.0) else { continue };
        let last = &list[first..];
        // Two and no more, in turn.
        let in_turn = last.windows(3).all(|w| w[0].1 == w[2].1 && w[0].1 != w[1].1);
        if in_turn && happening.frame - last[0].0 <= session.frames(FLIPS.1) {
            let names = &session.program.names;
            let (a, b) = (section_name(last[0].1, names), section_name(last[1].1, names));
            found.push((session.seconds(happening.frame), session.name(piece), format!("{} times between {a} and {b} within {:.0} s", FLIPS.0 / 2, FLIPS.1)));
            list.clear();
        }
    }
    found
}

/// A stinger waits for too long.
pub(super) fn late(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let mut asked: HashMap<NameKey, u64> = HashMap::new();
    let mut found = Vec::new();
    let long = session.frames(STINGER);
    let mut over = |stinger: NameKey, since: u64, frame: u64| {
        if frame > since + long {
            found.push((session.seconds(since + long), session.name(stinger), format!("it waits for its moment for more than {STINGER:.0} s")));
        }
    };
    for happening in &session.seen.happened {
        match happening.what {
            What::Waits { stinger, .. } => {
                asked.entry(stinger).or_insert(happening.frame);
            }
            What::Sting { stinger, .. } | What::Refused { sound: stinger, .. } => {
                if let Some(since) = asked.remove(&stinger) {
                    over(stinger, since, happening.frame);
                }
            }
            _ => {}
        }
    }
    asked.into_iter().for_each(|(stinger, since)| over(stinger, since, session.end));
    found
}
