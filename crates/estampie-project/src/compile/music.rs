//! Compiling music: maps, the rule for every change, and the sounds that layers are.

use super::{Compiler, frames_of};
use crate::document::{
    ANY, Arrive, LayerDoc, LayerOf, Length, Located, Moment, PieceDoc, Place, PlaylistOrder, SILENCE, SectionDoc, Slope, Spot, Then, TransitionDoc,
    did_you_mean,
};
use estampie_engine::dsp::block_coefficient;
use estampie_engine::index::{BusIndex, ByIndex, PieceIndex, SectionIndex, SoundIndex};
use estampie_engine::lookup::Lookup;
use estampie_engine::mixer::spec::Recipe;
use estampie_engine::music::Map;
use estampie_engine::music::exact::{Beats, nearest};
use estampie_engine::music::spec::{ArriveAt, Follows, Hold, Layer, Long, Next, Piece, Playlist, Ramp, Rule, Section, Stinger, Switch, When};
use estampie_engine::names::NameKey;
use estampie_engine::program::{Choice, Group, LayerPlace, Limit, PickOrder, Priority, Sound, Take, TakeOf, Vary};
use estampie_engine::property::{PerProperty, Property};
use estampie_engine::time::BLOCK;
use estampie_engine::units::split_number;
use std::sync::Arc;

/// An end of a transition: any section if `None`, silence if `Some(None)`.
type End = Option<Option<SectionIndex>>;

/// What the key of a switch is made of.
pub(super) fn switch_name(piece: &str, layer: &str) -> String {
    format!("{piece}/{layer}")
}

/// A moment, with the marker's name as a key.
pub(super) fn when(moment: &Moment) -> When {
    match moment {
        Moment::AtOnce => When::AtOnce,
        Moment::Beat => When::Beat,
        Moment::Bar => When::Bar,
        Moment::Bars(n) => When::Bars(*n),
        Moment::Phrase => When::Phrase,
        Moment::End => When::End,
        Moment::OpenEnding => When::OpenEnding,
        Moment::Marker(name) => When::Marker(NameKey::of(name)),
    }
}

fn long(length: Length, rate: u32) -> Long {
    match length {
        Length::Beats(n) => Long::Beats(n),
        Length::Bars(n) => Long::Bars(n),
        Length::Time(time) => Long::Frames(frames_of(time, rate)),
    }
}

fn ramp(slope: Slope, rate: u32) -> Ramp {
    Ramp { over: long(slope.over, rate), curve: slope.curve }
}

pub(super) fn position(map: &Map, spot: Spot) -> Beats {
    map.position(spot.bar - 1, spot.beat - Beats::from_integer(1))
}

/// The bars, metres and tempos of a section.
#[must_use]
pub fn map_of(piece: &PieceDoc, doc: &SectionDoc, rate: u32) -> Map {
    let from_first = |bar: u32| bar - 1;
    let metres: Vec<_> = doc.metre.iter().map(|(bar, m)| (from_first(*bar), *m)).collect();
    let metres = if metres.is_empty() { vec![(0, piece.metre)] } else { metres };
    let tempos: Vec<_> = doc.tempo.iter().map(|(bar, t)| (from_first(*bar), *t)).collect();
    let tempos = if tempos.is_empty() { vec![(0, piece.tempo)] } else { tempos };
    Map::new(doc.bars, &metres, &tempos, rate)
}

impl Compiler<'_> {
    pub(super) fn music(&mut self) {
        let document = self.document;
        let music = &document.music;
        self.program.music.first_sound = self.program.sounds.len() as u32;
        self.instruments();
        self.program.music.find_piece = Lookup::new(music.pieces.iter().map(|p| NameKey::of(&p.name)));
        for doc in &music.pieces {
            let piece = self.piece(doc);
            self.program.music.pieces.push(piece);
        }
        self.stingers();
        self.playlists();
        let keys: Vec<NameKey> = self.program.sounds.iter().map(|s| s.key).collect();
        self.program.find_sound = Lookup::new(keys);
        self.program.music.find_stinger = Lookup::new(self.program.music.stingers.iter().map(|s| s.key));
        self.program.music.find_playlist = Lookup::new(self.program.music.lists.iter().map(|p| p.key));
        self.program.music.find_switch = Lookup::new(self.program.music.switches.iter().map(|s| s.key));
    }

    /// What can only be said once all modulations are known.
    pub(super) fn tempos(&mut self) {
        let document = self.document;
        for (doc, index) in document.music.pieces.iter().zip((0..).map(PieceIndex::new)) {
            self.tempo_is_of_notes(doc, index);
        }
    }

    fn piece(&mut self, doc: &PieceDoc) -> Piece {
        let rate = self.program.rate;
        let key = self.program.names.add(&doc.name);
        let index = PieceIndex::new(self.program.music.pieces.len());
        let bus = doc.bus.as_ref().and_then(|bus| self.bus(bus));
        let mode = doc.key.as_ref().and_then(|key| {
            let mode = estampie_engine::music::read_key(&key.value);
            if mode.is_none() {
                self.fault(&key.place, format!("\"{}\" is not a key", key.value), "write a tonic and a mode, like D dorian, F major or B♭ minor");
            }
            mode
        });
        let sections: ByIndex<SectionIndex, Section> =
            doc.sections.iter().enumerate().map(|(at, s)| self.section(doc, s, (index, SectionIndex::new(at)), bus)).collect();
        let holds = doc
            .holds
            .iter()
            .filter_map(|hold| {
                let piece = self.piece_named(&hold.piece.value, &hold.piece.place)?;
                let coefficient = |time: estampie_engine::units::Seconds| block_coefficient(time.0, BLOCK, rate);
                Some(Hold { piece, by_db: hold.by.0, attack_per_block: coefficient(hold.attack), release_per_block: coefficient(hold.release) })
            })
            .collect();
        let first = doc.first.as_ref().and_then(|name| self.section_of(doc, name)).flatten().unwrap_or(SectionIndex::new(0));
        let mut piece = Piece {
            key,
            level_db: doc.level.0,
            modulations: Vec::new(),
            tempo: Vec::new(),
            transposition: Vec::new(),
            sections,
            first,
            rules: Vec::new(),
            follows: None,
            waits: doc.waits,
            holds,
            step: doc.step,
            in_mode: doc.in_mode && mode.is_some(),
            mode,
        };
        if piece.sections.is_empty() {
            // A piece without sections is at fault; one bar of rest lets the rest of the project sound.
            piece.sections.push(rest(rate));
        }
        piece.rules = self.rules(doc, &piece);
        piece.follows = self.follows(doc);
        piece
    }

    pub(super) fn piece_named(&mut self, name: &str, place: &Place) -> Option<PieceIndex> {
        let found = self.program.music.find_piece.get(NameKey::of(name));
        if found.is_none() {
            let fix = did_you_mean(name, self.document.music.pieces.iter().map(|p| p.name.as_str()), "add it to a file in music/, or name another");
            self.fault(place, format!("there is no piece {name}"), fix);
        }
        found
    }

    /// The section of a name, `Some(None)` for silence, or a fault.
    pub(super) fn section_of(&mut self, doc: &PieceDoc, name: &Located<String>) -> Option<Option<SectionIndex>> {
        if name.value == SILENCE {
            return Some(None);
        }
        let found = doc.sections.iter().position(|s| s.name == name.value);
        if found.is_none() {
            let known = doc.sections.iter().map(|s| s.name.as_str()).chain([SILENCE]);
            let fix = did_you_mean(&name.value, known, "add it, or name another");
            self.fault(&name.place, format!("{} has no section {}", doc.name, name.value), fix);
        }
        found.map(|s| Some(SectionIndex::new(s)))
    }

    fn section(&mut self, piece: &PieceDoc, doc: &SectionDoc, (piece_index, index): (PieceIndex, SectionIndex), bus: Option<BusIndex>) -> Section {
        let rate = self.program.rate;
        let mut map = map_of(piece, doc, rate);
        let markers: Vec<(NameKey, Beats)> = doc
            .markers
            .iter()
            .map(|(name, spot)| {
                let at = position(&map, spot.value);
                map.add_point(at);
                (self.program.names.add(name), at)
            })
            .collect();
        let chords = self.chords(&map, &doc.chords);
        let lines = self.chord_lines(&map, doc);
        let next = match &doc.then {
            Then::Loop => Next::Loop,
            Then::End => Next::End,
            Then::Section(name) => match self.section_of(piece, name) {
                Some(Some(section)) => Next::Section(section),
                Some(None) => Next::End,
                None => Next::Loop,
            },
        };
        if let Some(close) = &doc.close {
            self.section_of(piece, close);
        }
        let mut section = Section {
            key: self.program.names.add(&doc.name),
            pick_up: doc.pick_up * map.metre(0).beat(),
            map,
            phrase: doc.phrase,
            open: doc.open,
            next,
            markers,
            chords,
            lines,
            layers: Vec::new(),
        };
        for layer in &doc.layers {
            let layer = self.layer((piece, doc), &section, layer, (piece_index, index), bus);
            section.layers.push(self.program.music.layers.len() as u32);
            self.program.music.layers.push(layer);
        }
        section
    }

    fn layer(
        &mut self,
        (piece, section_doc): (&PieceDoc, &SectionDoc),
        section: &Section,
        doc: &LayerDoc,
        (piece_index, index): (PieceIndex, SectionIndex),
        bus: Option<BusIndex>,
    ) -> Layer {
        let rate = self.program.rate;
        let own = doc.bus.as_ref().and_then(|bus| self.bus(bus));
        let section_name = self.program.names.get(section.key).to_owned();
        let label = label_of(&piece.name, &section_name, &doc.name);
        let key = self.program.names.add(&label);
        let mut loading = false;
        let mut round = false;
        let mut notes = None;
        let of = match &doc.of {
            LayerOf::File(file) => self.file(&file.value, &file.place, false, &mut loading).map(|recipe| {
                let (recipe, whole) = self.rounded(recipe, section);
                round = whole;
                TakeOf::Recipe(recipe)
            }),
            LayerOf::Sound(name) => {
                let found = self.program.find_sound.get(NameKey::of(&name.value));
                if found.is_none() {
                    let known = self.document.sounds.iter().map(|s| s.name.as_str());
                    let fix = did_you_mean(&name.value, known, "add it to a file in sounds/, or name another");
                    self.fault(&name.place, format!("there is no sound {}", name.value), fix);
                }
                found.map(TakeOf::Sound)
            }
            LayerOf::Notes(doc) => {
                notes = self.notes((piece, section_doc), section, doc, key);
                None
            }
            LayerOf::Nothing => None,
        };
        let takes: Vec<Take> =
            of.map(|of| Take { of, weight: 1.0, level_db: 0.0, pitch_semitones: 0.0, after: (0.0, 0.0), from_seconds: 0.0 }).into_iter().collect();
        let layer_index = self.program.music.layers.len() as u32;
        let place = LayerPlace { piece: piece_index, layer: layer_index };
        let sound = self.program.sounds.add(layer_sound(key, own.or(bus), (doc.level.0, doc.pan.0), takes, loading, place));
        let name = switch_name(&piece.name, &doc.name);
        let switch_key = self.program.names.add(&name);
        let switches = &mut self.program.music.switches;
        let switch = switches.iter().position(|s| s.key == switch_key).unwrap_or_else(|| {
            switches.push(Switch { key: switch_key, on: !doc.off });
            switches.len() - 1
        });
        Layer {
            key: self.program.names.add(&doc.name),
            piece: piece_index,
            section: index,
            sound,
            switch: switch as u32,
            when: doc.when.iter().filter_map(|c| self.test(&c.subject, &c.test)).collect(),
            fade: ramp(doc.fade, rate),
            on: self.moment_in(section, &doc.on, &doc.place),
            round,
            notes,
        }
    }

    /// A recording that ends where its section ends (within 2 ms) is closed into a circle where the section goes round, so that
    /// no gap of a frame opens when the section's exact length is no whole number of frames. Where the section is left, it ends.
    fn rounded(&self, recipe: Arc<Recipe>, section: &Section) -> (Arc<Recipe>, bool) {
        let length = nearest(section.map.time(section.map.length()) + section.pick_up_time());
        let [part] = recipe.parts.as_slice() else { return (recipe, false) };
        let Some((clip, _)) = part.clips.first() else { return (recipe, false) };
        let frames = clip.frames() as u64;
        if frames.abs_diff(length) > u64::from(self.program.rate) / 500 || section.pick_up > Beats::from_integer(0) {
            return (recipe, false);
        }
        let held = (length.saturating_sub(frames) as usize).min(estampie_engine::mixer::spec::DECLINE);
        let part = estampie_engine::mixer::spec::Part {
            clips: vec![(Arc::clone(clip), (0, clip.frames()))],
            rounds: estampie_engine::vocabulary::Rounds::Loop,
            gap: 0,
            overlap: 0,
            held,
        };
        (Arc::new(Recipe { name: recipe.name, parts: vec![part], made: None, stereo: recipe.stereo }), true)
    }

    /// A moment; a marker that the section does not have is a fault.
    fn moment_in(&mut self, section: &Section, moment: &Moment, place: &Place) -> When {
        if let Moment::Marker(name) = moment
            && !section.markers.iter().any(|(key, _)| *key == NameKey::of(name))
        {
            let section_name = self.program.names.get(section.key).to_owned();
            let known: Vec<String> = section.markers.iter().map(|(key, _)| self.program.names.get(*key).to_owned()).collect();
            let fix = did_you_mean(name, known.iter().map(String::as_str), "add it to the section's markers, or name another");
            self.fault(place, format!("{section_name} has no marker {name}"), fix);
            return When::End;
        }
        when(moment)
    }

    /// The rule for every pair. What is written for two sections counts before what is written for one and any, that
    /// before what is written for any and one, and that before any and any.
    fn rules(&mut self, doc: &PieceDoc, piece: &Piece) -> Vec<Rule> {
        let mut known: Vec<(End, End, &TransitionDoc)> = Vec::new();
        for transition in &doc.transitions {
            let mut end = |name: &Located<String>| if name.value == ANY { Some(None) } else { self.section_of(doc, name).map(Some) };
            let (from, to) = (end(&transition.from), end(&transition.to));
            let (Some(from), Some(to)) = (from, to) else { continue };
            if known.iter().any(|(f, t, _)| *f == from && *t == to) {
                let what = format!("the transition from {} to {} is written twice", transition.from.value, transition.to.value);
                self.fault(&transition.place, what, "take one of them out; the first one counts");
                continue;
            }
            known.push((from, to, transition));
        }
        let all = || std::iter::once(None).chain(piece.sections.places().map(Some));
        let mut rules = Vec::new();
        let mut told: Vec<usize> = Vec::new();
        for from in all() {
            for to in all() {
                let fits = |f: End, t: End| known.iter().find(|(kf, kt, _)| *kf == f && *kt == t);
                let found = fits(Some(from), Some(to))
                    .or_else(|| fits(Some(from), None))
                    .or_else(|| fits(None, Some(to)))
                    .or_else(|| fits(None, None))
                    .map(|(.., t)| *t);
                // From silence "any" asks for nothing that silence could not do at once.
                let first = found.is_some_and(|f| !told.contains(&f.written));
                if let Some(found) = found.filter(|_| first) {
                    told.push(found.written);
                }
                rules.push(self.rule(doc, piece, (from, to), found, first));
            }
        }
        rules
    }

    fn rule(
        &mut self,
        doc: &PieceDoc,
        piece: &Piece,
        (from, to): (Option<SectionIndex>, Option<SectionIndex>),
        found: Option<&TransitionDoc>,
        tell: bool,
    ) -> Rule {
        let rate = self.program.rate;
        let straight = Ramp { over: Long::Frames(0), curve: estampie_engine::curve::Shape::Straight };
        let Some(t) = found else {
            return Rule {
                leave: When::Bar,
                way: None,
                arrive: ArriveAt::Start,
                falls: None,
                rises: straight,
                overlap: Long::Frames(0),
                allowed: true,
                accepted: NameKey::NONE,
                written: None,
            };
        };
        let old = from.map(|f| &piece.sections[f]);
        let faults = self.faults.len();
        let mut closes = false;
        let way = match &t.way {
            crate::document::Between::Straight => None,
            crate::document::Between::Section(name) => self.section_of(doc, name).flatten(),
            crate::document::Between::CloseEnding => {
                let close = from.and_then(|f| doc.sections.get(f.at())).and_then(|s| s.close.clone());
                if close.is_none() && t.from.value != ANY {
                    self.fault(&t.place, format!("{} has no close ending", t.from.value), "give the section close-ending = \"NAME\", or go by way of nothing");
                }
                closes = close.is_some();
                close.and_then(|c| self.section_of(doc, &c)).flatten()
            }
        };
        let leave = match (&t.leave, old) {
            (Some(moment), Some(old)) if t.from.value != ANY || !matches!(moment, Moment::Marker(_)) => self.moment_in(old, moment, &t.place),
            (Some(moment), _) => when(moment),
            (None, _) if closes => When::OpenEnding,
            (None, _) => When::Bar,
        };
        let arrive = match (&t.arrive, to) {
            (Arrive::SameBar, _) => ArriveAt::SameBar,
            (Arrive::SameBeat, _) => ArriveAt::SameBeat,
            (Arrive::LeftOff, _) => ArriveAt::LeftOff,
            (Arrive::Marker(name), Some(to)) => {
                let section = &piece.sections[to];
                let at = section.markers.iter().find(|(key, _)| *key == NameKey::of(name)).map(|(_, at)| *at);
                if at.is_none() {
                    self.moment_in(section, &Moment::Marker(name.clone()), &t.place);
                }
                at.map_or(ArriveAt::Start, ArriveAt::At)
            }
            _ => ArriveAt::Start,
        };
        if !tell {
            // One rule stands for many pairs; what is wrong with it is said once.
            self.faults.truncate(faults);
        }
        Rule {
            leave,
            way,
            arrive,
            falls: t.falls.map(|f| ramp(f, rate)),
            rises: ramp(t.rises, rate),
            overlap: long(t.overlap, rate),
            allowed: t.allowed,
            accepted: t.accepted.as_ref().map_or(NameKey::NONE, |why| self.program.names.add(why)),
            written: Some(t.written as u32),
        }
    }

    fn follows(&mut self, doc: &PieceDoc) -> Option<Follows> {
        let document = self.document;
        let follows = doc.follows.as_ref()?;
        let subject = &follows.subject;
        let mut sections = Vec::new();
        for (value, section) in &follows.sections {
            sections.push((value, self.section_of(doc, section)));
        }
        if let Some(state) = self.found.states.get(subject.value.as_str()).copied() {
            let values = &document.states[state].values;
            let mut list: Vec<Option<Option<SectionIndex>>> = vec![None; values.len()];
            for (value, section) in sections {
                match values.iter().position(|v| v.value == value.value) {
                    Some(index) => list[index] = section,
                    None => {
                        let fix = did_you_mean(&value.value, values.iter().map(|v| v.value.as_str()), "write one of its values");
                        self.fault(&value.place, format!("the state {} has no value {}", subject.value, value.value), fix);
                    }
                }
            }
            return Some(Follows::State(state, list));
        }
        let Some(parameter) = self.found.parameters.get(subject.value.as_str()).copied() else {
            let known = document.states.iter().map(|s| s.name.as_str()).chain(document.parameters.iter().map(|p| p.name.as_str()));
            let fix = did_you_mean(&subject.value, known, "add it to game.toml, or name another");
            self.fault(&subject.place, format!("there is no state or parameter {}", subject.value), fix);
            return None;
        };
        let unit = document.parameters[parameter].unit.clone();
        let mut ranges = Vec::new();
        for (value, section) in sections {
            let number = |t: &str| split_number(t).filter(|(_, own)| own.is_empty() || *own == unit).map(|(n, _)| n as f32);
            let ends = value.value.split_once("..").and_then(|(low, high)| Some((number(low)?, number(high)?))).filter(|(low, high)| low <= high);
            match (ends, section) {
                (Some(ends), Some(section)) => ranges.push((ends, section)),
                (None, _) => self.fault(&value.place, format!("\"{}\" is not a range of {}", value.value, subject.value), "write a range like \"0..0.5\""),
                _ => {}
            }
        }
        self.one_for_all(parameter, &subject.place)?;
        Some(Follows::Parameter(parameter, ranges))
    }

    /// A piece with recordings keeps its tempo: what would move it is a fault.
    fn tempo_is_of_notes(&mut self, doc: &PieceDoc, index: PieceIndex) {
        // By what is written: notes that are still being loaded are notes too.
        let recorded = doc.sections.iter().flat_map(|s| &s.layers).any(|l| matches!(l.of, LayerOf::File(_) | LayerOf::Sound(_)));
        let moved = self
            .document
            .modulations
            .iter()
            .find(|m| m.kind == crate::document::Moved::Piece && m.target.value == doc.name && m.property == estampie_engine::property::Property::Tempo);
        if let Some(moved) = moved.filter(|_| recorded) {
            let what = format!("{} has recorded layers, so its tempo cannot be moved", doc.name);
            self.fault(&moved.target.place.clone(), what, "let notes play all of its layers, or move its level");
            self.program.music.pieces[index].tempo.clear();
        }
    }

    fn stingers(&mut self) {
        let document = self.document;
        let rate = self.program.rate;
        for doc in &document.music.stingers {
            let mut sound = |name: &Located<String>| {
                let found = self.program.find_sound.get(NameKey::of(&name.value));
                if found.is_none() {
                    let known = document.sounds.iter().map(|s| s.name.as_str());
                    let fix = did_you_mean(&name.value, known, "add it to a file in sounds/, or name another");
                    self.fault(&name.place, format!("there is no sound {}", name.value), fix);
                }
                found
            };
            let first = doc.sound.as_ref().and_then(&mut sound);
            let by: Vec<(String, SoundIndex)> = doc.by.iter().filter_map(|(value, name)| Some((value.value.clone(), sound(name)?))).collect();
            let by = by.into_iter().map(|(value, sound)| (self.program.names.add(&value), sound)).collect();
            let piece = doc.piece.as_ref().and_then(|p| self.piece_named(&p.value, &p.place));
            let coefficient = |time: estampie_engine::units::Seconds| block_coefficient(time.0, BLOCK, rate);
            let stinger = Stinger {
                key: self.program.names.add(&doc.name),
                sound: first,
                by,
                on: when(&doc.on),
                piece,
                duck: doc.duck.map(|d| (d.by.0, coefficient(d.attack), coefficient(d.release))),
                limit: doc.limit,
                again_after: frames_of(doc.again_after, rate),
                anyway: doc.anyway,
            };
            self.program.music.stingers.push(stinger);
        }
    }

    fn playlists(&mut self) {
        let document = self.document;
        let rate = self.program.rate;
        for doc in &document.music.lists {
            let pieces: Vec<PieceIndex> = doc.pieces.iter().filter_map(|p| self.piece_named(&p.value, &p.place)).collect();
            if pieces.is_empty() {
                self.fault(&doc.place, format!("the playlist {} has no pieces", doc.name), "write pieces = [\"…\", \"…\"]");
                continue;
            }
            if document.music.piece(&doc.name).is_some() {
                self.fault(&doc.place, format!("{} is a piece and a playlist", doc.name), "give one of them another name");
            }
            let playlist = Playlist {
                key: self.program.names.add(&doc.name),
                not_last: match doc.order {
                    PlaylistOrder::InOrder => None,
                    PlaylistOrder::Shuffle(n) => Some(n.min(pieces.len() as u32 - 1)),
                },
                pieces,
                gap: (doc.gap.low.0 as f32, doc.gap.high.0 as f32),
                start: frames_of(doc.start, rate),
                fade_in: frames_of(doc.fade_in, rate),
                rounds: doc.rounds,
            };
            self.program.music.lists.push(playlist);
        }
    }
}

fn rest(rate: u32) -> Section {
    Section {
        key: NameKey::NONE,
        map: Map::new(1, &[], &[], rate),
        pick_up: Beats::from_integer(0),
        phrase: 1,
        open: 0,
        next: Next::End,
        markers: Vec::new(),
        chords: Vec::new(),
        lines: None,
        layers: Vec::new(),
    }
}

/// What a layer is called where sounds are told.
pub(super) fn label_of(piece: &str, section: &str, layer: &str) -> String {
    format!("{piece}/{section} {layer}")
}

/// The sound of a layer: its one take, at its level, without limits.
fn layer_sound(key: NameKey, bus: Option<BusIndex>, (level, pan): (f32, f32), takes: Vec<Take>, loading: bool, place: LayerPlace) -> Sound {
    Sound {
        key,
        bus,
        sends: Vec::new(),
        group: None,
        set: PerProperty::from_fn(|property| match property {
            Property::Level => level,
            Property::Pan => pan,
            _ => 0.0,
        }),
        vary: Vary::default(),
        shape: None,
        limit: Limit::NONE,
        priority: Priority { near: 100.0, far: 100.0, at_metres: 0.0 },
        falloff: None,
        chance: 1.0,
        always: Vec::new(),
        again_after: 0,
        when_refused: None,
        again: estampie_engine::vocabulary::Again::Overlap,
        repeat: None,
        lines: None,
        stop_if_younger: None,
        when_gone: None,
        groups: vec![Group { takes, not_last: 0, order: PickOrder::Even }],
        choice: Choice::Only,
        modulations: Vec::new(),
        asked: Vec::new(),
        loading,
        absent: false,
        layer: Some(place),
    }
}
