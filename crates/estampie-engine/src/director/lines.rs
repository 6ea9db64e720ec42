//! Lines: who speaks, what waits to be said, and what is no longer worth saying.

use super::By;
use super::Directing;
use super::memory::{MOST_LINES, QueuedLine};
use crate::ground::index::SoundIndex;
use crate::ground::telemetry::{Cause, Reason, What};
use crate::ground::time::BLOCK;
use crate::ground::vocabulary::Urgency;
use crate::mixer::voice::Leaving;
use crate::program::Choice;

/// A line that is cut into fades in this time.
const CUT_FADE_MS: u64 = 80;

impl Directing<'_> {
    /// Has a line said when its turn comes.
    pub(crate) fn say(&mut self, sound: SoundIndex, urgency: Urgency, offset: u64, by: By) {
        let program = self.program;
        let Some(spec) = program.sounds[sound].lines else { return };
        let frame = self.frame + offset;
        let value = self.picked_by(sound);
        let rank = |sound: SoundIndex| program.sounds[sound].lines.map_or(0, |l| l.rank);
        let speaker = &self.state.speakers[spec.speaker as usize];
        // Of the one that speaks, or spoke last.
        let lower = rank(speaker.sound) < spec.rank;
        let at_once = urgency == Urgency::CutIn || (spec.cuts_in && lower);
        // Behind all that matter as much and are as urgent; a line that is told to cut in goes before everything.
        let weight = |l: &QueuedLine| (rank(l.sound), l.urgency);
        let behind = || speaker.queue.iter().position(|l| weight(l) < (spec.rank, urgency)).unwrap_or(speaker.queue.len());
        let at = if urgency == Urgency::CutIn { 0 } else { behind() };
        if speaker.queue.len() >= MOST_LINES {
            // The last of them all finds no place.
            let reason = Reason::Queue { limit: MOST_LINES as u32 };
            if at >= MOST_LINES {
                self.refuse(sound, offset, by, reason);
                return;
            }
            if let Some(last) = self.state.speakers[spec.speaker as usize].queue.pop() {
                self.refuse(last.sound, offset, last.by, reason);
            }
        }
        let speaker = &mut self.state.speakers[spec.speaker as usize];
        speaker.queue.insert(at, QueuedLine { sound, by, asked: frame, urgency, value });
        // What matters more may wait before it; then nothing is cut.
        let at_once = at_once && at == 0;
        let speaking = speaker.speaking;
        let key = program.sounds[sound].key;
        self.outlets.tell(frame, What::Line { sound: key, before: at as u32 + u32::from(speaking != 0 && !at_once), by: by.reaction });
        if at_once {
            let fade = u64::from(program.rate) * CUT_FADE_MS / 1000;
            self.mixer.voices.each(|voice| {
                if speaking != 0 && voice.route.belongs_to(speaking) {
                    voice.leave(Cause::CutInto, offset, fade);
                }
            });
            let speaker = &mut self.state.speakers[spec.speaker as usize];
            // What is cut into fades beneath; no gap is waited for.
            (speaker.speaking, speaker.free) = (0, frame);
        }
        self.speak(spec.speaker as usize);
    }

    /// The value of the state that a sound is picked by; 0 if it is picked otherwise.
    fn picked_by(&self, sound: SoundIndex) -> u16 {
        let program = self.program;
        if let Choice::ByState { state, .. } = &program.sounds[sound].choice { self.state.states[*state] } else { 0 }
    }

    /// Looks after all speakers once a block.
    pub(crate) fn follow_lines(&mut self) {
        let program = self.program;
        for at in 0..program.speakers.len() {
            let speaker = &self.state.speakers[at];
            if speaker.speaking != 0 && !self.is_said(speaker.speaking) {
                let gap = program.sounds[speaker.sound].lines.map_or((0.0, 0.0), |l| l.gap);
                let waits = self.director.rehearsed.waits;
                let frame = self.frame;
                let speaker = &mut self.state.speakers[at];
                let seconds = speaker.gap.between(gap) * waits;
                (speaker.speaking, speaker.free) = (0, frame + (f64::from(seconds) * f64::from(program.rate)).round() as u64);
            }
            self.speak(at);
        }
    }

    fn is_said(&self, instance: u64) -> bool {
        let mut voices = self.mixer.voices.all();
        voices.any(|voice| !voice.ended && (voice.leaving == Leaving::No || !voice.envelope.gone()) && voice.route.belongs_to(instance))
    }

    /// Says the next line if there is one and it is time; drops those that are no longer worth saying.
    fn speak(&mut self, at: usize) {
        let end = self.frame + BLOCK as u64;
        loop {
            let speaker = &self.state.speakers[at];
            let from = speaker.free.max(self.frame);
            let mut dropped = None;
            for (index, line) in speaker.queue.iter().enumerate() {
                if let Some(reason) = self.no_longer(line, self.frame) {
                    dropped = Some((index, reason));
                    break;
                }
            }
            if let Some((index, reason)) = dropped {
                let line = self.state.speakers[at].queue.remove(index);
                self.refuse(line.sound, 0, line.by, reason);
                continue;
            }
            let Some(line) = speaker.queue.first().copied().filter(|_| speaker.speaking == 0 && from < end) else { return };
            self.state.speakers[at].queue.remove(0);
            let offset = from.max(line.asked).saturating_sub(self.frame);
            let before = self.director.next_instance;
            match self.start(line.sound, offset, line.by) {
                Ok(()) => {
                    let speaker = &mut self.state.speakers[at];
                    // The first playing that was begun is that of the line itself.
                    (speaker.speaking, speaker.sound) = (before + 1, line.sound);
                }
                Err(reason) => self.refuse(line.sound, offset, line.by, reason),
            }
        }
    }

    fn no_longer(&self, line: &QueuedLine, frame: u64) -> Option<Reason> {
        let program = self.program;
        let sound = &program.sounds[line.sound];
        let spec = sound.lines?;
        let age = frame.saturating_sub(line.asked);
        if age > spec.worth {
            return Some(Reason::Stale { age: age as f32 / program.rate as f32 });
        }
        match &sound.choice {
            Choice::ByState { state, .. } if !spec.stays && self.state.states[*state] != line.value => {
                let spec = &program.states[*state];
                Some(Reason::Passed { state: spec.key, was: spec.values.get(usize::from(line.value)).copied().unwrap_or_default() })
            }
            _ => None,
        }
    }
}
