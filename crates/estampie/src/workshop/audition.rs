//! Hearing a file that nothing plays yet, and measuring it: for as long as it is heard the program has one more sound, which stands nowhere in the project.

use super::app::App;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_project::document::{Document, SoundDoc, Sources, TakeDoc};
use std::collections::BTreeSet;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// The name of that sound: none of a project can be called so.
const NAME: &str = "audio file";
/// It is given up when nothing of it has sounded for so long.
const KEPT: Duration = Duration::from_millis(1_500);

/// A file that is heard before anything plays it.
#[derive(Debug, Default)]
pub(crate) struct Audition {
    sound: Option<(String, Arc<SoundDoc>)>,
    /// It is to be played as soon as it is loaded.
    waits: bool,
    /// When it was last seen to sound, or asked for.
    seen: Option<Instant>,
}

/// A sound that plays a file as it is.
fn sound_of(file: &str) -> Option<Arc<SoundDoc>> {
    let sources = Sources::from_texts([("sounds/heard.toml", "[heard]\ntakes = [\"audio/heard.wav\"]\n")]);
    let (document, _) = Document::read(&sources, &BTreeSet::from(["audio/heard.wav".to_owned()]));
    let mut sound = SoundDoc::clone(document.sounds.first()?);
    NAME.clone_into(&mut sound.name);
    sound.groups.first_mut()?.1.first_mut()?.value.take = TakeDoc::File(file.to_owned());
    Some(Arc::new(sound))
}

impl App {
    /// What is compiled: the project, and what is heard besides.
    pub(crate) fn heard_document(&self) -> Arc<Document> {
        let document = self.workspace.document();
        match &self.audition.sound {
            None => Arc::clone(document),
            Some((_, sound)) => {
                let mut more = Document::clone(document);
                more.sounds.push(Arc::clone(sound));
                Arc::new(more)
            }
        }
    }

    /// Hears a file of the project, whether anything plays it or not.
    pub(crate) fn hear_alone(&mut self, file: &str) {
        if self.only_here("hearing a file that nothing plays") {
            return;
        }
        if self.audition.sound.as_ref().is_none_or(|(of, _)| of != file) {
            self.rehearsal.say(InputKind::Stop { sound: NameKey::of(NAME) });
            self.audition.sound = sound_of(file).map(|sound| (file.to_owned(), sound));
            self.compile();
            self.load_missing();
        }
        (self.audition.waits, self.audition.seen) = (true, Some(Instant::now()));
        self.poll_audition();
    }

    /// Plays what waits when it is loaded, and gives up what has ended; true if there is something new to show.
    pub(super) fn poll_audition(&mut self) -> bool {
        let Some((file, _)) = &self.audition.sound else { return false };
        if self.audition.waits {
            let why = match self.assets.get(file) {
                Some(Err(why)) => Some(format!("{file} cannot be heard: {why}")),
                _ => None,
            };
            if let Some(why) = why {
                self.audition.waits = false;
                self.alarm(why);
                return true;
            }
            if self.loading().is_some() {
                return false;
            }
            self.audition.waits = false;
            self.audition.seen = Some(Instant::now());
            let sound = NameKey::of(NAME);
            self.rehearsal.say(InputKind::Stop { sound });
            self.rehearsal.say(InputKind::Play { sound, emitter: NameKey::NONE });
            return true;
        }
        if self.auditioned().is_some() {
            self.audition.seen = Some(Instant::now());
        } else if self.audition.seen.is_none_or(|at| at.elapsed() > KEPT) {
            self.audition = Audition::default();
            self.compile();
            self.load_missing();
            return true;
        }
        false
    }

    /// The file that is heard just now.
    pub(crate) fn auditioned(&self) -> Option<&str> {
        let (file, _) = self.audition.sound.as_ref()?;
        let sounds = self.rehearsal.status.as_ref()?.voices.iter().any(|v| v.sound == NameKey::of(NAME));
        sounds.then_some(file.as_str())
    }
}
