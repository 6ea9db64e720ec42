//! Which playthroughs an edit can change: of the others what was found before still holds, and they need not be rendered again.

use super::coverage::Coverage;
use estampie_project::document::Sources;
use std::collections::BTreeSet;
use toml_edit::{DocumentMut, Item};

/// What an edit can change.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Touched {
    /// Everything.
    pub all: bool,
    /// What comes by one of these sounds.
    pub sounds: BTreeSet<String>,
    /// These playthroughs.
    pub playthroughs: BTreeSet<String>,
}

impl Touched {
    /// Whether a playthrough can have changed that came by so much.
    #[must_use]
    pub fn changes(&self, playthrough: &str, coverage: &Coverage) -> bool {
        let asked = |sound: &String| coverage.refused.keys().any(|(refused, _)| refused == sound) || coverage.count("sounds", sound).is_some_and(|n| n > 0);
        self.all || self.playthroughs.contains(playthrough) || self.sounds.iter().any(asked)
    }
}

/// What the way from some texts of a project to others can change. Sounds that a playthrough never asks for, other playthroughs, and how made-up play goes
/// mean nothing to it; whatever is changed besides may touch everything.
#[must_use]
pub fn touched(before: &Sources, after: &Sources) -> Touched {
    let mut touched = Touched::default();
    let files: BTreeSet<&str> = before.texts().chain(after.texts()).map(|(file, _)| file).collect();
    for file in files {
        let (old, new) = (before.get(file), after.get(file));
        if old == new || matches!(file, "explore.toml" | "listening.toml") {
            continue;
        }
        if let Some(name) = file.strip_prefix("playthroughs/").and_then(|f| f.strip_suffix(".play")) {
            touched.playthroughs.insert(name.to_owned());
        } else if file.starts_with("sounds/") {
            match (sounds(old.map_or("", |t| t)), sounds(new.map_or("", |t| t))) {
                (Some(old), Some(new)) => differing(&old, &new, &mut touched.sounds),
                _ => touched.all = true,
            }
        } else {
            touched.all = true;
        }
    }
    touched
}

/// The tables of a text of sounds.
fn sounds(text: &str) -> Option<DocumentMut> {
    text.parse().ok()
}

fn differing(old: &DocumentMut, new: &DocumentMut, found: &mut BTreeSet<String>) {
    // With all that stands around it: comments and order are not worth being told apart.
    let text = |item: Option<&Item>| item.map(ToString::to_string);
    for (name, _) in old.iter().chain(new.iter()) {
        if text(old.get(name)) != text(new.get(name)) {
            found.insert(name.to_owned());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const BELL: &str = "[bell]\ntakes = [\"a.wav\"]\n\n[horn]\ntakes = [\"b.wav\"]\n";

    fn sources(files: &[(&str, &str)]) -> Sources {
        Sources::from_texts(files.iter().copied())
    }

    #[test]
    fn an_edit_touches_what_hears_its_sounds_and_its_own_playthrough() {
        let before = sources(&[("sounds/a.toml", BELL), ("playthroughs/p.play", "1 end\n"), ("explore.toml", "")]);
        let with = |file: &str, text: &str| {
            let mut files = vec![("sounds/a.toml", BELL), ("playthroughs/p.play", "1 end\n"), ("explore.toml", "")];
            files.retain(|(f, _)| *f != file);
            files.push((file, text));
            touched(&before, &sources(&files))
        };
        let names = |names: &[&str]| names.iter().map(|n| (*n).to_owned()).collect::<BTreeSet<_>>();
        assert_eq!(touched(&before, &before), Touched::default());
        let louder = BELL.replace("[horn]\n", "[horn]\nlevel = \"2 dB\"\n");
        assert_eq!(with("sounds/a.toml", &louder), Touched { sounds: names(&["horn"]), ..Touched::default() });
        // A new one, and one that is gone.
        assert_eq!(with("sounds/a.toml", &BELL.replace("bell", "gong")).sounds, names(&["bell", "gong"]));
        assert_eq!(with("sounds/b.toml", "[drum]\n").sounds, names(&["drum"]));
        assert_eq!(with("playthroughs/p.play", "2 end\n"), Touched { playthroughs: names(&["p"]), ..Touched::default() });
        assert_eq!(with("explore.toml", "length = \"9 s\"\n"), Touched::default());
        for (file, text) in [("reactions.est", "When bell\n  play bell\n"), ("mix.toml", "[main]\n"), ("sounds/a.toml", "[bell\n")] {
            assert!(with(file, text).all, "{file}");
        }
    }

    #[test]
    fn a_playthrough_is_touched_by_what_it_asks_for_heard_or_refused() {
        let mut coverage = Coverage::default();
        let heard = |count: u64| (if count > 0 { vec![("p".to_owned(), count)] } else { Vec::new() }).into_iter().collect();
        coverage.kinds.push(("sounds", [("bell".to_owned(), heard(2)), ("horn".to_owned(), heard(0)), ("gong".to_owned(), heard(0))].into()));
        coverage.refused.insert(("gong".into(), "chance".into()), heard(1));
        let of = |sound: &str| Touched { sounds: [sound.to_owned()].into(), ..Touched::default() };
        let changed = ["bell", "horn", "gong", "drum"].map(|sound| of(sound).changes("p", &coverage));
        assert_eq!(changed, [true, false, true, false]);
        let other = Touched { playthroughs: ["q".to_owned()].into(), ..Touched::default() };
        assert_eq!((other.changes("p", &coverage), other.changes("q", &coverage)), (false, true));
        assert!(Touched { all: true, ..Touched::default() }.changes("p", &coverage));
    }
}
