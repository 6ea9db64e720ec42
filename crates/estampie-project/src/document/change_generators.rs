//! Edits of generators: their controls, drawings and presets, and sounds that are made by a new one.

use super::change::{appended, quoted};
use super::edit::NewValue;
use super::generators::{read_drawing, read_vary};
use super::{GeneratorDoc, Refusal, Workspace, read_setting};
use estampie_engine::curve::Curve;
use estampie_engine::dsp::generators::{self, Form, GeneratorKind, MOST_CONTROLS, Preset};
use estampie_engine::property::Unit;

/// The file that has them.
const FILE: &str = "shared.toml";

impl GeneratorDoc {
    /// Its preset, if it has one that there is.
    #[must_use]
    pub fn preset_of(&self, kind: &'static GeneratorKind) -> Option<&'static Preset> {
        let written = self.preset.as_ref()?;
        kind.presets.iter().find(|p| p.name == written.value)
    }

    /// The values of its controls as they are set: its own, its preset's, or the usual ones. What is written wrongly counts as unsaid.
    #[must_use]
    pub fn values(&self, kind: &'static GeneratorKind) -> [f32; MOST_CONTROLS] {
        let mut values = generators::usual(kind);
        let preset = self.preset_of(kind).map_or(&[][..], |p| p.set);
        for (value, setting) in values.iter_mut().zip(kind.settings) {
            let of_preset = preset.iter().find(|(word, _)| *word == setting.word).map(|(_, text)| *text);
            let own = self.set.iter().find(|(word, _)| *word == setting.word).map(|(_, text)| text.value.as_str());
            for text in of_preset.into_iter().chain(own) {
                if let Ok(read) = read_setting(setting, text) {
                    *value = read;
                }
            }
        }
        values
    }

    /// The texts of one of its drawings: its own, its preset's, or the usual ones.
    #[must_use]
    pub fn drawing_texts(&self, kind: &'static GeneratorKind, word: &str) -> Vec<String> {
        if let Some((_, texts)) = self.drawings.iter().find(|(w, _)| *w == word) {
            return texts.iter().map(|t| t.value.clone()).collect();
        }
        let preset = self.preset_of(kind).and_then(|p| p.set.iter().find(|(w, _)| *w == word));
        if let Some((_, text)) = preset {
            return text.split(';').map(|t| t.trim().to_owned()).collect();
        }
        let usual = kind.drawings.iter().find(|d| d.word == word).map_or(&[][..], |d| d.rest);
        usual.iter().map(|t| (*t).to_owned()).collect()
    }

    /// All of its drawings as curves, in the order of its kind; the usual one where one is written wrongly.
    #[must_use]
    pub fn curves(&self, kind: &'static GeneratorKind) -> Vec<Curve> {
        let of = |texts: &[String], form: Form| read_drawing(form, texts).ok();
        let usual = |rest: &[&str]| rest.iter().map(|t| (*t).to_owned()).collect::<Vec<_>>();
        kind.drawings.iter().flat_map(|d| of(&self.drawing_texts(kind, d.word), d.form).or_else(|| of(&usual(d.rest), d.form)).unwrap_or_default()).collect()
    }
}

impl Workspace {
    /// Sets controls, drawings (their texts between semicolons), `preset`, or what is drawn for a control (`vary.speed`) of a generator, as one edit; an empty
    /// text takes one out.
    ///
    /// # Errors
    /// When there is no such generator, a text is no such value, or the file cannot be edited; then nothing is changed.
    pub fn set_generator(&mut self, name: &str, sets: &[(&str, &str)]) -> Result<(), Refusal> {
        let document = self.document().clone();
        let doc = document.shared.generator.iter().find(|g| g.name == name).ok_or_else(|| Refusal::missing("generator", name))?;
        let (_, kind) = doc.kind().ok_or_else(|| format!("{name} is of no kind that there is"))?;
        let mut values = Vec::new();
        for (word, text) in sets {
            let text = text.trim().replace('−', "-");
            let path: Vec<&str> = ["generator", name].into_iter().chain(word.splitn(2, '.')).collect();
            let value = if text.is_empty() { NewValue::Nothing } else { value_of(kind, word, &text)? };
            values.push((FILE, path, value));
        }
        let words: Vec<&str> = sets.iter().map(|(word, _)| *word).collect();
        self.set_if_read(&format!("{} of generator {name}", words.join(", ")), &values)
    }

    /// Makes a sound of a new generator of a kind, perhaps with a preset, as one edit; gives the names of both. The generator is called as the last part of the sound's
    /// name, or with a number behind that.
    ///
    /// # Errors
    /// When there is no such kind or preset, the sound's name is none or is taken, or a file cannot be edited.
    pub fn new_made_sound(&mut self, sound: &str, kind: &str, preset: Option<&str>) -> Result<(String, String), Refusal> {
        let of = generators::generator(kind).map(|at| &generators::GENERATORS[at]).ok_or_else(|| format!("there is no kind of generator {kind}"))?;
        if let Some(preset) = preset.filter(|p| of.presets.iter().all(|known| known.name != *p)) {
            return Err(format!("{kind} has no preset {preset}").into());
        }
        if !crate::language::lex::is_name(sound) {
            return Err(format!("\"{sound}\" cannot be the name of a sound").into());
        }
        if self.document().sounds.iter().any(|s| s.name == sound) {
            return Err(format!("there is a sound {sound} already").into());
        }
        let wanted = sound.rsplit('/').next().unwrap_or(sound);
        let taken = |name: &String| self.document().shared.generator.iter().any(|g| g.name == *name);
        let generator = std::iter::once(wanted.to_owned()).chain((2..).map(|n| format!("{wanted}-{n}"))).find(|name| !taken(name)).unwrap_or_default();
        let mut made = format!("[generator.{}]\nkind   = \"{kind}\"\n", quoted(&generator));
        if let Some(preset) = preset {
            made.push_str(&format!("preset = \"{preset}\"\n"));
        }
        let file = self.file_for(sound);
        let of_file = |file: &str| self.sources().get(file).map_or(String::new(), ToString::to_string);
        let text = format!("[{}]\ntakes = [\"generator {generator}\"]\n", quoted(sound));
        let files = vec![(FILE.to_owned(), Some(appended(&of_file(FILE), &made))), (file.clone(), Some(appended(&of_file(&file), &text)))];
        self.change_if_read(&format!("new sound {sound}"), files)?;
        Ok((sound.to_owned(), generator))
    }
}

/// What is written for a word of a generator, if the text is such a value.
fn value_of(kind: &'static GeneratorKind, word: &str, text: &str) -> Result<NewValue, Refusal> {
    if let Some(control) = word.strip_prefix("vary.") {
        let setting = kind.settings.iter().find(|s| s.word == control).ok_or_else(|| format!("{} has no control {control}", kind.word))?;
        let property = generators::control(control).filter(|_| !setting.fixed).ok_or_else(|| format!("{control} is fixed and cannot be drawn"))?;
        read_vary(property, text).map_err(|what| what.to_string())?;
    } else if let Some(drawing) = kind.drawings.iter().find(|d| d.word == word) {
        let texts: Vec<String> = text.split(';').map(|t| t.trim().to_owned()).filter(|t| !t.is_empty()).collect();
        read_drawing(drawing.form, &texts).map_err(|(_, what)| what.to_string())?;
        return Ok(match drawing.form {
            Form::Steps => NewValue::Text(texts.concat()),
            Form::Tune => NewValue::Text(texts.join(" ")),
            Form::Path | Form::Curve => NewValue::List(texts),
        });
    } else if let Some(setting) = kind.settings.iter().find(|s| s.word == word) {
        read_setting(setting, text).map_err(|what| what.to_string())?;
        if let Unit::Choice(_) = setting.unit {
            return Ok(NewValue::Text(text.to_owned()));
        }
    } else if word == "plays" && kind.plays() {
        return Ok(NewValue::Text(text.to_owned()));
    } else if word == "preset" {
        if kind.presets.iter().all(|p| p.name != text) {
            return Err(format!("{} has no preset {text}", kind.word).into());
        }
    } else {
        return Err(format!("{} has no {word}", kind.word).into());
    }
    Ok(NewValue::Text(text.to_owned()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::path::Path;

    fn open(folder: &Path) -> Workspace {
        std::fs::write(folder.join("estampie.toml"), "format = 1\n").unwrap();
        Workspace::open(folder).unwrap()
    }

    #[test]
    fn a_sound_is_made_set_drawn_and_undone() {
        let folder = tempfile::tempdir().unwrap();
        let mut workspace = open(folder.path());
        let (sound, generator) = workspace.new_made_sound("rig/rope", "pass-by", Some("rope's end")).unwrap();
        assert_eq!((sound.as_str(), generator.as_str()), ("rig/rope", "rope"));
        assert!(workspace.faults().is_empty(), "{:?}", workspace.faults());
        let kind = workspace.document().shared.generator[0].kind().unwrap().1;
        let of = |workspace: &Workspace, word: &str| {
            let doc = &workspace.document().shared.generator[0];
            doc.values(kind)[kind.settings.iter().position(|s| s.word == word).unwrap()]
        };
        assert_eq!(of(&workspace, "duration"), 0.45, "of its preset");
        workspace.set_generator("rope", &[("duration", "1.5 s"), ("vary.duration", "-2..2 st"), ("path", "-4 m, 1 m; 0 m, 0.5 m; 4 m, 1 m")]).unwrap();
        assert_eq!(of(&workspace, "duration"), 1.5);
        assert_eq!(workspace.document().shared.generator[0].curves(kind)[0].points().len(), 3);
        let text = workspace.sources().get("shared.toml").unwrap().to_string();
        assert!(text.contains("path = [\"-4 m, 1 m\", \"0 m, 0.5 m\", \"4 m, 1 m\"]") && text.contains("duration = \"-2..2 st\""), "{text}");
        workspace.set_generator("rope", &[("duration", "")]).unwrap();
        assert_eq!(of(&workspace, "duration"), 0.45);
        for _ in 0..3 {
            let _ = workspace.undo();
        }
        assert!(workspace.document().sounds.is_empty() && workspace.document().shared.generator.is_empty(), "all is undone");
    }

    #[test]
    fn what_is_no_value_changes_nothing_and_says_why() {
        let folder = tempfile::tempdir().unwrap();
        let mut workspace = open(folder.path());
        workspace.new_made_sound("gale", "wind", None).unwrap();
        let before = workspace.sources().get("shared.toml").unwrap().to_string();
        for (word, text, why) in [
            ("speed", "900", "out of range"),
            ("speed", "fast", "is not a number"),
            ("spede", "9", "wind has no spede"),
            ("preset", "breeze", "wind has no preset breeze"),
            ("vary.channels", "0..1", "is fixed"),
            ("vary.speed", "5", "is not a range"),
        ] {
            let told = workspace.set_generator("gale", &[(word, text)]).unwrap_err().to_string();
            assert!(told.contains(why), "{word} {text}: {told}");
        }
        assert!(workspace.set_generator("gust", &[("speed", "9")]).is_err());
        assert!(workspace.new_made_sound("gale", "wind", None).unwrap_err().to_string().contains("already"));
        assert!(workspace.new_made_sound("x y", "wind", None).is_err() && workspace.new_made_sound("z", "winds", None).is_err());
        assert_eq!(workspace.sources().get("shared.toml").unwrap().to_string(), before);
        // A second one of a name gets a number.
        assert_eq!(workspace.new_made_sound("other/gale", "wind", None).unwrap().1, "gale-2");
    }
}
