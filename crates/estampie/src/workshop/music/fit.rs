//! The tempo and the bars of a section from its recording, and markers on what sounds.

use super::inputs::MusicPrompt;
use super::{Item, Stave};
use crate::workshop::app::{App, Mode};
use crate::workshop::text_field::TextField;
use estampie_engine::music::exact::Beats;
use estampie_project::document::Refusal;
use estampie_proof::onsets::clip_of;
use estampie_proof::tempo::{Fit, fits};

/// How many of the tempos that can be are offered.
const OFFERED: usize = 6;

/// A tempo as it is written: with a point where that says it exactly, else as a fraction.
fn print_tempo(tempo: Beats) -> String {
    let number = *tempo.numer() as f64 / *tempo.denom() as f64;
    if 100 % *tempo.denom() == 0 { format!("{number}") } else { tempo.to_string() }
}

/// A tempo and bars as they are typed.
fn print_fit(fit: &Fit) -> String {
    format!("{}, {} bar{}", print_tempo(fit.tempo), fit.bars, if fit.bars == 1 { "" } else { "s" })
}

/// What is known of a recording whose tempo is asked for.
#[derive(Debug)]
pub(crate) struct Recording {
    piece: String,
    section: String,
    seconds: f64,
    fits: Vec<Fit>,
}

impl Recording {
    pub(super) fn words(&self) -> String {
        format!("tempo and bars of {}, whose recording is {:.2} s long:", self.section, self.seconds)
    }

    pub(super) fn offers(&self) -> Vec<String> {
        self.fits.iter().map(print_fit).collect()
    }

    pub(super) fn hint(&self) -> String {
        let likely = self.fits.first().and_then(|f| f.on_beats).map_or("nothing in it is struck, so only its length speaks".to_owned(), |on| {
            format!("{:.0} % of what is struck lies on the beats of the first", on * 100.0)
        });
        let further: Vec<String> = self.fits.iter().skip(1).take(2).map(print_fit).collect();
        format!("{likely}; tab: {}", if further.is_empty() { "no other fits".to_owned() } else { further.join("  ·  ") })
    }

    pub(super) fn take(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let wrong = || Refusal::from("a tempo and a number of bars, like 92, 8 bars");
        let (tempo, bars) = text.rsplit_once(',').ok_or_else(wrong)?;
        let bars = bars.trim().trim_end_matches(|c: char| c.is_ascii_alphabetic()).trim().parse().map_err(|_| wrong())?;
        app.workspace.set_tempo_and_bars(&self.piece, &self.section, tempo.trim(), bars)
    }
}

impl App {
    /// Whether the selected section, or that of the selected layer, has a recording; the recording's clip is that of the layer, or of the
    /// first layer with one.
    fn recording(&self) -> Result<Recording, String> {
        let (doc, (_, spec)) = self.piece_doc().zip(self.piece_spec()).ok_or("choose a section with a recording")?;
        let (section, layer) = match self.selected_stave() {
            Some(Stave::Layer(section, layer)) => (section, Some(layer)),
            Some(Stave::Section(section)) => (section, None),
            None => return Err("choose a section with a recording".into()),
        };
        if let Some((done, all)) = self.loading() {
            return Err(format!("the audio is still being loaded, {done} of {all} files: ask again when it is there"));
        }
        let program = self.program();
        let within = doc.sections.get(section).zip(spec.sections.get(section));
        let (written, compiled) = within.ok_or("choose a section with a recording")?;
        let mut layers = compiled.layers.iter().enumerate().filter(|(at, _)| layer.is_none_or(|l| l == *at));
        let (layer, clip) = layers
            .find_map(|(_, l)| Some((*l as usize, clip_of(program, program.music.layers.get(*l as usize)?)?)))
            .ok_or("there is no recording here whose length says a tempo")?;
        let heard = self
            .music
            .beside
            .heard(program, layer)
            .filter(|_| self.music.beside.listened(program))
            .ok_or("the recording is being listened to just now: ask again")?;
        let metre = written.metre.first().map_or(doc.metre, |(_, metre)| *metre);
        let mut list = fits(&heard.rises, clip.frames(), program.rate, metre, written.pick_up * metre.beat());
        list.truncate(OFFERED);
        if list.is_empty() {
            return Err("no tempo from 40 to 220 makes whole bars of this recording".into());
        }
        let seconds = clip.frames() as f64 / f64::from(program.rate);
        Ok(Recording { piece: doc.name.clone(), section: written.name.clone(), seconds, fits: list })
    }

    /// Asks for the tempo and the bars of a section, and proposes those that its recording has.
    pub(super) fn ask_tempo(&mut self) {
        match self.recording() {
            Ok(recording) => {
                let first = TextField::offer(&print_fit(&recording.fits[0]));
                self.mode = Mode::typing(MusicPrompt::Tempo(recording), first);
            }
            Err(why) => self.say(why),
        }
    }

    /// Asks for the name of a marker on the bar that sounds now.
    pub(super) fn ask_marker(&mut self) {
        let Some(Item::Piece(piece)) = self.music_items().get(self.music.item).copied() else { return self.say("choose a piece that plays") };
        let Some(doc) = self.music_doc().pieces.get(piece) else { return };
        let now = self.piece_spec().and_then(|(at, spec)| {
            let sequencer = &self.piece_now(at)?.sequencer;
            let (bar, ..) = sequencer.position(spec, self.rehearsal.frame())?;
            Some((doc.sections.get(sequencer.pass()?.section.at())?.name.clone(), bar + 1))
        });
        match now {
            Some((section, bar)) => {
                let marker = MusicPrompt::Marker { piece: doc.name.clone(), section, bar };
                self.mode = Mode::typing(marker, TextField::default());
            }
            None => self.say(format!("{} does not play: enter on a section begins it, then b marks the bar that sounds", doc.name)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tempo_is_written_so_that_it_reads_the_same() {
        for (numer, denom, text) in [(92, 1, "92"), (937, 10, "93.7"), (375, 4, "93.75"), (281, 3, "281/3")] {
            let tempo = Beats::new(numer, denom);
            assert_eq!(print_tempo(tempo), text);
            assert_eq!(estampie_engine::music::exact::read(text), Some(tempo));
        }
    }
}
