//! What is asked of a take that is made: values of its generator, and what a new one is to be.

use super::super::app::{App, Mode};
use super::super::text_field::TextField;
use super::super::view::{Ask, owned};
use super::made::INSTRUMENT;
use estampie_engine::dsp::generators::GENERATORS;
use estampie_engine::property::Unit;
use estampie_project::document::{Refusal, did_you_mean};

/// What is typed for a generator that is open.
#[derive(Debug)]
pub(super) enum MadePrompt {
    Control(&'static str),
    Drawing(&'static str),
    Vary(&'static str),
    Moves(&'static str),
    Preset,
}

impl Ask for MadePrompt {
    fn words(&self, app: &App) -> String {
        let name = app.sounds.made.as_ref().map_or("", |m| m.name.as_str());
        match self {
            MadePrompt::Control(word) | MadePrompt::Drawing(word) => format!("{word} of {name}"),
            MadePrompt::Vary(word) => format!("each playing adds to {word}"),
            MadePrompt::Moves(word) => format!("{word} of {name} is moved by the parameter"),
            MadePrompt::Preset => format!("{name} begins with the preset"),
        }
    }

    fn offers(&self, app: &App) -> Vec<String> {
        let kind = app.sounds.made.as_ref().and_then(|m| m.doc(app)).map(|(_, kind)| kind);
        match self {
            MadePrompt::Moves(_) => owned(app.document().parameters.iter().map(|p| p.name.as_str())),
            MadePrompt::Preset => kind.map_or_else(Vec::new, |kind| owned(kind.presets.iter().map(|p| p.name))),
            MadePrompt::Control(word) => match kind.and_then(|k| k.settings.iter().find(|s| s.word == *word)).map(|s| s.unit) {
                Some(Unit::Choice(words)) if *word == INSTRUMENT => {
                    owned(words.iter().copied().chain(app.document().music.instruments.iter().map(|i| i.name.as_str())))
                }
                Some(Unit::Choice(words)) => owned(words.iter().copied()),
                _ => Vec::new(),
            },
            _ => Vec::new(),
        }
    }

    fn hint(&self, app: &App) -> Option<String> {
        let (_, kind) = app.sounds.made.as_ref()?.doc(app)?;
        Some(match self {
            MadePrompt::Control(word) => {
                let setting = kind.settings.iter().find(|s| s.word == *word)?;
                match setting.unit {
                    Unit::Choice(words) if *word == INSTRUMENT => format!("{}, or an instrument of the music", words.join(", ")),
                    Unit::Choice(words) => words.join(", "),
                    unit => format!("{} to {}; left empty, as its preset says or as is usual", unit.print(setting.low), unit.print(setting.high)),
                }
            }
            MadePrompt::Drawing(word) => {
                let drawing = kind.drawings.iter().find(|d| d.word == *word)?;
                format!("{}; left empty, as its preset says or as is usual", drawing.says)
            }
            MadePrompt::Vary(word) => {
                let octaves = kind.settings.iter().any(|s| s.word == *word && s.by_octaves());
                format!("a range, like {}; left empty, nothing", if octaves { "-2..2 st" } else { "-2..2, in its unit" })
            }
            MadePrompt::Moves(_) => "its curve is drawn next, and gives the value itself".into(),
            MadePrompt::Preset => kind.presets.iter().map(|p| p.name).collect::<Vec<_>>().join(", "),
        })
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let Some(name) = app.sounds.made.as_ref().map(|m| m.name.clone()) else { return Ok(()) };
        let vary;
        let word = match self {
            MadePrompt::Control(word) | MadePrompt::Drawing(word) => word,
            MadePrompt::Vary(word) => {
                vary = format!("vary.{word}");
                vary.as_str()
            }
            MadePrompt::Preset => "preset",
            MadePrompt::Moves(word) => {
                let parameter = text.trim();
                if !app.document().parameters.iter().any(|p| p.name == parameter) {
                    let near = did_you_mean(parameter, app.document().parameters.iter().map(|p| p.name.as_str()), "the view Project makes them");
                    return Err(format!("there is no parameter {parameter}; {near}").into());
                }
                return app.new_modulation(&format!("{parameter} moves generator {name} {word}"));
            }
        };
        if *word == *INSTRUMENT {
            let own = app.document().music.instruments.iter().any(|i| i.name == text.trim());
            let (built_in, plays) = if own { ("", text) } else { (text, "") };
            app.workspace.set_generator(&name, &[(INSTRUMENT, built_in), ("plays", plays)])?;
        } else {
            app.workspace.set_generator(&name, &[(word, text)])?;
        }
        app.recompile();
        app.mend_focus();
        Ok(())
    }
}

/// What kind of sound is to be made, and then what it is called.
#[derive(Debug)]
pub(super) struct KindPrompt;

#[derive(Debug)]
struct NamePrompt {
    kind: &'static str,
    preset: Option<&'static str>,
}

/// All kinds with their presets, as they are typed.
fn kinds() -> impl Iterator<Item = (String, &'static str, Option<&'static str>)> {
    GENERATORS.iter().flat_map(|kind| {
        let plain = std::iter::once((kind.word.to_owned(), kind.word, None));
        plain.chain(kind.presets.iter().map(|p| (format!("{}, {}", kind.word, p.name), kind.word, Some(p.name))))
    })
}

impl Ask for KindPrompt {
    fn words(&self, _app: &App) -> String {
        "a sound without a file, made by".into()
    }

    fn offers(&self, _app: &App) -> Vec<String> {
        kinds().map(|(typed, ..)| typed).collect()
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some(format!("{}; perhaps with a preset", GENERATORS.iter().map(|kind| kind.word).collect::<Vec<_>>().join(", ")))
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let Some((_, kind, preset)) = kinds().find(|(typed, ..)| typed == text.trim()) else {
            let all: Vec<String> = kinds().map(|(typed, ..)| typed).collect();
            let fix = did_you_mean(text.trim(), all.iter().map(String::as_str), "write a kind, perhaps with a comma and a preset behind it");
            return Err(format!("there is no generator {}; {fix}", text.trim()).into());
        };
        let wanted: String = preset.unwrap_or(kind).chars().map(|c| if c.is_alphanumeric() { c.to_ascii_lowercase() } else { '-' }).collect();
        app.mode = Mode::typing(NamePrompt { kind, preset }, TextField::offer(&format!("made/{}", wanted.trim_matches('-').replace("--", "-"))));
        Ok(())
    }
}

impl Ask for NamePrompt {
    fn words(&self, _app: &App) -> String {
        format!("the sound that {} makes is called", self.kind)
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let (sound, generator) = app.workspace.new_made_sound(text.trim(), self.kind, self.preset)?;
        app.sounds.selected.clone_from(&sound);
        app.sounds.filter.clear();
        app.sounds.take = 0;
        app.recompile();
        app.open_made(&generator, (0, 0));
        app.say(format!("{sound} is made by the generator {generator}; enter hears it, esc goes back"));
        Ok(())
    }
}
