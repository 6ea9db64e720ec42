//! Comparing: a state that is kept as B, heard instead of the present one at a key, with either turned to the other's loudness.

use super::super::app::{App, Mode};
use super::super::painter::Painter;
use super::super::theme::Role;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_project::document::{Difference, Document, Sources, differences};
use estampie_proof::compare;
use ratatui::layout::Rect;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

/// A state that is kept.
pub(crate) struct Kept {
    sources: Sources,
    document: Arc<Document>,
    program: Arc<Program>,
    /// The present state, compiled: what A is while B is heard.
    present: Arc<Program>,
    /// It is heard instead of the present one.
    pub(crate) on: bool,
    /// How loud the last ten seconds were as they are now and with what is kept, in LUFS.
    pub(crate) measured: Option<[f64; 2]>,
    job: Option<Job>,
    /// What is measured is out of date since then.
    stale: Option<Instant>,
}

/// Two renderings under way on a thread of their own.
struct Job {
    results: Receiver<[f64; 2]>,
    going_on: Arc<AtomicBool>,
}

impl Drop for Job {
    fn drop(&mut self) {
        self.going_on.store(false, Ordering::Relaxed);
    }
}

/// After an edit nothing is measured for so long: more edits follow.
const REST: Duration = Duration::from_millis(700);
/// Nothing is turned down by more.
const MOST: f64 = 24.0;

impl Kept {
    /// By how much what is heard now is turned down, in dB (0 or less): the louder of the two by what it is louder.
    pub(crate) fn trim(&self) -> f32 {
        let Some([now, kept]) = self.measured.filter(|m| m.iter().all(|l| l.is_finite())) else { return 0.0 };
        let over = if self.on { kept - now } else { now - kept };
        -over.clamp(0.0, MOST) as f32
    }

    /// Which of the two is turned down, and by how much.
    fn matched(&self) -> String {
        let [now, kept] = self.measured.unwrap_or([0.0; 2]);
        let over = (now - kept).clamp(-MOST, MOST);
        match (now.is_finite() && kept.is_finite(), over) {
            (false, _) => "there is silence: neither is turned down".to_owned(),
            (true, over) if over.abs() < 0.05 => "both are equally loud".to_owned(),
            (true, over) => format!("{} is turned down by {:.1} dB to match", if over > 0.0 { "A" } else { "B" }, over.abs()),
        }
    }

    pub(crate) fn measuring(&self) -> bool {
        self.job.is_some() || self.stale.is_some()
    }
}

impl App {
    /// What is kept and what is written now, value by value.
    pub(crate) fn differences(&self) -> Vec<Difference> {
        self.mix.kept.as_ref().map_or_else(Vec::new, |k| differences(self.workspace.sources(), &k.sources))
    }

    /// Keeps the present state, or goes over to the other one.
    pub(super) fn compare(&mut self) {
        self.finish_compiling();
        let Some(kept) = &mut self.mix.kept else {
            let (sources, document) = (self.workspace.sources().clone(), Arc::clone(self.workspace.document()));
            let program = Arc::clone(self.program());
            let present = Arc::clone(&program);
            self.mix.kept = Some(Kept { sources, document, program, present, on: false, measured: None, job: None, stale: None });
            return self.say("the present state is kept as B; go on editing, a goes over to it and back, A lists what differs");
        };
        kept.on = !kept.on;
        if kept.on {
            kept.present = Arc::clone(&self.rehearsal.program);
        }
        let (on, document) = (kept.on, Arc::clone(&kept.document));
        self.workspace.show(on.then_some(document));
        self.compile();
        self.turn_down();
        self.compare_anew();
        self.say(if on { "you hear B, as it was kept" } else { "you hear A, as it is now" });
    }

    /// What was measured for the comparison no longer holds.
    pub(crate) fn compare_anew(&mut self) {
        if let Some(kept) = &mut self.mix.kept {
            kept.job = None;
            kept.stale = Some(Instant::now());
        }
    }

    fn turn_down(&mut self) {
        self.rehearsal.player.trim(self.mix.kept.as_ref().map_or(0.0, Kept::trim));
    }

    /// Ends the comparison with what is heard now.
    pub(super) fn keep_heard(&mut self) {
        let Some(kept) = self.mix.kept.take() else { return };
        self.workspace.show(None);
        if kept.on {
            self.workspace.restore("back to B", &kept.sources);
        }
        self.recompile();
        self.turn_down();
        self.say(if kept.on { "B is the project now; u goes back to A" } else { "A stays, B is forgotten" });
    }

    /// Measures what has to be measured, and takes what was.
    pub(crate) fn poll_compare(&mut self) -> bool {
        let Some(kept) = &mut self.mix.kept else { return false };
        if let Some(job) = &kept.job {
            let Ok(measured) = job.results.try_recv() else { return false };
            (kept.measured, kept.job) = (Some(measured), None);
            self.turn_down();
            return true;
        }
        if kept.stale.is_none_or(|s| s.elapsed() < REST) {
            return false;
        }
        kept.stale = None;
        let (playthrough, until, inputs) = self.rehearsal.so_far();
        let player = crate::levels::keys(&self.rehearsal.levels);
        let now = Arc::clone(if kept.on { &kept.present } else { &self.rehearsal.program });
        let programs = [now, Arc::clone(&kept.program)];
        let going_on = Arc::new(AtomicBool::new(true));
        let (sender, results) = channel();
        let asked = Arc::clone(&going_on);
        let work = move || {
            let measured = programs.map(|p| compare::loudness(&p, &playthrough, until, &player, &inputs, || asked.load(Ordering::Relaxed)));
            if let [Some(now), Some(kept)] = measured {
                let _ = sender.send([now, kept]);
            }
        };
        if std::thread::Builder::new().name("compare".into()).spawn(work).is_ok() {
            kept.job = Some(Job { results, going_on });
        }
        true
    }

    /// The line that says which of the two one hears.
    pub(super) fn draw_comparison(&self, painter: &mut Painter<'_>, y: u16, width: u16) {
        let Some(kept) = &self.mix.kept else { return };
        let here = if kept.on { "You hear B, as it was kept." } else { "You hear A, as it is now." };
        let style = painter.theme.key();
        let end = painter.put(2, y, width.saturating_sub(4), here, style) + 2;
        let loud = match kept.measured {
            _ if kept.measuring() => "measuring how loud either is".to_owned(),
            Some(_) => kept.matched(),
            None => "either as loud as it is".to_owned(),
        };
        let end = painter.text(end, y, width.saturating_sub(end + 2), &loud, Role::Good) + 3;
        let keys = if kept.on { "a  go back to A   A  what differs, keep one" } else { "a  go over to B   A  what differs, keep one" };
        painter.text(end.max(width.saturating_sub(keys.len() as u16 + 2)), y, width.saturating_sub(end + 1), keys, Role::Secondary);
    }

    /// What lies over the centre: how loud either is, and what differs.
    pub(crate) fn draw_differences(&self, painter: &mut Painter<'_>, area: Rect) {
        let list = self.differences();
        let count = list.len();
        let title = format!("{count} difference{}", if count == 1 { "" } else { "s" });
        painter.heading(area.x + 1, area.y, area.width.saturating_sub(2), &title, "between A, the project as it is now, and B, as it was kept");
        let Some(kept) = &self.mix.kept else { return };
        let lufs = |value: f64| if value.is_finite() { format!("{value:.1} LUFS").replace('-', "−") } else { "silence".into() };
        let loud = match kept.measured {
            _ if kept.measuring() => "how loud either is over the last 10 s is being measured".to_owned(),
            Some([now, then]) => {
                format!("over the last 10 s A has {}, B {}; {}", lufs(now), lufs(then), kept.matched())
            }
            None => "a measures how loud either is".to_owned(),
        };
        painter.text(area.x + 1, area.y + 1, area.width.saturating_sub(2), &format!("you hear {}; {loud}", if kept.on { "B" } else { "A" }), Role::Good);
        let (what, first, second) = (area.x + 22, area.x + area.width / 2, area.x + area.width * 3 / 4);
        for (x, word) in [(area.x + 1, "file"), (what, "value"), (first, "A"), (second, "B")] {
            painter.text(x, area.y + 3, 20, word, Role::Secondary);
        }
        let rows = usize::from(area.height.saturating_sub(4));
        for (row, one) in list.iter().skip(self.scroll.min(count.saturating_sub(1))).take(rows).enumerate() {
            let y = area.y + 4 + row as u16;
            painter.text(area.x + 1, y, 20, &one.file, Role::Secondary);
            painter.text(what, y, first.saturating_sub(what + 1), if one.what.is_empty() { "sentences" } else { &one.what }, Role::Text);
            for (x, end, value, here) in
                [(first, second.saturating_sub(1), &one.first, !kept.on), (second, area.right().saturating_sub(1), &one.second, kept.on)]
            {
                let text = value.as_ref().map_or("nothing".to_owned(), |v| if v.starts_with('-') { v.replacen('-', "−", 1) } else { v.clone() });
                let role = match value {
                    None => Role::Rule,
                    Some(_) if here => Role::Active,
                    Some(_) => Role::Text,
                };
                painter.text(x, y, end.saturating_sub(x), &text, role);
            }
        }
        if count == 0 {
            painter.text(area.x + 1, area.y + 4, area.width.saturating_sub(2), "nothing differs: edit something, then compare", Role::Secondary);
        }
    }

    pub(crate) fn key_differences(&mut self, name: &str) {
        match name {
            "a" => self.compare(),
            "enter" => return self.keep_heard(),
            "up" | "k" => self.scroll = self.scroll.saturating_sub(1),
            "down" | "j" => self.scroll += 1,
            "esc" | "q" | "A" | "ctrl-c" => return,
            _ => {}
        }
        self.mode = Mode::Differences;
    }

    /// Tells the player which bus is measured: the chosen one, in this view.
    pub(crate) fn measure_bus(&mut self) {
        let bus = if self.shows(super::NAME) && self.bus > 0 { self.program().mix.buses.get(self.bus).map(|b| b.key) } else { None };
        self.rehearsal.measure(bus.unwrap_or(NameKey::NONE));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kept(on: bool, measured: Option<[f64; 2]>) -> Kept {
        let program = Arc::new(Program::default());
        Kept { sources: Sources::default(), document: Arc::default(), present: Arc::clone(&program), program, on, measured, job: None, stale: None }
    }

    #[test]
    fn only_the_louder_is_turned_down_and_by_as_much_as_it_is_louder() {
        for (now, then) in [(-20.0, -26.5), (-26.5, -20.0), (-20.0, -20.0), (-3.0, -70.0), (-70.0, -3.0)] {
            let trims = [false, true].map(|on| f64::from(kept(on, Some([now, then])).trim()));
            assert!(trims.iter().all(|t| (-MOST..=0.0).contains(t)) && trims.contains(&0.0), "{trims:?}");
            let apart: f64 = (now + trims[0]) - (then + trims[1]);
            assert!(apart.abs() < 1e-4 || (now - then).abs() > MOST, "{apart}");
        }
    }

    #[test]
    fn silence_and_what_is_not_measured_turn_nothing_down() {
        for measured in [None, Some([f64::NEG_INFINITY, -20.0]), Some([-20.0, f64::NEG_INFINITY])] {
            assert_eq!([false, true].map(|on| kept(on, measured).trim()), [0.0, 0.0]);
        }
        assert!(kept(false, Some([f64::NEG_INFINITY, -20.0])).matched().contains("silence"));
        assert_eq!(kept(false, Some([-20.02, -20.0])).matched(), "both are equally loud");
        assert_eq!(kept(true, Some([-20.0, -21.3])).matched(), "A is turned down by 1.3 dB to match");
    }
}
