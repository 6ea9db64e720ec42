//! `sounds/*.toml`: recipes that can be played.

use super::available::Available;
use super::effects::{SendDoc, read_sends};
use super::fields::{Fields, Located, Reading};
use super::game::named_tables;
use super::generators::generator_of;
use super::registry;
use super::settings::{FalloffDoc, LimitDoc, LinesDoc, ShapeDoc, Shared, VaryDoc, own};
use super::{Place, did_you_mean};
use crate::language::Condition;
use crate::language::reactions::read_conditions;
use crate::stock::{Cut, Trim, file_of, is_placeholder, version_of};
use estampie_engine::property::{PerProperty, SOUND_PROPERTIES, SoundProperty};
use estampie_engine::units::ValueError;
use estampie_engine::units::{Decibels, Metres, Quantity as _, Seconds, Semitones, Share, Span, split_number};
use estampie_engine::vocabulary::{Again, Rounds, WhenGone};
use std::fmt;
use std::sync::Arc;

/// One variation as written.
#[derive(Debug, Clone, PartialEq)]
pub enum TakeDoc {
    /// An audio file of the project.
    File(String),
    /// Another sound.
    Sound(String),
    /// A generator of `shared.toml`.
    Generator(String),
}

/// A take with what is said of it alone.
#[derive(Debug, Clone, PartialEq)]
pub struct TakeLine {
    /// What it is.
    pub take: TakeDoc,
    /// How often it is picked against the others.
    pub weight: f32,
    /// Its own level.
    pub level: Decibels,
    /// Its own pitch.
    pub pitch: Semitones,
    /// The range of its wait before the start.
    pub after: Span<Seconds>,
    /// Where in the audio it starts.
    pub from: Seconds,
    /// Which of the written texts it comes of: a pattern gives several takes.
    pub entry: usize,
}

impl TakeLine {
    /// A take of which nothing more is said.
    #[must_use]
    pub fn plain(take: TakeDoc) -> TakeLine {
        TakeLine { take, weight: 1.0, level: Decibels(0.0), pitch: Semitones(0.0), after: Span::default(), from: Seconds(0.0), entry: 0 }
    }
}

/// A part of a chain.
#[derive(Debug, Clone)]
pub struct PartDoc {
    /// The audio files; one of them is drawn each time.
    pub files: Vec<Located<String>>,
    /// How often it goes round.
    pub rounds: Rounds,
    /// Seconds of silence between it and the next part; less than 0 is an overlap.
    pub gap: f64,
}

/// How a take is picked.
#[derive(Debug, Clone, PartialEq)]
pub enum PickDoc {
    /// At random, never one of the last n.
    Shuffle(u32),
    /// At random by weight, never one of the last n.
    Weighted(u32),
    /// One after another.
    Cycle,
    /// All at once.
    Together,
    /// By the value of a state, or by ranges of a parameter; within a group, shuffled without the last one.
    By(Located<String>),
    /// All groups at once, cross-faded between neighbours by a parameter: with equal power, or with equal gain.
    Across(Located<String>, bool),
}

/// Takes for one value of a state, a range or point of a parameter (as text, with its place), or for all.
pub type TakeGroup = (Option<Located<String>>, Vec<Located<TakeLine>>);

/// How important a sound is, 0 to 100.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PriorityDoc {
    /// At the listener.
    pub near: f32,
    /// At `at` and beyond; between, in a straight line.
    pub far: f32,
    /// The distance of `far`.
    pub at: Metres,
}

impl Default for PriorityDoc {
    fn default() -> Self {
        PriorityDoc { near: 50.0, far: 50.0, at: Metres(0.0) }
    }
}

impl fmt::Display for PriorityDoc {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.near == self.far { write!(f, "{} of 100", self.near) } else { write!(f, "{}, {} beyond {}", self.near, self.far, self.at) }
    }
}

/// A sound that plays itself again and again until let go.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RepeatDoc {
    /// The time from one start to the next, drawn each time; at least 20 ms.
    pub every: Span<Seconds>,
    /// How often in all; `None` is until let go.
    pub times: Option<(u32, u32)>,
    /// Each is let go after this time, for grains.
    pub length: Option<Seconds>,
}

/// A sound as written.
#[derive(Debug, Clone)]
pub struct SoundDoc {
    /// Its name, a path.
    pub name: String,
    /// The bus; `None` leaves it to the sound that plays this one, or to the root.
    pub bus: Option<Located<String>>,
    /// What it sends to returns.
    pub sends: Vec<SendDoc>,
    /// The group it is limited with.
    pub group: Option<Located<String>>,
    /// The takes: by group (its text and place), or one group without a name.
    pub groups: Vec<TakeGroup>,
    /// The parts of a chain, instead of takes.
    pub chain: Vec<PartDoc>,
    /// How a take is picked.
    pub pick: PickDoc,
    /// Whether the take goes round until let go.
    pub looped: bool,
    /// What it is set to, for each property in the unit in which it adds up.
    pub set: PerProperty<f32>,
    /// What is drawn each time.
    pub vary: VaryDoc,
    /// How it rises and falls; `fade-in` and `fade-out` are its attack and release.
    pub shape: ShapeDoc,
    /// How many may play together.
    pub limit: LimitDoc,
    /// What distance does.
    pub falloff: FalloffDoc,
    /// The chance that it plays when asked for.
    pub chance: Share,
    /// When all of these hold it plays in any case.
    pub always: Vec<Condition>,
    /// It is refused within this time after it last began.
    pub again_after: Seconds,
    /// When it plays already.
    pub again: Again,
    /// The event that is sent when a limit or its cooldown refuses it.
    pub when_refused: Option<Located<String>>,
    /// How important it is.
    pub priority: PriorityDoc,
    /// How it repeats itself.
    pub repeat: Option<RepeatDoc>,
    /// Whether it is spoken.
    pub lines: Option<LinesDoc>,
    /// What its takes say: the name of a take's file without folder, version and ending, and the text.
    pub texts: Vec<(Located<String>, String)>,
    /// A stop only reaches playings younger than this.
    pub stop_if_younger: Option<Seconds>,
    /// What it does when its emitter is removed; unsaid, loops fade and what ends by itself stays.
    pub when_gone: Option<WhenGone>,
    /// What it is for.
    pub note: String,
    /// The fields that are written.
    pub said: Vec<String>,
    /// Where it is written.
    pub place: Place,
}

impl SoundDoc {
    /// How it is spoken, with what it shares filled in; unsaid, the speaker is the first part of its name.
    #[must_use]
    pub fn spoken(&self, shared: &Shared) -> Option<LinesDoc> {
        let mut lines = shared.whole(self.lines.as_ref()?);
        lines.speaker.get_or_insert_with(|| self.name.split('/').next().unwrap_or(&self.name).to_owned());
        Some(lines)
    }

    /// The audio that its takes are of, by the names by which it is loaded.
    fn files(&self) -> impl Iterator<Item = &str> {
        self.groups.iter().flat_map(|(_, takes)| takes).filter_map(|take| match &take.value.take {
            TakeDoc::File(file) => Some(file.as_str()),
            TakeDoc::Sound(_) | TakeDoc::Generator(_) => None,
        })
    }

    /// What a take says, by the name by which its audio is loaded.
    #[must_use]
    pub fn text_of(&self, take: &str) -> Option<&str> {
        let name = spoken_name(take)?;
        self.texts.iter().find(|(of, _)| of.value == name).map(|(_, text)| text.as_str())
    }
}

/// A take's name in `texts`: its file's without folder, version and ending; `None` of what is not recorded yet.
fn spoken_name(take: &str) -> Option<&str> {
    if is_placeholder(take) {
        return None;
    }
    version_of(file_of(take)).0.rsplit('/').next()
}

pub(super) fn read_sounds(reading: &Reading<'_>, audio: &Available, sounds: &mut Vec<Arc<SoundDoc>>) {
    named_tables(reading, &registry::SOUND, "sound", |name, fields| sounds.push(Arc::new(sound(reading, audio, name, fields))));
}

/// What a sound is set to of a property.
fn set(fields: &Fields<'_>, row: &SoundProperty) -> f32 {
    let word = row.property.word();
    let Some(value) = fields.read(word, row.example, row.read) else { return row.neutral };
    let held = value.value.clamp(row.ends.0, row.ends.1);
    if (held - value.value).abs() > 1e-4 {
        let side = if held > value.value { "too little" } else { "too much" };
        let written = fields.text(word).map_or_else(String::new, |t| t.value);
        fields.reading().fault(&value.place, format!("{word} of {}: {} is {side}", fields.of(), written.trim()), format!("write {}", row.expected));
    }
    held
}

fn sound(reading: &Reading<'_>, audio: &Available, name: String, fields: Fields<'_>) -> SoundDoc {
    let told_before = reading.faults.borrow().len();
    let pick = fields.text("pick");
    let groups = groups(reading, audio, &name, &fields);
    let time = |field, low| fields.limited(field, Seconds(low), Seconds(600.0));
    let mut shape: ShapeDoc = own(&fields);
    shape.attack = shape.attack.or(time("fade-in", 0.0));
    shape.release = shape.release.or(time("fade-out", 0.002));
    let (chance, always) = chance(reading, &fields);
    let again = fields.read("re-trigger", "overlap, restart or ignore", |text| {
        let found = Again::ALL.iter().find(|(_, word)| *word == text);
        found.map(|(a, _)| *a).ok_or_else(|| ValueError::not(text, "a rule"))
    });
    let when_gone = fields.read("when-emitter-goes", "stays, follows or fades", |text| {
        let found = WhenGone::ALL.iter().find(|(_, word)| *word == text);
        found.map(|(a, _)| *a).ok_or_else(|| ValueError::not(text, "something that it could do"))
    });
    let mut sound = SoundDoc {
        bus: fields.text("bus"),
        sends: read_sends(reading, &fields),
        group: fields.text("group"),
        groups,
        chain: fields.texts("chain").unwrap_or_default().iter().filter_map(|text| part(reading, audio, text)).collect(),
        pick: PickDoc::Shuffle(1),
        looped: fields.yes("loop").is_some_and(|l| l.value),
        set: PerProperty::from_fn(|property| set(&fields, &SOUND_PROPERTIES[property.place_of_sounds().unwrap_or(0)])),
        vary: own(&fields),
        shape,
        limit: own(&fields),
        falloff: own(&fields),
        chance,
        always,
        again_after: time("cooldown", 0.0).unwrap_or_default(),
        again: again.map_or(Again::Overlap, |a| a.value),
        when_refused: fields.text("when-refused"),
        priority: priority(reading, &fields),
        repeat: repeat(reading, &fields),
        texts: texts(reading, &fields),
        lines: fields.item("lines").is_some().then(|| own(&fields)),
        stop_if_younger: time("stop-if-younger", 0.0),
        when_gone: when_gone.map(|w| w.value),
        note: fields.text("note").map_or_else(String::new, |n| n.value),
        said: fields.names(),
        place: fields.place.clone(),
        name,
    };
    let known: Vec<&str> = sound.files().filter_map(spoken_name).collect();
    for (name, _) in sound.texts.iter().filter(|(name, _)| !known.is_empty() && !known.contains(&name.value.as_str())) {
        let fix = did_you_mean(&name.value, known.iter().copied(), "name a take as its file is called, without folder and ending");
        reading.fault(&name.place, format!("none of its takes is called {}", name.value), fix);
    }
    if let Some(pick) = pick {
        match read_pick(&pick) {
            Some(pick) => sound.pick = pick,
            None => reading.fault(
                &pick.place,
                format!("\"{}\" is not a way to pick a take", pick.value),
                "write shuffle, weighted (both perhaps with \", not the last 2\"), cycle, together, \"by\" a state or parameter, or \"across\" a parameter",
            ),
        }
    }
    let missed = reading.faults.borrow()[told_before..].iter().any(|f| f.misses.is_some());
    check_body(reading, &sound, missed);
    fields.finish();
    sound
}

fn chance(reading: &Reading<'_>, fields: &Fields<'_>) -> (Share, Vec<Condition>) {
    let Some(text) = fields.text("chance") else { return (Share(1.0), Vec::new()) };
    let (share, rest) = text.value.split_once(',').unwrap_or((&text.value, ""));
    let chance = match Share::read(share) {
        Ok(share) if (0.0..=1.0).contains(&share.0) => share,
        _ => {
            reading.fault(&text.place, format!("chance of {}: \"{share}\" is not a chance", fields.of()), "write 0 % to 100 %");
            Share(1.0)
        }
    };
    if rest.is_empty() {
        return (chance, Vec::new());
    }
    let Some(conditions) = rest.trim().strip_prefix("always when ") else {
        reading.fault(&text.place, format!("\"{}\" is not understood after a chance", rest.trim()), "write \"70 %, always when PARAMETER under 0.1\"");
        return (chance, Vec::new());
    };
    match read_conditions(&text.place, conditions) {
        Ok(conditions) => (chance, conditions),
        Err(fault) => {
            reading.faults.borrow_mut().push(fault);
            (chance, Vec::new())
        }
    }
}

fn priority(reading: &Reading<'_>, fields: &Fields<'_>) -> PriorityDoc {
    let Some((item, place)) = fields.item("priority") else { return PriorityDoc::default() };
    let wrong = |place: &Place| {
        reading.fault(
            place,
            format!("priority of {} is not a number from 0 to 100", fields.of()),
            "write priority = 70, or { near = 70, far = 20, at = \"40 m\" }",
        );
    };
    if let Some(number) = item.as_integer() {
        if !(0..=100).contains(&number) {
            wrong(&place);
        }
        let number = number.clamp(0, 100) as f32;
        return PriorityDoc { near: number, far: number, at: Metres(0.0) };
    }
    if item.as_table_like().is_none() {
        wrong(&place);
        return PriorityDoc::default();
    }
    let Some(inner) = fields.inside("priority", item, format!("priority of {}", fields.of()), place.clone()) else { return PriorityDoc::default() };
    let near = inner.whole("near", 0, 100).map_or(50.0, |n| n.value as f32);
    let far = inner.whole("far", 0, 100).map_or(near, |n| n.value as f32);
    let at = inner.quantity::<Metres>("at").map_or(Metres(0.0), |a| a.value);
    inner.finish();
    PriorityDoc { near, far, at }
}

/// Reads `3` or `2..5` as a range of whole numbers, at least 1.
fn whole_span(text: &str) -> Option<(u32, u32)> {
    let number = |text: &str| text.trim().parse::<u32>().ok().filter(|n| (1..=10_000).contains(n));
    let (low, high) = match text.split_once("..") {
        Some((low, high)) => (number(low)?, number(high)?),
        None => (number(text)?, number(text)?),
    };
    (low <= high).then_some((low, high))
}

fn repeat(reading: &Reading<'_>, fields: &Fields<'_>) -> Option<RepeatDoc> {
    let (item, place) = fields.item("repeat")?;
    let inner = fields.inside("repeat", item, format!("repeat of {}", fields.of()), place.clone())?;
    let every = inner.span::<Seconds>("every");
    let times = inner.read("times", "a whole number or a range like \"3..5\"", |text| whole_span(text).ok_or_else(|| ValueError::not(text, "a count")));
    let length = inner.limited("length", Seconds(0.005), Seconds(60.0));
    inner.finish();
    let Some(every) = every else {
        reading.fault(&place, format!("repeat of {} does not say how often", fields.of()), "write repeat = { every = \"2..5 s\" }");
        return None;
    };
    Some(RepeatDoc { every: every.value, times: times.map(|t| t.value), length })
}

fn check_body(reading: &Reading<'_>, sound: &SoundDoc, missed: bool) {
    let named = sound.groups.iter().any(|(value, _)| value.is_some());
    match (&sound.pick, named) {
        (PickDoc::By(of) | PickDoc::Across(of, _), false) if !sound.groups.is_empty() => {
            reading.fault(
                &of.place,
                format!("the takes of {} are not told apart by {}", sound.name, of.value),
                "write takes = { value = [\"…\"], … } with the state's values, or the parameter's ranges or points",
            );
        }
        (PickDoc::By(_) | PickDoc::Across(..), _) => {}
        (_, true) => {
            reading.fault(&sound.place, format!("{} has takes by value, but nothing to pick by", sound.name), "write pick = \"by\" and a state or parameter");
        }
        _ => {}
    }
    if !sound.chain.is_empty() && !sound.groups.is_empty() {
        reading.fault(&sound.place, format!("{} has both takes and a chain", sound.name), "keep one of them; the chain counts");
    }
    // That its files are missing has been said already.
    if !missed && sound.chain.is_empty() && sound.groups.iter().all(|(_, takes)| takes.is_empty()) {
        reading.fault(&sound.place, format!("{} has nothing to play", sound.name), "write takes = [\"audio/…\"]");
    }
}

fn read_pick(pick: &Located<String>) -> Option<PickDoc> {
    let text = pick.value.trim();
    let of = |name: &str| Located { value: name.trim().to_owned(), place: pick.place.clone() };
    if let Some(name) = text.strip_prefix("by ") {
        return Some(PickDoc::By(of(name)));
    }
    if let Some(rest) = text.strip_prefix("across ") {
        let (name, how) = rest.split_once(',').unwrap_or((rest, ""));
        return match how.trim() {
            "" | "equal power" => Some(PickDoc::Across(of(name), true)),
            "equal gain" => Some(PickDoc::Across(of(name), false)),
            _ => None,
        };
    }
    let (how, rest) = text.split_once(',').map_or((text, ""), |(how, rest)| (how.trim(), rest.trim()));
    let not_last = match rest.strip_prefix("not the last").map(str::trim) {
        _ if rest.is_empty() => None,
        Some("") => Some(1),
        Some(count) => Some(split_number(count).filter(|(n, unit)| unit.is_empty() && (0.0..=64.0).contains(n) && n.fract() == 0.0)?.0 as u32),
        None => return None,
    };
    match (how, not_last) {
        ("shuffle", n) => Some(PickDoc::Shuffle(n.unwrap_or(1))),
        ("weighted", n) => Some(PickDoc::Weighted(n.unwrap_or(0))),
        ("cycle", None) => Some(PickDoc::Cycle),
        ("together", None) => Some(PickDoc::Together),
        _ => None,
    }
}

/// What the takes of a sound say.
fn texts(reading: &Reading<'_>, fields: &Fields<'_>) -> Vec<(Located<String>, String)> {
    let mut list = Vec::new();
    for (value, item, place) in fields.entries("texts") {
        match item.as_str() {
            Some(text) => list.push((Located { value, place }, text.to_owned())),
            None => reading.fault(&place, format!("what {value} says is no text"), "write it in quotes: texts = { calm_01 = \"All is quiet below.\" }"),
        }
    }
    list
}

fn part(reading: &Reading<'_>, audio: &Available, text: &Located<String>) -> Option<PartDoc> {
    let mut words = text.value.split(',').map(str::trim);
    let path = words.next().unwrap_or_default();
    let (mut rounds, mut gap) = (Rounds::Times(1, 1), 0.0);
    for word in words {
        let time = |rest: &str| Seconds::read(rest).ok().map(|t| t.0);
        if word == "loop" {
            rounds = Rounds::Loop;
        } else if let Some((low, high)) = word.strip_suffix("times").or(word.strip_suffix("time")).and_then(|n| whole_span(n.trim())) {
            rounds = Rounds::Times(low, high);
        } else if let Some(time) = word.strip_prefix("gap ").and_then(time) {
            gap = time;
        } else if let Some(time) = word.strip_prefix("overlap ").and_then(time) {
            gap = -time;
        } else if word != "once" {
            let fix = "write once, loop, \"3 times\", \"2..4 times\", \"gap 200 ms\" or \"overlap 80 ms\" after the comma";
            reading.fault(&text.place, format!("\"{word}\" is not a way to play a part"), fix);
        }
    }
    let files = expand(reading, audio, path, &text.place);
    let files: Vec<_> = files.into_iter().map(|value| Located { value, place: text.place.clone() }).collect();
    (!files.is_empty()).then_some(PartDoc { files, rounds, gap })
}

fn groups(reading: &Reading<'_>, audio: &Available, name: &str, fields: &Fields<'_>) -> Vec<TakeGroup> {
    let Some((item, place)) = fields.item("takes") else { return Vec::new() };
    if let Some(table) = item.as_table_like() {
        return super::fields::entries(reading, table)
            .into_iter()
            .map(|(value, item, at)| {
                let texts = fields.texts_of("takes", item, &at);
                (Some(Located { value, place: at }), takes(reading, audio, name, texts))
            })
            .collect();
    }
    let texts = fields.texts_of("takes", item, &place);
    vec![(None, takes(reading, audio, name, texts))]
}

fn takes(reading: &Reading<'_>, audio: &Available, name: &str, texts: Vec<Located<String>>) -> Vec<Located<TakeLine>> {
    let mut list: Vec<Located<TakeLine>> = Vec::new();
    for (entry, text) in texts.into_iter().enumerate() {
        let path = text.value.split(',').next().unwrap_or_default().trim();
        let (mut options, trim) = take_options(reading, &text);
        options.entry = entry;
        let mut add = |line| list.push(Located { value: line, place: text.place.clone() });
        let whole = |take| TakeLine { take, ..options.clone() };
        let of_file = path.starts_with("audio/") || path.contains(['.', '*', '\\']) || path.starts_with('/');
        if trim.makes_a_piece() && !of_file {
            reading.fault(&text.place, format!("{path} is no file, and nothing can be cut off it"), "take \"to\", the fades, \"loop\" and \"seam\" out");
        }
        // Only files have an ending; sounds are paths without one.
        if let Some(generator) = generator_of(path) {
            add(whole(TakeDoc::Generator(generator.to_owned())));
        } else if of_file {
            for file in expand(reading, audio, path, &text.place) {
                // What is cut out is a clip of its own. Of what is not made yet nothing can be cut out.
                match trim.makes_a_piece() && !is_placeholder(&file) {
                    true => {
                        let cut = Cut { file: &file, trim }.name();
                        add(TakeLine { from: Seconds(0.0), ..whole(TakeDoc::File(cut)) });
                    }
                    false => add(whole(TakeDoc::File(file))),
                }
            }
        } else if path == name {
            reading.fault(&text.place, format!("{name} has itself as a take"), "take it out");
        } else {
            add(whole(TakeDoc::Sound(path.to_owned())));
        }
    }
    list
}

/// What stands after the path of a take.
fn take_options(reading: &Reading<'_>, text: &Located<String>) -> (TakeLine, Trim) {
    let mut line = TakeLine::plain(TakeDoc::Sound(String::new()));
    let mut trim = Trim::default();
    for option in text.value.split(',').skip(1).map(str::trim) {
        let (word, value) = option.split_once(' ').unwrap_or((option, ""));
        let value = value.trim();
        let seconds = || Seconds::read(value).ok().map(|v| v.0);
        let understood = match word {
            "level" => Decibels::read(value).ok().filter(|v| v.0 <= 24.0).map(|v| line.level = v),
            "pitch" => Semitones::read(value).ok().filter(|v| v.0.abs() <= 48.0).map(|v| line.pitch = v),
            "weight" => split_number(value).filter(|(n, unit)| unit.is_empty() && (0.0..=1e6).contains(n)).map(|(n, _)| line.weight = n as f32),
            "after" => Span::read(value).ok().map(|v| line.after = v),
            "from" => seconds().map(|v| trim.from = v),
            "to" => seconds().map(|v| trim.to = Some(v)),
            "fade-in" => seconds().map(|v| trim.fade_in = v),
            "fade-out" => seconds().map(|v| trim.fade_out = v),
            "loop" => Span::<Seconds>::read(value).ok().map(|v| trim.looped = Some((v.low.0, v.high.0))),
            "seam" => seconds().map(|v| trim.seam = v),
            _ => None,
        };
        if understood.is_none() {
            let fix = "write level -3 dB, pitch 2 st, weight 2, after 10..40 ms, from 0.5 s, to 1.2 s, fade-in 5 ms, fade-out 30 ms, loop 0.5..3 s, or seam 20 ms after \
                       the comma";
            reading.fault(&text.place, format!("\"{option}\" is not understood of a take"), fix);
        }
    }
    if let Some((what, fix)) = trim.wrong() {
        reading.fault(&text.place, what, fix);
        trim = Trim { from: trim.from, ..Trim::default() };
    }
    line.from = Seconds(trim.from);
    (line, trim)
}

/// The audio files that a path with `*` means; says what is wrong if there is none.
fn expand(reading: &Reading<'_>, audio: &Available, path: &str, place: &Place) -> Vec<String> {
    if path.starts_with('/') || path.contains('\\') || path.contains(':') || path.split('/').any(|part| part == "..") {
        reading.misses(
            path,
            place,
            format!("\"{path}\" leads out of the project"),
            "put the file into the project's folder audio/ and name it from there, like \"audio/step.wav\"",
        );
        return Vec::new();
    }
    if !path.contains('*') {
        if let Some(file) = audio.find(path) {
            return vec![file];
        }
        let fix = did_you_mean(path, audio.iter().map(String::as_str), "put it there, or name another");
        reading.misses(path, place, format!("there is no file {path}"), fix);
        return Vec::new();
    }
    let found = audio.matching(path);
    if found.is_empty() {
        reading.misses(path, place, format!("no file is named like {path}"), "put such files there, or fix the pattern");
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn picks_are_sentences() {
        let read = |text: &str| read_pick(&Located { value: text.into(), place: Place::default() });
        assert!(matches!(read("shuffle, not the last 2"), Some(PickDoc::Shuffle(2))));
        assert!(matches!(read("shuffle"), Some(PickDoc::Shuffle(1))));
        assert!(matches!(read("by deck"), Some(PickDoc::By(state)) if state.value == "deck"));
        assert!(matches!(read("weighted, not the last"), Some(PickDoc::Weighted(1))));
        assert_eq!((read("cycle"), read("together")), (Some(PickDoc::Cycle), Some(PickDoc::Together)));
        assert!(matches!(read("across flow, equal gain"), Some(PickDoc::Across(flow, false)) if flow.value == "flow"));
        assert!(read("cycle, not the last 2").is_none() && read("across flow, loudly").is_none());
        assert!(read("shuffle 2").is_none());
        assert!(read("shuffle, not the last 1.5").is_none());
    }

    #[test]
    fn what_takes_say_is_found_by_their_files_and_a_name_of_none_is_a_fault() {
        let audio: std::collections::BTreeSet<String> = ["calm_01.flac", "calm_01.v2.flac", "calm_02.flac"].map(|f| format!("audio/watch/{f}")).into();
        let read = |sound: &str| {
            let sources = crate::document::Sources::from_texts([("estampie.toml", "format = 1\nname = \"t\""), ("sounds/all.toml", sound)]);
            let (document, faults) = crate::document::Document::read(&sources, &audio);
            (document.sounds[0].clone(), faults.iter().map(ToString::to_string).collect::<Vec<_>>())
        };
        let takes = "[watch]\ntakes = [\"audio/watch/calm_*.flac\", \"audio/watch/calm_02.flac, to 1 s\"]\n";
        let (sound, faults) = read(&format!("{takes}[watch.texts]\ncalm_01 = \"All quiet.\"\ncalm_02 = \"Slack tide.\"\n"));
        assert_eq!(faults, [""; 0]);
        // The latest version says what the first did, a piece what its file does.
        let said: Vec<Option<&str>> = sound.files().map(|f| sound.text_of(f)).collect();
        assert_eq!(said, [Some("All quiet."), Some("Slack tide."), Some("Slack tide.")]);
        let (_, faults) = read(&format!("{takes}texts = {{ calm_03 = \"Gone.\" }}\n"));
        assert!(faults.len() == 1 && faults[0].contains("none of its takes is called calm_03") && faults[0].contains("calm_0"), "{faults:?}");
        let (_, faults) = read(&format!("{takes}texts = {{ calm_01 = 3 }}\n"));
        assert!(faults.len() == 1 && faults[0].contains("what calm_01 says is no text"), "{faults:?}");
    }
}
