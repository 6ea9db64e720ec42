//! Generators, as written in `shared.toml`: takes that are made instead of recorded.

use super::Place;
use super::curve::read_point;
use super::fields::{Fields, Located, Reading};
use super::game::well_named;
use super::registry;
use estampie_engine::curve::{Curve, Point, Shape};
use estampie_engine::dsp::generators::{Form, GENERATORS, GeneratorKind, MOST_DEGREE, MOST_TUNE_STEPS, TuneNote, TuneStep, tune_curves, tune_steps};
use estampie_engine::property::{Property, Unit};
use estampie_engine::random::Draw;
use estampie_engine::units::{Seconds, ValueError, split_number};
use std::fmt;

/// What a take begins with that is a generator instead of a file or a sound.
const WORD: &str = "generator ";

/// A generator as written.
#[derive(Debug, Clone)]
pub struct GeneratorDoc {
    /// Its name, by which takes name it.
    pub name: String,
    /// What it makes; if not said, its name tells.
    pub kind: Option<Located<String>>,
    /// What it begins with.
    pub preset: Option<Located<String>>,
    /// The instrument of the music that it plays, if it plays one.
    pub plays: Option<Located<String>>,
    /// It ends after this time; unsaid, it goes on until it is let go, or ends by itself.
    pub length: Option<Seconds>,
    /// Controls as written.
    pub set: Vec<(&'static str, Located<String>)>,
    /// Drawings as written, text by text.
    pub drawings: Vec<(&'static str, Vec<Located<String>>)>,
    /// What each playing draws for controls, as written.
    pub vary: Vec<(Located<String>, Located<String>)>,
    /// Where it is written.
    pub place: Place,
}

impl GeneratorDoc {
    /// Its kind, with its place in the list of kinds; `None` if there is no such one.
    #[must_use]
    pub fn kind(&self) -> Option<(usize, &'static GeneratorKind)> {
        let word = self.kind.as_ref().map_or(self.name.as_str(), |kind| kind.value.as_str());
        GENERATORS.iter().enumerate().find(|(_, kind)| kind.word == word)
    }
}

impl fmt::Display for GeneratorDoc {
    /// Its kind with what is said of it: "noise, colour pink, ends after 2 s".
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.kind.as_ref().map_or(&self.name, |kind| &kind.value))?;
        if let Some(preset) = &self.preset {
            write!(f, ", {}", preset.value)?;
        }
        if let Some(plays) = &self.plays {
            write!(f, ", plays {}", plays.value)?;
        }
        for (word, text) in &self.set {
            write!(f, ", {word} {}", text.value)?;
        }
        self.length.map_or(Ok(()), |length| write!(f, ", ends after {length}"))
    }
}

/// The name of the generator that a take is, if it is one.
pub(super) fn generator_of(take: &str) -> Option<&str> {
    take.strip_prefix(WORD).map(str::trim)
}

/// Words of all kinds, each once.
fn words(of: impl Fn(&'static GeneratorKind) -> Vec<&'static str>) -> Vec<&'static str> {
    let mut words: Vec<&'static str> = GENERATORS.iter().flat_map(of).collect();
    words.sort_unstable();
    words.dedup();
    words
}

/// The generators of `shared.toml`.
pub(super) fn read_generators(reading: &Reading<'_>, top: &Fields<'_>) -> Vec<GeneratorDoc> {
    let mut list = Vec::new();
    for (name, item, place) in top.entries(registry::GENERATOR.name) {
        if well_named(reading, &name, &place)
            && let Some(fields) = top.inside(registry::GENERATOR.name, item, format!("the generator {name}"), place.clone())
        {
            let written = fields.names();
            let set = words(|kind| kind.settings.iter().map(|s| s.word).collect()).into_iter().filter(|word| written.iter().any(|n| n == word));
            let drawn = words(|kind| kind.drawings.iter().map(|d| d.word).collect()).into_iter().filter(|word| written.iter().any(|n| n == word));
            let mut vary = Vec::new();
            for (control, item, place) in fields.entries("vary") {
                match item.as_str() {
                    Some(text) => vary.push((Located { value: control, place: place.clone() }, Located { value: text.to_owned(), place })),
                    None => reading.fault(&place, format!("what is drawn for {control} is not a text"), "write a range, like \"-2..2 st\""),
                }
            }
            let generator = GeneratorDoc {
                kind: fields.text("kind"),
                preset: fields.text("preset"),
                plays: fields.text("plays"),
                length: fields.limited("ends-after", Seconds(0.005), Seconds(3600.0)),
                set: set.filter_map(|word| Some((word, fields.text(word)?))).collect(),
                drawings: drawn.filter_map(|word| Some((word, parts(&fields.texts(word)?)))).collect(),
                vary,
                place,
                name,
            };
            fields.text("note");
            fields.finish();
            list.push(generator);
        }
    }
    list
}

/// What stands between semicolons in texts, each at the place of its text.
fn parts(texts: &[Located<String>]) -> Vec<Located<String>> {
    let part = |text: &Located<String>, part: &str| Located { value: part.trim().to_owned(), place: text.place.clone() };
    texts.iter().flat_map(|text| text.value.split(';').filter(|p| !p.trim().is_empty()).map(|p| part(text, p)).collect::<Vec<_>>()).collect()
}

/// The curves of a drawing, by its texts. An error says which text it is about.
///
/// # Errors
/// With what is wrong, as a sentence, and the place of the text among all.
pub fn read_drawing(form: Form, texts: &[String]) -> Result<Vec<Curve>, (usize, ValueError)> {
    let straight = |x: f32, y: f32| Point { x, y, shape: Shape::Straight };
    match form {
        Form::Path => {
            let mut places = Vec::new();
            for (at, text) in texts.iter().enumerate() {
                places.push(read_place(text).map_err(|what| (at, what))?);
            }
            if !(2..=MOST_PLACES).contains(&places.len()) {
                return Err((0, ValueError::Refused(format!("a path has from 2 to {MOST_PLACES} places, this one has {}", places.len()))));
            }
            let along = |side: usize| Curve::new(places.iter().enumerate().map(|(at, place): (usize, &[f32; 2])| straight(at as f32, place[side])));
            Ok(vec![along(0), along(1)])
        }
        Form::Curve => {
            let mut points: Vec<Point> = Vec::new();
            for (at, text) in texts.iter().enumerate() {
                let mut point =
                    read_point(&text.replacen(" %:", "%:", 1).replacen("%:", ":", 1), "", Property::Setting(Unit::Share)).map_err(|what| (at, what))?;
                point.x /= 100.0;
                if points.last().is_some_and(|last| point.x <= last.x) {
                    return Err((at, ValueError::Refused(format!("the point \"{text}\" does not lie after the one before it"))));
                }
                if !(0.0..=1.0).contains(&point.x) || !(0.0..=1.0).contains(&point.y) {
                    return Err((at, ValueError::Refused(format!("the point \"{text}\" does not lie between 0 % and 100 %"))));
                }
                points.push(point);
            }
            if points.is_empty() {
                return Err((0, ValueError::Refused("this curve has no points".to_owned())));
            }
            Ok(vec![Curve::new(points)])
        }
        Form::Tune => read_tune(texts).map(|steps| tune_curves(&steps)).map_err(|what| (0, what)),
        Form::Steps => {
            let text: String = texts.concat();
            let steps: Option<Vec<f32>> =
                text.chars().filter(|c| !c.is_whitespace()).map(|c| ['.', 'x', 'X'].iter().position(|s| *s == c).map(|p| p as f32)).collect();
            let steps = steps.filter(|s| (1..=MOST_STEPS).contains(&s.len()) && s.iter().any(|s| *s > 0.0));
            let steps = steps.ok_or_else(|| (0, ValueError::not(&text, "a pattern of x, X and ., like X.x., with a pulse and no more than 64 steps")))?;
            Ok(vec![Curve::new(steps.into_iter().enumerate().map(|(at, step)| Point { x: at as f32, y: step, shape: Shape::Held }))])
        }
    }
}

/// The texts of a drawing, so that [`read_drawing`] reads them again.
#[must_use]
pub fn print_drawing(form: Form, curves: &[Curve]) -> Vec<String> {
    let number = |value: f32| {
        let text = format!("{value:.2}");
        let text = text.trim_end_matches('0').trim_end_matches('.').to_owned();
        if text == "-0" { "0".to_owned() } else { text }
    };
    match (form, curves) {
        (Form::Path, [right, ahead]) => {
            right.points().iter().zip(ahead.points()).map(|(right, ahead)| format!("{} m, {} m", number(right.y), number(ahead.y))).collect()
        }
        (Form::Curve, [curve]) => {
            let shape = |shape: Shape| if shape == Shape::Straight { String::new() } else { format!(", {shape}") };
            curve.points().iter().map(|p| format!("{} %: {} %{}", number(p.x * 100.0), number(p.y * 100.0), shape(p.shape))).collect()
        }
        (Form::Steps, [curve]) => vec![curve.points().iter().map(|p| ['.', 'x', 'X'][(p.y.clamp(0.0, 2.0)) as usize]).collect()],
        (Form::Tune, curves) => vec![print_tune(&tune_steps(curves).collect::<Vec<_>>())],
        _ => Vec::new(),
    }
}

/// Reads a tune: steps with spaces between, as [`print_tune`] writes them.
fn read_tune(texts: &[String]) -> Result<Vec<TuneStep>, ValueError> {
    let mut steps = Vec::new();
    for text in texts.iter().flat_map(|t| t.split_whitespace()) {
        let wrong = || {
            let known = "a step of a tune, like 1, b3, #4, 1' (an octave above), 1, (below), 1+3+5 (up to four at once), with ! behind it if accented; - or .";
            ValueError::not(text, known)
        };
        steps.push(match text {
            "." => TuneStep::default(),
            "-" => TuneStep { held: true, ..TuneStep::default() },
            _ => {
                let (notes, accented) = text.strip_suffix('!').map_or((text, false), |notes| (notes, true));
                let mut step = TuneStep { accented, ..TuneStep::default() };
                for (at, note) in notes.split('+').enumerate() {
                    *step.notes.get_mut(at).ok_or_else(wrong)? = Some(read_tune_note(note).ok_or_else(wrong)?);
                }
                step
            }
        });
    }
    if steps.len() > MOST_TUNE_STEPS || steps.iter().all(|s| s.notes[0].is_none()) {
        return Err(ValueError::Refused(format!("a tune has from 1 to {MOST_TUNE_STEPS} steps, and a note among them; this one has {} steps", steps.len())));
    }
    Ok(steps)
}

fn read_tune_note(text: &str) -> Option<TuneNote> {
    let (altered, rest) = match text.strip_prefix('b') {
        Some(rest) => (-1, rest),
        None => text.strip_prefix('#').map_or((0, text), |rest| (1, rest)),
    };
    let digits = rest.trim_end_matches(['\'', ',']);
    let marks = &rest[digits.len()..];
    let octave = marks.chars().map(|c| if c == ',' { -1i8 } else { 1 }).sum::<i8>();
    let degree = digits.parse().ok().filter(|d| (1..=MOST_DEGREE).contains(d) && digits.chars().all(|c| c.is_ascii_digit()))?;
    (marks.len() <= 3 && !(marks.contains(',') && marks.contains('\''))).then_some(TuneNote { degree, octave, altered })
}

/// A tune as it is written.
#[must_use]
pub fn print_tune(steps: &[TuneStep]) -> String {
    let note = |note: &TuneNote| {
        let altered = ["b", "", "#"][(note.altered.clamp(-1, 1) + 1) as usize];
        let mark = if note.octave < 0 { "," } else { "'" };
        format!("{altered}{}{}", note.degree, mark.repeat(usize::from(note.octave.unsigned_abs())))
    };
    let step = |step: &TuneStep| match step.notes[0] {
        _ if step.held => "-".to_owned(),
        None => ".".to_owned(),
        Some(_) => {
            let notes: Vec<String> = step.notes.iter().flatten().map(note).collect();
            format!("{}{}", notes.join("+"), if step.accented { "!" } else { "" })
        }
    };
    steps.iter().map(step).collect::<Vec<_>>().join(" ")
}

/// Reads a place such as `-1.5 m, 0.4 m`: metres to the right and ahead.
fn read_place(text: &str) -> Result<[f32; 2], ValueError> {
    let wrong = || ValueError::not(text, "a place: metres to the right and ahead, like -1.5 m, 0.4 m");
    let (right, ahead) = text.split_once(',').ok_or_else(wrong)?;
    let metres =
        |text: &str| split_number(text).filter(|(value, unit)| (unit.is_empty() || *unit == "m") && value.abs() <= 500.0).map(|(value, _)| value as f32);
    Ok([metres(right).ok_or_else(wrong)?, metres(ahead).ok_or_else(wrong)?])
}

/// Reads a range that is drawn for a control each time: its ends are added to where it is, in octaves where it moves by octaves.
///
/// # Errors
/// With what is wrong, as a sentence.
pub fn read_vary(control: Property, text: &str) -> Result<Draw, ValueError> {
    let (range, centred) = match text.split_once(',') {
        Some((range, word)) if word.trim() == "centred" => (range, true),
        Some((_, word)) => return Err(ValueError::not(word.trim(), "centred")),
        None => (text, false),
    };
    let wrong = || ValueError::not(text, "a range, the lower end first, like -2..2 st");
    let (low, high) = range.split_once("..").ok_or_else(wrong)?;
    // The unit may stand once, behind both.
    let unit: String = high.trim().chars().skip_while(|c| c.is_ascii_digit() || "+-−. ".contains(*c)).collect();
    let low = low.trim();
    let low = if low.ends_with(|c: char| c.is_ascii_digit()) { format!("{low} {unit}") } else { low.to_owned() };
    let (low, high) = (control.read(low.trim())?, control.read(high.trim())?);
    if low > high { Err(wrong()) } else { Ok(Draw { ends: (low, high), centred }) }
}

/// The most places of a path.
pub const MOST_PLACES: usize = 24;
/// The most steps of a pattern.
const MOST_STEPS: usize = 64;

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_engine::dsp::generators::control;
    use proptest::prelude::*;

    #[test]
    fn every_drawing_and_every_preset_is_read() {
        for kind in GENERATORS {
            for drawing in kind.drawings {
                let rest: Vec<String> = drawing.rest.iter().map(|t| (*t).to_owned()).collect();
                let curves = read_drawing(drawing.form, &rest).unwrap();
                assert_eq!(curves.len(), drawing.form.curves(), "{} {}", kind.word, drawing.word);
                assert_eq!(read_drawing(drawing.form, &print_drawing(drawing.form, &curves)).unwrap(), curves);
            }
            for preset in kind.presets {
                for (word, text) in preset.set {
                    if let Some(drawing) = kind.drawings.iter().find(|d| d.word == *word) {
                        let texts: Vec<String> = text.split(';').map(|t| t.trim().to_owned()).collect();
                        read_drawing(drawing.form, &texts).unwrap_or_else(|(_, what)| panic!("{} of {}: {what}", word, preset.name));
                    }
                }
            }
        }
    }

    #[test]
    fn what_is_no_tune_is_told_with_how_one_is_written() {
        for text in ["", ". -", "0", "25", "1+2+3+4+5", "x", "b", "1',", "1,,,,", "1!!", "é", "1 2 3 +", "b#3"] {
            let error = read_drawing(Form::Tune, &[text.to_owned()]).expect_err(text).1.to_string();
            assert!(error.contains("a tune"), "{text}: {error}");
        }
        let long = vec!["1 ".repeat(65)];
        assert!(read_drawing(Form::Tune, &long).unwrap_err().1.to_string().contains("this one has 65 steps"));
    }

    #[test]
    fn what_is_drawn_for_a_control_is_added_in_octaves_or_in_its_unit() {
        let of = |word: &str, text: &str| read_vary(control(word).unwrap(), text).map(|d| d.ends);
        assert_eq!(of("slit", "-6..6 st").unwrap(), (-0.5, 0.5));
        assert_eq!(of("slit", "-1 oct..0.5 oct").unwrap(), (-1.0, 0.5));
        assert_eq!(of("speed", "-2..3").unwrap(), (-2.0, 3.0));
        assert_eq!(of("howl", "-10..20 %").unwrap(), (-0.1, 0.2));
        for (word, text) in [("slit", "3..9 Hz"), ("speed", "3..-3"), ("speed", "3"), ("howl", "0..10 %, often")] {
            assert!(of(word, text).is_err(), "{word} {text}");
        }
    }

    /// The tables of the manual: every kind with its controls, drawings and presets.
    fn tables() -> String {
        let mut page = String::new();
        for kind in GENERATORS {
            page.push_str(&format!("\n## {}\n\n{}.\n\n| control | from | to | unsaid | |\n|---|---|---|---|---|\n", kind.word, kind.says));
            for setting in kind.settings {
                let (low, high) = match setting.unit {
                    Unit::Choice(words) => (words.join(", "), String::new()),
                    unit => (unit.print(setting.low), unit.print(setting.high)),
                };
                let how = if setting.fixed {
                    "fixed"
                } else if setting.by_octaves() {
                    "by octaves"
                } else {
                    ""
                };
                page.push_str(&format!("| `{}` | {low} | {high} | {} | {how} |\n", setting.word, setting.unit.print(setting.rest)));
            }
            for drawing in kind.drawings {
                page.push_str(&format!("\n`{}`: {}. Unsaid: `{}`.\n", drawing.word, drawing.says, drawing.rest.join("; ")));
            }
            let presets: Vec<String> = kind.presets.iter().map(|p| format!("`{}` ({})", p.name, p.says)).collect();
            page.push_str(&format!("\nPresets: {}.\n", presets.join(", ")));
        }
        page
    }

    #[test]
    fn the_manual_has_every_control_drawing_and_preset() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/generators.md");
        let text = std::fs::read_to_string(path).unwrap();
        let (head, _) = text.split_once("\n## noise\n").unwrap_or((&text, ""));
        let wanted = format!("{}\n{}", head.trim_end(), tables());
        if std::env::var_os("ESTAMPIE_PAGES").is_some_and(|v| v == "write") {
            std::fs::write(path, wanted).unwrap();
        } else {
            assert!(text == wanted, "write it anew: ESTAMPIE_PAGES=write cargo test -p estampie-project --lib -- the_manual_has_every_control");
        }
    }

    proptest! {
        #[test]
        fn paths_and_patterns_are_read_as_they_were_printed(places in prop::collection::vec((-400i32..400, -400i32..400), 2..24), steps in "[.xX]{1,64}") {
            let texts: Vec<String> = places.iter().map(|(x, y)| format!("{} m, {} m", f64::from(*x) / 4.0, f64::from(*y) / 4.0)).collect();
            let curves = read_drawing(Form::Path, &texts).unwrap();
            prop_assert_eq!(print_drawing(Form::Path, &curves), texts);
            if let Ok(curves) = read_drawing(Form::Steps, std::slice::from_ref(&steps)) {
                prop_assert_eq!(print_drawing(Form::Steps, &curves), vec![steps]);
            }
        }

        #[test]
        fn tunes_are_read_as_they_were_printed(text in "((b|#)?([1-9]|1[0-9]|2[0-4])('{0,3}|,{0,3})(\\+[1-9]){0,3}!? |- |\\. ){1,40}1") {
            let texts = vec![text];
            let curves = read_drawing(Form::Tune, &texts).unwrap();
            prop_assert_eq!(print_drawing(Form::Tune, &curves), texts);
        }

        #[test]
        fn no_text_breaks_a_drawing(texts in prop::collection::vec("[-0-9a-z%.:;, mxX#'!+]{0,24}", 0..6)) {
            for form in [Form::Path, Form::Curve, Form::Steps, Form::Tune] {
                if let Ok(curves) = read_drawing(form, &texts) {
                    prop_assert_eq!(curves.len(), form.curves());
                }
            }
        }
    }
}
