//! Playthroughs in the rehearsal: replayed, from the start or from a moment on, and recorded.

use super::{Rehearsal, make, parameter_input, read_ahead};
use estampie_engine::engine::{Engine, Input, InputKind, Remote};
use estampie_engine::program::ValueFrom;
use estampie_engine::telemetry::Happening;
use estampie_engine::units::Seconds;
use estampie_project::document::Document;
use estampie_project::language::Playthrough;
use estampie_proof::offline;
use estampie_proof::offline::Recorder;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, channel};

/// A playthrough being replayed.
pub(crate) struct Replay {
    pub(crate) name: String,
    pub(crate) frames: u64,
}

/// A replay that is being rendered up to the moment from which on it is to be heard.
pub(super) struct Coming {
    arrives: Receiver<(Engine, Remote, Vec<Happening>)>,
    replay: Replay,
    from: Seconds,
    seed: u64,
    program: u64,
    /// Held for as long as it is waited for.
    _wanted: Arc<()>,
}

/// What begins in the midst rises in this time: no click, and nothing that begins there is lost.
const RISE: Seconds = Seconds(0.01);

impl Rehearsal {
    pub(crate) fn replay(&mut self, name: &str, playthrough: &Playthrough) {
        let from = playthrough.heard_from();
        if from.0 > 0.0 {
            return self.replay_from(name, playthrough, from);
        }
        self.names.add_all(&offline::names_in(playthrough));
        let rate = self.program.rate;
        self.begin(playthrough.seed(), offline::inputs(playthrough, rate));
        self.replayed = Some(name.to_owned());
        self.replay = Some(Replay { name: name.to_owned(), frames: offline::frames(playthrough, rate) });
    }

    /// Replays a playthrough from a moment on: what lies before is rendered aside, unheard, so that everything is there as it would be.
    pub(crate) fn replay_from(&mut self, name: &str, playthrough: &Playthrough, from: Seconds) {
        self.names.add_all(&offline::names_in(playthrough));
        let rate = self.program.rate;
        let (mut engine, mut remote) = make(&self.program, playthrough.seed(), offline::inputs(playthrough, rate), &self.levels);
        let (tell, arrives) = channel();
        let upto = from.frames(rate);
        let program = Arc::clone(&self.program);
        let id = program.id;
        let wanted = Arc::new(());
        let waits = Arc::downgrade(&wanted);
        std::thread::spawn(move || {
            let mut happened = Vec::new();
            let mut out = [0.0; 2 * 1024];
            // As long as somebody waits for it.
            while engine.frame() < upto && waits.strong_count() > 0 {
                let count = (upto - engine.frame()).min(1024) as usize;
                engine.render(&mut out[..2 * count]);
                happened.extend(std::iter::from_fn(|| remote.happening()));
                if let Some(status) = remote.status() {
                    remote.give_back(status);
                }
            }
            engine.soften(RISE);
            read_ahead(&mut engine, &program);
            // Nobody waits for it any more if something else has begun meanwhile.
            let _ = tell.send((engine, remote, happened));
        });
        let replay = Replay { name: name.to_owned(), frames: offline::frames(playthrough, rate) };
        self.coming = Some(Coming { arrives, replay, from, seed: playthrough.seed(), program: id, _wanted: wanted });
    }

    /// The playthrough that is being rendered up to a moment, and that moment.
    pub(crate) fn coming(&self) -> Option<(&str, Seconds)> {
        self.coming.as_ref().map(|coming| (coming.replay.name.as_str(), coming.from))
    }

    /// Goes over to what was rendered up to its moment, if it is there.
    pub(super) fn poll_coming(&mut self, document: &Document) -> bool {
        let Some((engine, remote, happened)) = self.coming.as_ref().and_then(|coming| coming.arrives.try_recv().ok()) else { return false };
        let Some(coming) = self.coming.take() else { return false };
        self.install(engine, remote, coming.seed);
        for happening in &happened {
            self.note(happening, document);
        }
        self.replayed = Some(coming.replay.name.clone());
        self.replay = Some(coming.replay);
        // What has been edited meanwhile counts from here on.
        if coming.program != self.program.id {
            self.take_over(Arc::clone(&self.program));
        }
        true
    }

    /// Begins anew with the present values and records what is said from then on; in a joined game, which goes on, from the present moment.
    pub(crate) fn record(&mut self) {
        if self.visiting() {
            self.come_back();
            self.marked = self.status_program().cloned().zip(self.status.clone());
            return;
        }
        let mut first = Vec::new();
        if let Some(status) = &self.status
            && status.program == self.program.id
        {
            for (spec, now) in self.program.parameters.iter().zip(&status.parameters) {
                if now.value != spec.rest && spec.source == ValueFrom::Game && spec.local.is_none() {
                    first.push(Input { frame: 0, what: parameter_input(spec, now.value) });
                }
            }
            for (spec, now) in self.program.states.iter().zip(&status.states) {
                if *now != spec.start {
                    first.push(Input { frame: 0, what: InputKind::State { state: spec.key, value: spec.values[usize::from(*now)] } });
                }
            }
        }
        self.begin(1, first);
        self.recorder = Some(Recorder::new(&self.program, self.seed));
    }

    pub(crate) fn recording(&self) -> bool {
        self.recorder.is_some() || self.marked.is_some()
    }

    /// What has been recorded up to now.
    pub(crate) fn recording_so_far(&self) -> Option<Playthrough> {
        if let Some(marked) = &self.marked {
            return Some(self.since(marked));
        }
        let frame = self.now();
        self.recorder.clone().map(|recorder| recorder.finish(frame))
    }

    /// Ends the recording and gives it as text.
    pub(crate) fn end_recording(&mut self) -> Option<Playthrough> {
        if let Some(marked) = self.marked.take() {
            return Some(self.since(&marked));
        }
        let frame = self.now();
        self.recorder.take().map(|recorder| recorder.finish(frame))
    }
}
