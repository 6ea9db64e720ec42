//! Too quiet.

use super::Session;
use estampie_engine::music::spec::Follows;
use estampie_engine::names::NameKey;
use estampie_engine::telemetry::What;

/// What is quieter than this is silence: 80 dB below full scale.
pub(super) const QUIET: f32 = 1e-4;

/// Nothing is heard at all, while something is done.
pub(super) fn all(session: &Session<'_>) -> Vec<(f64, String, String)> {
    if session.calm.silent {
        return Vec::new();
    }
    let long = session.frames(session.plan.silence);
    let mut since = 0;
    for sample in &session.seen.samples {
        if sample.peak > QUIET || sample.frame > session.end {
            since = sample.frame;
        } else if sample.frame - since >= long {
            return vec![(session.seconds(sample.frame), "output".to_owned(), format!("nothing was heard for {:.0} s", session.plan.silence))];
        }
    }
    Vec::new()
}

/// A piece is silent though its state asks for a section.
pub(super) fn music(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let program = session.program;
    let mut found = Vec::new();
    for piece in &program.music.pieces {
        let Some(Follows::State(state, sections)) = &piece.follows else { continue };
        // What begins only when a reaction says so may be silent.
        if piece.waits {
            continue;
        }
        let spec = &program.states[*state];
        let wants = |value: usize| matches!(sections.get(value), Some(Some(Some(_))));
        let (mut value, mut playing) = (usize::from(spec.start), NameKey::NONE);
        let mut silent_since = Some(0);
        let long = session.frames(session.plan.silence.max(session.plan.waits));
        let mut moments: Vec<(u64, Option<usize>, Option<NameKey>)> = Vec::new();
        for happening in &session.seen.happened {
            match happening.what {
                What::State { state, value, .. } if state == spec.key => {
                    moments.push((happening.frame, spec.values.iter().position(|v| *v == value), None));
                }
                What::Section { piece: of, section, .. } if of == piece.key => moments.push((happening.frame, None, Some(section))),
                _ => {}
            }
        }
        moments.push((session.end, None, None));
        for (frame, changed, section) in moments {
            if let Some(since) = silent_since.filter(|since| playing.is_none() && wants(value) && frame >= since + long) {
                let wanted = session.name(spec.values[value]);
                found.push((session.seconds(since + long), session.name(piece.key), format!("{} is {wanted}, and it plays nothing", session.name(spec.key))));
                silent_since = None;
            }
            value = changed.unwrap_or(value);
            playing = section.unwrap_or(playing);
            if changed.is_some() || section.is_some() {
                silent_since = Some(frame);
            }
        }
    }
    found
}
