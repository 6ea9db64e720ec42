//! Reading `music/*.toml`.

use super::{
    ANY, Arrive, Between, ChanceDoc, ChanceOf, ChordDoc, ChordsByDoc, DuckDoc, FollowsDoc, HoldDoc, InstrumentDoc, KeyZoneDoc, LayerDoc, LayerOf, Length,
    MOST_BARS, MusicDoc, NotesDoc, PieceDoc, PlaylistDoc, PlaylistOrder, SectionDoc, Slope, Spot, StingerDoc, Then, TransitionDoc,
};
use crate::document::available::Available;
use crate::document::fields::{Fields, Located, Reading, entries, parse_toml};
use crate::document::game::well_named;
use crate::document::registry;
use crate::document::{Place, did_you_mean};
use crate::language::reactions::read_conditions;
use crate::language::{Moment, SILENCE};
use crate::notes::{Follow, read_pitch};
use estampie_engine::curve::Shape;
use estampie_engine::music::exact::{Beats, read};
use estampie_engine::music::{InstrumentSettings, Kind, Metre, Wave};
use estampie_engine::units::ValueError;
use estampie_engine::units::{Decibels, Pan, Quantity as _, Seconds, Semitones, Share, Span};
use estampie_engine::vocabulary::{MOST_SECTIONS, Step};

pub(in crate::document) fn read_music(reading: &Reading<'_>, audio: &Available, music: &mut MusicDoc) {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let top = Fields::new(reading, &registry::MUSIC, toml.as_table(), reading.file.to_owned(), Place::whole(reading.file));
    let each = |kind: &'static str, take: &mut dyn FnMut(String, Fields<'_>)| {
        for (name, item, place) in top.entries(kind) {
            if !well_named(reading, &name, &place) {
                continue;
            }
            if let Some(fields) = top.inside(kind, item, format!("the {kind} {name}"), place) {
                take(name, fields);
            }
        }
    };
    each("piece", &mut |name, fields| music.pieces.push(piece(reading, audio, name, fields)));
    each("stinger", &mut |name, fields| music.stingers.push(stinger(reading, name, fields)));
    each("playlist", &mut |name, fields| music.lists.push(playlist(name, fields)));
    each("instrument", &mut |name, fields| music.instruments.push(instrument(reading, audio, name, fields)));
    top.finish();
}

fn instrument(reading: &Reading<'_>, audio: &Available, name: String, fields: Fields<'_>) -> InstrumentDoc {
    let words = Kind::ALL.map(|(_, word)| word);
    let kind = fields.read("kind", &words.join(", "), |text| {
        Kind::ALL.iter().find(|(_, w)| *w == text).map(|(k, _)| *k).ok_or_else(|| ValueError::not(text, "a kind of instrument"))
    });
    if kind.is_none() && fields.item("kind").is_none() {
        reading.fault(&fields.place, format!("it is not said what {} is", fields.of()), format!("write kind = one of {}", words.join(", ")));
    }
    let mut patch = InstrumentSettings::usual(kind.map_or(Kind::Synth, |k| k.value));
    let time = |field, usual: f32| fields.limited(field, Seconds(0.0), Seconds(30.0)).map_or(usual, |s| s.0 as f32);
    (patch.attack_seconds, patch.decay_seconds, patch.release_seconds) =
        (time("attack", patch.attack_seconds), time("decay", patch.decay_seconds), time("release", patch.release_seconds));
    let share = |field, usual: f32| fields.limited(field, Share(0.0), Share(1.0)).map_or(usual, |s| s.0);
    (patch.sustain, patch.brightness) = (share("sustain", patch.sustain), share("brightness", patch.brightness));
    patch.detune_cents = fields.limited("detune", Semitones(0.0), Semitones(1.0)).map_or(patch.detune_cents, |s| s.0 * 100.0);
    patch.pan = fields.quantity("pan").map_or(0.0, |p: Located<Pan>| p.value.0);
    patch.width = fields.limited("width", Share(0.0), Share(1.0)).map_or(patch.width, |s| s.0);
    patch.gain = fields.limited("level", Decibels(-60.0), Decibels(12.0)).map_or(1.0, Decibels::gain);
    let wave = fields.read("wave", "saw, square, triangle or sine", |text| {
        Wave::ALL.iter().find(|(_, w)| *w == text).map(|(k, _)| *k).ok_or_else(|| ValueError::not(text, "a wave"))
    });
    patch.wave = wave.map_or(patch.wave, |w| w.value);
    let mut takes = Vec::new();
    for text in fields.texts("takes").unwrap_or_default() {
        let (file, rest) = text.value.split_once(',').unwrap_or((&text.value, ""));
        let file = Located { value: file.trim().to_owned(), place: text.place.clone() };
        match KeyZoneDoc::read(file, rest) {
            Some(zone) => takes.push(zone),
            None => reading.fault(
                &text.place,
                format!("\"{}\" is not a take of an instrument", text.value),
                "write \"audio/….flac, D3\" or \"audio/….flac, D3, C3..F3, velocity 1..80\"",
            ),
        }
    }
    for KeyZoneDoc { file, .. } in &mut takes {
        if let Some(found) = audio.find(&file.value) {
            file.value = found;
            continue;
        }
        let fix = did_you_mean(&file.value, audio.iter().map(String::as_str), "add the file, or name another");
        reading.misses(&file.value, &file.place, format!("there is no audio file {}", file.value), fix);
    }
    let doc = InstrumentDoc { patch, polyphony: fields.whole("polyphony", 1, 32).map_or(16, |n| n.value as u32), takes, place: fields.place.clone(), name };
    fields.text("note");
    fields.finish();
    doc
}

fn tempo(text: &str) -> Result<Beats, ValueError> {
    let number = text.trim().strip_suffix("bpm").unwrap_or(text);
    let tempo = read(number).ok_or_else(|| ValueError::not(text, "a tempo, like 92 or 93.7"))?;
    let fine = tempo >= Beats::from_integer(20) && tempo <= Beats::from_integer(400);
    if fine { Ok(tempo) } else { Err(format!("{text} is not a tempo from 20 to 400 beats a minute").into()) }
}

fn metre(text: &str) -> Result<Metre, ValueError> {
    Metre::read(text).ok_or_else(|| ValueError::not(text, "a metre, like 4/4 or 6/8"))
}

/// A list of texts `BAR: VALUE`, or one value for all.
fn from_bars<T>(reading: &Reading<'_>, fields: &Fields<'_>, field: &'static str, read: impl Fn(&str) -> Result<T, ValueError>) -> Vec<(u32, T)> {
    let mut list: Vec<(u32, T)> = Vec::new();
    for text in fields.texts(field).unwrap_or_default() {
        let (bar, value) = text.value.split_once(':').map_or((Some(1), &*text.value), |(bar, value)| (bar.trim().parse::<u32>().ok(), value));
        let rises = bar.is_some_and(|b| (1..=MOST_BARS).contains(&b) && list.last().is_none_or(|(last, _)| *last < b));
        match (bar, read(value)) {
            (Some(bar), Ok(value)) if rises => list.push((bar, value)),
            (_, Err(what)) => reading.fault(&text.place, format!("{field} of {}: {what}", fields.of()), format!("write {field} = [\"1: …\", \"5: …\"]")),
            _ => reading.fault(
                &text.place,
                format!("{field} of {}: \"{}\" does not begin with a bar after the one before", fields.of(), text.value),
                format!("write {field} = [\"1: …\", \"5: …\"], bars in rising order"),
            ),
        }
    }
    list
}

/// Tables of a table, with well-formed names.
fn tables(reading: &Reading<'_>, fields: &Fields<'_>, field: &'static str, mut take: impl FnMut(String, Fields<'_>)) {
    for (name, item, place) in fields.entries(field) {
        let fine = well_named(reading, &name, &place);
        if let Some(inner) = fields.inside(field, item, format!("the {field} {name}"), place).filter(|_| fine) {
            take(name, inner);
        }
    }
}

fn piece(reading: &Reading<'_>, audio: &Available, name: String, fields: Fields<'_>) -> PieceDoc {
    let mut sections: Vec<SectionDoc> = Vec::new();
    tables(reading, &fields, "section", |name, inner| {
        let section = section(reading, audio, name, inner);
        if [SILENCE, ANY].contains(&section.name.as_str()) || sections.len() == MOST_SECTIONS {
            let what = format!("a section cannot be called {}, and a piece has {MOST_SECTIONS} at most", section.name);
            reading.fault(&section.place, what, "give it another name, or make a second piece");
        } else {
            sections.push(section);
        }
    });
    let mut transitions = Vec::new();
    if let Some((item, place)) = fields.item("transition") {
        match item.as_array_of_tables() {
            Some(list) => {
                for (at, table) in list.iter().enumerate() {
                    let place = reading.place(table.span());
                    transitions.extend(transition(
                        reading,
                        Fields::new(reading, fields.kind_in("transition"), table, format!("transition {} of {name}", at + 1), place),
                        at,
                    ));
                }
            }
            None => reading.fault(&place, "transition is not a list of tables", format!("write each below a line [[piece.{name}.transition]]")),
        }
    }
    let mut holds = Vec::new();
    for (other, item, place) in fields.entries("ducks") {
        let Some(inner) = fields.inside("ducks", item, format!("what {name} ducks"), place.clone()) else { continue };
        let (by, attack, release) = held(&inner, Decibels(-12.0), Seconds(1.0), Seconds(2.0));
        inner.finish();
        holds.push(HoldDoc { piece: Located { value: other, place }, by, attack, release });
    }
    let step = fields.read("step", "beat, bar or gliding", |text| {
        Step::ALL.iter().find(|(_, w)| *w == text).map(|(s, _)| *s).ok_or_else(|| ValueError::not(text, "a step"))
    });
    let piece = PieceDoc {
        tempo: fields.read("tempo", "beats a minute, like 92", tempo).map_or(Beats::from_integer(120), |t| t.value),
        metre: fields.read("metre", "a metre, like 4/4", metre).map_or(Metre { count: 4, note: 4 }, |m| m.value),
        key: fields.text("key"),
        bus: fields.text("bus"),
        level: fields.limited("level", Decibels(-120.0), Decibels(24.0)).unwrap_or(Decibels(0.0)),
        first: fields.text("first"),
        follows: follows(reading, &fields),
        waits: fields.yes("waits-to-begin").is_some_and(|y| y.value),
        holds,
        step: step.map_or(Step::Bar, |s| s.value),
        in_mode: fields.yes("in-mode").is_some_and(|y| y.value),
        sections,
        transitions,
        note: fields.text("note").map_or_else(String::new, |n| n.value),
        file: reading.file.to_owned(),
        place: fields.place.clone(),
        name,
    };
    if piece.sections.is_empty() {
        reading.fault(&piece.place, format!("{} has no sections", piece.name), format!("add [piece.{}.section.NAME] with bars = 8", piece.name));
    }
    fields.finish();
    piece
}

fn held(fields: &Fields<'_>, by: Decibels, attack: Seconds, release: Seconds) -> (Decibels, Seconds, Seconds) {
    let time = |field, usual| fields.limited(field, Seconds(0.001), Seconds(60.0)).unwrap_or(usual);
    (fields.limited("by", Decibels(-96.0), Decibels(0.0)).unwrap_or(by), time("attack", attack), time("release", release))
}

fn follows(reading: &Reading<'_>, fields: &Fields<'_>) -> Option<FollowsDoc> {
    let (item, place) = fields.item("follows")?;
    let wrong = || reading.fault(&place, "it is not said what the sections follow", "write follows = { threat = { calm = \"drift\", hunted = \"pursuit\" } }");
    let Some(table) = item.as_table_like() else {
        wrong();
        return None;
    };
    let list = entries(reading, table);
    let [(subject, item, subject_place)] = list.as_slice() else {
        wrong();
        return None;
    };
    let Some(inner) = item.as_table_like() else {
        wrong();
        return None;
    };
    let mut sections = Vec::new();
    for (value, item, place) in entries(reading, inner) {
        match item.as_str() {
            Some(section) => sections.push((Located { value, place: place.clone() }, Located { value: section.to_owned(), place })),
            None => reading.fault(&place, format!("{value} is not followed by the name of a section"), "write the section's name in quotes"),
        }
    }
    Some(FollowsDoc { subject: Located { value: subject.clone(), place: subject_place.clone() }, sections })
}

fn section(reading: &Reading<'_>, audio: &Available, name: String, fields: Fields<'_>) -> SectionDoc {
    let mut layers = Vec::new();
    tables(reading, &fields, "layer", |name, inner| layers.push(layer(reading, audio, name, inner)));
    let bars = fields.whole("bars", 1, i64::from(MOST_BARS));
    if bars.is_none() && fields.item("bars").is_none() {
        reading.fault(&fields.place, format!("it is not said how long {} is", fields.of()), "write bars = 8");
    }
    let bars = bars.map_or(4, |b| b.value as u32);
    let mut markers = Vec::new();
    for (marker, item, place) in fields.entries("markers") {
        match item.as_str().map_or_else(|| Err(format!("marker {marker} is not a text").into()), Spot::read) {
            Ok(spot) if spot.bar <= bars => markers.push((marker, Located { value: spot, place })),
            Ok(spot) => reading.fault(&place, format!("marker {marker} is in bar {}, but there are {bars}", spot.bar), "write a bar of the section"),
            Err(what) => reading.fault(&place, what, "write markers = { turn = \"5.3\" }: bar and beat"),
        }
    }
    let chords = chord_list(reading, fields.texts("chords").unwrap_or_default());
    let chords_by = chords_by(reading, &fields);
    let of_bars = |field, most: u32| fields.whole(field, 1, i64::from(most)).map(|n| n.value as u32);
    let section = SectionDoc {
        bars,
        tempo: from_bars(reading, &fields, "tempo", tempo),
        metre: from_bars(reading, &fields, "metre", metre),
        pick_up: fields
            .read("pick-up", "a number of beats", |t| match Length::read(t) {
                Ok(Length::Beats(n)) => Ok(n),
                _ => Err(ValueError::not(t, "a number of beats, like 1 beat")),
            })
            .map_or(Beats::from_integer(0), |p| p.value),
        phrase: of_bars("phrase", bars).unwrap_or(bars),
        open: of_bars("open-ending", bars).unwrap_or(0),
        close: fields.text("close-ending"),
        then: fields.text("then").map_or(Then::Loop, |t| match t.value.as_str() {
            "loop" => Then::Loop,
            "end" => Then::End,
            _ => Then::Section(t),
        }),
        markers,
        chords,
        chords_by,
        layers,
        place: fields.place.clone(),
        name,
    };
    fields.finish();
    section
}

fn chord_list(reading: &Reading<'_>, texts: Vec<Located<String>>) -> Vec<ChordDoc> {
    let mut chords = Vec::new();
    for text in texts {
        match text.value.split_once(':').map(|(spot, chord)| (Spot::read(spot), chord.trim())) {
            Some((Ok(at), chord)) if !chord.is_empty() => chords.push(ChordDoc { at, name: Located { value: chord.to_owned(), place: text.place } }),
            _ => reading.fault(&text.place, format!("\"{}\" is not a chord at a bar", text.value), "write chords = [\"1: Dm\", \"3: C\"]"),
        }
    }
    chords
}

fn chords_by(reading: &Reading<'_>, fields: &Fields<'_>) -> Option<ChordsByDoc> {
    let (item, place) = fields.item("chords-by")?;
    let wrong = || {
        reading.fault(&place, "it is not said which chords go by what", "write chords-by = { threat = { hunted = [\"1: Dm\", \"3: A\"] } }");
        None
    };
    let Some(table) = item.as_table_like() else { return wrong() };
    let list = entries(reading, table);
    let [(subject, item, subject_place)] = list.as_slice() else { return wrong() };
    let Some(inner) = item.as_table_like() else { return wrong() };
    let mut lines = Vec::new();
    for (value, item, place) in entries(reading, inner) {
        let texts = item.as_array().map(|list| list.iter().map(|v| v.as_str().map(str::to_owned)).collect::<Option<Vec<String>>>());
        let Some(Some(texts)) = texts else {
            reading.fault(&place, format!("{value} is not followed by a list of chords"), "write hunted = [\"1: Dm\", \"3: A\"]");
            continue;
        };
        let texts = texts.into_iter().map(|value| Located { value, place: place.clone() }).collect();
        lines.push((Located { value, place: place.clone() }, chord_list(reading, texts)));
    }
    Some(ChordsByDoc { state: Located { value: subject.clone(), place: subject_place.clone() }, lines })
}

fn layer(reading: &Reading<'_>, audio: &Available, name: String, fields: Fields<'_>) -> LayerDoc {
    fields.text("note");
    let (file, sound, notes) = (fields.text("file"), fields.text("sound"), notes(reading, &fields));
    let of = match (file, sound, notes) {
        (Some(file), None, None) => {
            let mut file = file;
            if let Some(found) = audio.find(&file.value) {
                file.value = found;
            } else {
                let fix = did_you_mean(&file.value, audio.iter().map(String::as_str), "add the file, or name another");
                reading.misses(&file.value, &file.place, format!("there is no audio file {}", file.value), fix);
            }
            LayerOf::File(file)
        }
        (None, Some(sound), None) => LayerOf::Sound(sound),
        (None, None, Some(notes)) => LayerOf::Notes(Box::new(notes)),
        _ => {
            reading.fault(
                &fields.place,
                format!("{} needs one of file, sound and notes", fields.of()),
                "write file = \"audio/…\", sound = \"…\", or notes = \"music/….mid\"",
            );
            LayerOf::Nothing
        }
    };
    let when = fields.text("when").and_then(|text| match read_conditions(&text.place, &text.value) {
        Ok(conditions) => Some(conditions),
        Err(fault) => {
            reading.faults.borrow_mut().push(fault);
            None
        }
    });
    let usual = Slope { over: Length::Beats(Beats::from_integer(1)), curve: Shape::Straight };
    let layer = LayerDoc {
        of,
        bus: fields.text("bus"),
        level: fields.limited("level", Decibels(-120.0), Decibels(24.0)).unwrap_or(Decibels(0.0)),
        pan: fields.quantity("pan").map_or(Pan(0.0), |p| p.value),
        when: when.unwrap_or_default(),
        off: fields.yes("off").is_some_and(|y| y.value),
        fade: fields.read("fade", "a length like 2 beats, perhaps with \", smooth\"", Slope::read).map_or(usual, |f| f.value),
        on: fields.read("on", Moment::EXPECTED, Moment::read).map_or(Moment::AtOnce, |m| m.value),
        place: fields.place.clone(),
        name,
    };
    fields.finish();
    layer
}

fn notes(reading: &Reading<'_>, fields: &Fields<'_>) -> Option<NotesDoc> {
    let file = fields.text("notes");
    let tracks = fields.texts("track").unwrap_or_default();
    let by = fields.text("by");
    let values = fields.texts("values").unwrap_or_default();
    let instrument = fields.text("instrument");
    let from_bar = fields.whole("from-bar", 1, 4096).map_or(1, |b| b.value as u32);
    let density = fields.limited("density", Share(0.0), Share(1.0)).unwrap_or(Share(1.0));
    let mut chances = Vec::new();
    for text in fields.texts("chances").unwrap_or_default() {
        match text.value.split_once(':').map(|(of, chance)| (chance_of(of), Share::read(chance.trim()))) {
            Some((Some(of), Ok(Share(chance @ 0.0..=1.0)))) => chances.push(ChanceDoc { of, chance }),
            _ => {
                reading.fault(&text.place, format!("\"{}\" is not a chance of notes", text.value), "write chances = [\"softer than 60: 50 %\", \"4.3: 25 %\"]");
            }
        }
    }
    let swing = fields.read("swing", "a share from 50 % to 80 %, perhaps with \", sixteenths\"", read_swing).map(|s| s.value);
    let follow = fields.read("follow-chords", "root, or nearest", |text| match text {
        "root" => Ok(Follow::Root),
        "nearest" => Ok(Follow::Nearest),
        _ => Err(ValueError::not(text, "a way to follow chords: root, or nearest")),
    });
    let file = file?;
    if tracks.is_empty() || instrument.is_none() {
        reading.fault(&file.place, format!("{} plays notes, but not which or with what", fields.of()), "write track = \"…\" and instrument = \"…\"");
    }
    if by.is_some() && values.len() != tracks.len() {
        reading.fault(
            &file.place,
            format!("{} has {} tracks but values for {}", fields.of(), tracks.len(), values.len()),
            "write values = [\"calm\", \"hunted\"], one for each track",
        );
        return None;
    }
    Some(NotesDoc { file, tracks, by, values, instrument: instrument?, from_bar, density, chances, swing, follow })
}

fn chance_of(text: &str) -> Option<ChanceOf> {
    let text = text.trim();
    if let Some(velocity) = text.strip_prefix("softer than") {
        return velocity.trim().parse().ok().filter(|v| (2..=127).contains(v)).map(ChanceOf::Softer);
    }
    if let Some((spot, pitch)) = text.rsplit_once(' ').filter(|(_, pitch)| pitch.starts_with(|c: char| c.is_ascii_alphabetic())) {
        return Some(ChanceOf::Note(Spot::read(spot).ok()?, read_pitch(pitch)?));
    }
    Spot::read(text).ok().map(ChanceOf::At)
}

/// Reads `58 %`, `62 %, sixteenths`: the share of a pair that the first takes, and the length of one of it in quarter notes; eighths if unsaid.
fn read_swing(text: &str) -> Result<(f32, Beats), ValueError> {
    let wrong = || ValueError::not(text, "a swing, like 58 %, or 62 %, sixteenths");
    let (share, of) = text.split_once(',').unwrap_or((text, "eighths"));
    let of = match of.trim() {
        "eighths" => Beats::new(1, 2),
        "sixteenths" => Beats::new(1, 4),
        _ => return Err(wrong()),
    };
    Share::read(share.trim()).ok().filter(|s| (0.5..=0.8).contains(&s.0)).map(|s| (s.0, of)).ok_or_else(wrong)
}

fn transition(reading: &Reading<'_>, fields: Fields<'_>, written: usize) -> Option<TransitionDoc> {
    fields.text("note");
    let (from, to) = (fields.text("from"), fields.text("to"));
    if from.is_none() || to.is_none() {
        reading.fault(&fields.place, format!("{} does not say from where to where", fields.of()), "write from = \"drift\" and to = \"pursuit\"");
    }
    let straight = Slope { over: Length::NONE, curve: Shape::Straight };
    let way = fields.text("by-way-of").map_or(Between::Straight, |text| match text.value.as_str() {
        "nothing" => Between::Straight,
        "close ending" => Between::CloseEnding,
        _ => Between::Section(text),
    });
    let doc = TransitionDoc {
        from: from?,
        to: to?,
        leave: fields.read("leave", Moment::EXPECTED, Moment::read).map(|m| m.value),
        way,
        arrive: fields.read("arrive", Arrive::EXPECTED, Arrive::read).map_or(Arrive::Start, |a| a.value),
        falls: fields.read("fade-out", "a length like 2 beats, perhaps with \", smooth\"", Slope::read).map(|s| s.value),
        rises: fields.read("fade-in", "a length like 2 beats, perhaps with \", smooth\"", Slope::read).map_or(straight, |s| s.value),
        overlap: fields.read("overlap", "a length like 1 beat", Length::read).map_or(Length::NONE, |l| l.value),
        allowed: fields.yes("allowed").is_none_or(|y| y.value),
        accepted: fields
            .read("accepted", "the reason, in words", |t| {
                if t.trim().is_empty() { Err(ValueError::Refused("it is accepted without a reason".into())) } else { Ok(t.trim().to_owned()) }
            })
            .map(|a| a.value),
        written,
        place: fields.place.clone(),
    };
    fields.finish();
    Some(doc)
}

fn stinger(reading: &Reading<'_>, name: String, fields: Fields<'_>) -> StingerDoc {
    let mut by = Vec::new();
    for (value, item, place) in fields.entries("by") {
        match item.as_str() {
            Some(sound) => {
                let at = reading.place(item.span());
                by.push((Located { value, place }, Located { value: sound.to_owned(), place: at }));
            }
            None => reading.fault(&place, format!("{value} is not followed by the name of a sound"), "write the sound's name in quotes"),
        }
    }
    let duck = fields.item("duck").and_then(|(item, place)| {
        let inner = fields.inside("duck", item, format!("the duck of {name}"), place)?;
        let (by, attack, release) = held(&inner, Decibels(-6.0), Seconds(0.05), Seconds(0.4));
        inner.finish();
        Some(DuckDoc { by, attack, release })
    });
    let anyway = fields.read("without-music", "drop, or play anyway", |text| match text {
        "drop" => Ok(false),
        "play anyway" => Ok(true),
        _ => Err(ValueError::not(text, "a what to do without music")),
    });
    let stinger = StingerDoc {
        sound: fields.text("sound"),
        by,
        on: fields.read("on", Moment::EXPECTED, Moment::read).map_or(Moment::Beat, |m| m.value),
        piece: fields.text("piece"),
        duck,
        limit: fields.whole("limit", 1, 16).map_or(1, |l| l.value as u32),
        again_after: fields.limited("cooldown", Seconds(0.0), Seconds(600.0)).unwrap_or_default(),
        anyway: anyway.is_some_and(|a| a.value),
        note: fields.text("note").map_or_else(String::new, |n| n.value),
        place: fields.place.clone(),
        name,
    };
    if stinger.sound.is_none() && stinger.by.is_empty() {
        reading.fault(&stinger.place, format!("the stinger {} has no sound", stinger.name), "write sound = \"…\"");
    }
    fields.finish();
    stinger
}

fn playlist(name: String, fields: Fields<'_>) -> PlaylistDoc {
    fields.text("note");
    let order = fields.read("order", "shuffle, perhaps with \", not the last 2\", or in order", |text| match text {
        "in order" => Ok(PlaylistOrder::InOrder),
        "shuffle" => Ok(PlaylistOrder::Shuffle(1)),
        _ => {
            let last = text.strip_prefix("shuffle, not the last").map(str::trim);
            let last = last.and_then(|n| if n.is_empty() { Some(1) } else { n.parse().ok() });
            last.map(PlaylistOrder::Shuffle).ok_or_else(|| ValueError::not(text, "an order"))
        }
    });
    let time = |field| fields.limited(field, Seconds(0.0), Seconds(600.0)).unwrap_or_default();
    let list = PlaylistDoc {
        pieces: fields.texts("pieces").unwrap_or_default(),
        order: order.map_or(PlaylistOrder::Shuffle(1), |o| o.value),
        gap: fields.span("gap").map_or_else(Span::default, |s| s.value),
        start: time("start"),
        fade_in: time("fade-in"),
        rounds: fields.whole("rounds", 1, 64).map_or(1, |r| r.value as u32),
        place: fields.place.clone(),
        name,
    };
    fields.finish();
    list
}
