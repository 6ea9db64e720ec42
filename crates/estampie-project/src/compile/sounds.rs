//! Compiling sounds: recipes, takes, shapes, limits.

use super::{Compiler, frames_of};
use crate::document::{
    LimitDoc, LinesDoc, Located, Moved, PickDoc, Place, Setting as _, ShapeDoc, SoundDoc, TakeDoc, TakeGroup, TakeLine, did_you_mean, read_setting,
};
use estampie_engine::clip::Clip;
use estampie_engine::dsp::Shaping;
use estampie_engine::dsp::effects::Setting;
use estampie_engine::index::{BusIndex, SoundIndex};
use estampie_engine::mixer::spec::{MOST_NESTED, Part, Recipe};
use estampie_engine::names::NameKey;
use estampie_engine::program::{Choice, Falloff, Group, Limit, Lines, PickOrder, Priority, Repeat, Sound, SoundGroup, Take, TakeOf, Vary};
use estampie_engine::property::{PerProperty, Property};
use estampie_engine::random::Draw;
use estampie_engine::units::{Seconds, Spread, split_number};
use estampie_engine::vocabulary::Rounds;
use std::collections::HashSet;
use std::sync::Arc;

impl Compiler<'_> {
    pub(super) fn groups(&mut self) {
        for group in &self.document.shared.group {
            let key = self.program.names.add(&group.name);
            self.program.groups.push(SoundGroup { key, limit: limit(&group.setting) });
        }
        for sound in &self.document.sounds {
            if let Some(speaker) = sound.spoken(&self.document.shared).and_then(|l| l.speaker) {
                let key = self.program.names.add(&speaker);
                if !self.program.speakers.contains(&key) {
                    self.program.speakers.push(key);
                }
            }
        }
    }

    /// Says when a sound is like a shared setting that there is not.
    fn check_like(&mut self, like: Option<&Located<String>>, kind: &str) {
        let Some(like) = like else { return };
        let known = self.document.shared.names(kind);
        if !known.contains(&like.value.as_str()) {
            let fix = did_you_mean(&like.value, known, &format!("add [{kind}.{}] to shared.toml, or write the fields in a table", like.value));
            self.fault(&like.place, format!("there is no shared {kind} {}", like.value), fix);
        }
    }

    pub(super) fn sound(&mut self, doc: &SoundDoc) -> Sound {
        let document = self.document;
        let key = self.program.names.add(&doc.name);
        let bus = doc.bus.as_ref().and_then(|bus| self.bus(bus));
        self.check_shared(doc);
        let group = doc.group.as_ref().and_then(|g| document.shared.group.iter().position(|n| n.name == g.value)).map(|g| g as u32);
        let mut loading = false;
        let (choice, groups) = self.takes_of(doc, &mut loading);
        let rate = self.program.rate;
        let always = doc.always.iter().filter_map(|c| self.test(&c.subject, &c.test)).collect();
        Sound {
            key,
            bus,
            sends: Vec::new(),
            group,
            set: doc.set,
            vary: vary(&document.shared.whole(&doc.vary)),
            shape: shaping(&document.shared.whole(&doc.shape), rate),
            limit: limit(&document.shared.whole(&doc.limit)),
            priority: Priority { near: doc.priority.near, far: doc.priority.far, at_metres: doc.priority.at.0 },
            falloff: self.falloff(doc),
            chance: doc.chance.0,
            always,
            again_after: frames_of(doc.again_after, rate),
            when_refused: doc.when_refused.as_ref().and_then(|name| self.event_named(&name.value, &name.place)),
            again: doc.again,
            repeat: doc.repeat.map(|r| Repeat {
                every: (r.every.low.0 as f32, r.every.high.0 as f32),
                times: r.times,
                length: r.length.map(|l| frames_of(l, rate)),
            }),
            lines: doc.spoken(&document.shared).map(|lines| self.lines(lines)),
            stop_if_younger: doc.stop_if_younger.map(|t| frames_of(t, rate)),
            when_gone: doc.when_gone,
            groups,
            choice,
            modulations: Vec::new(),
            asked: Vec::new(),
            loading,
            absent: false,
            layer: None,
        }
    }

    /// Says which shared settings it is like that there are not.
    fn check_shared(&mut self, doc: &SoundDoc) {
        for (like, kind) in [
            (doc.vary.like(), "vary"),
            (doc.shape.like(), "shape"),
            (doc.limit.like(), "limit"),
            (doc.falloff.like(), "falloff"),
            (doc.lines.as_ref().and_then(|l| l.like()), "lines"),
        ] {
            self.check_like(like, kind);
        }
        self.check_like(doc.group.as_ref(), "group");
    }

    /// What it plays, and how it is chosen.
    fn takes_of(&mut self, doc: &SoundDoc, loading: &mut bool) -> (Choice, Vec<Group>) {
        let mut choice = Choice::Only;
        let mut groups = Vec::new();
        if doc.chain.is_empty() {
            let (order, not_last) = match doc.pick {
                PickDoc::Shuffle(n) => (PickOrder::Even, n),
                PickDoc::Weighted(n) => (PickOrder::Weighted, n),
                PickDoc::Cycle => (PickOrder::Cycle, 0),
                PickDoc::Together => (PickOrder::Together, 0),
                PickDoc::By(_) | PickDoc::Across(..) => (PickOrder::Even, 1),
            };
            let mut written: Vec<&TakeGroup> = doc.groups.iter().collect();
            match &doc.pick {
                PickDoc::By(name) => choice = self.by(doc, name),
                PickDoc::Across(name, power) => choice = self.across(name, *power, &mut written),
                _ => {}
            }
            for (_, takes) in written {
                let takes: Vec<Take> = takes.iter().filter_map(|take| self.take(take, doc.looped, loading)).collect();
                groups.push(Group { not_last: (not_last as usize).min(takes.len().saturating_sub(1)), takes, order });
            }
        } else {
            let recipe = self.chain(doc, loading);
            let take = |of| Take { of, weight: 1.0, level_db: 0.0, pitch_semitones: 0.0, after: (0.0, 0.0), from_seconds: 0.0 };
            groups.extend(recipe.map(|r| Group { takes: vec![take(TakeOf::Recipe(r))], not_last: 0, order: PickOrder::Even }));
        }
        (choice, groups)
    }

    fn falloff(&mut self, doc: &SoundDoc) -> Option<Falloff> {
        let falloff = self.document.shared.whole(&doc.falloff);
        falloff.said().iter().any(|(_, said)| said.is_some()).then(|| Falloff {
            level: falloff.level.map(|c| c.0),
            low_pass: falloff.low_pass.map(|c| c.0),
            high_pass: falloff.high_pass.map(|c| c.0),
            width: falloff.width.map(|c| c.0),
            send: falloff.send.map(|c| c.0),
            sends: self.send_curves(falloff.sends),
            cone: falloff.cone.map(|c| c.0),
            cone_low_pass: falloff.cone_low_pass.map(|c| c.0),
            doppler: falloff.doppler.map_or(0.0, |d| d.0),
        })
    }

    fn lines(&self, lines: LinesDoc) -> Lines {
        let speaker = lines.speaker.map(|s| NameKey::of(&s));
        let gap = lines.gap.unwrap_or_default();
        Lines {
            speaker: self.program.speakers.iter().position(|s| Some(*s) == speaker).unwrap_or(0) as u32,
            gap: (gap.low.0 as f32, gap.high.0 as f32),
            worth: frames_of(lines.worth.unwrap_or(Seconds(8.0)), self.program.rate),
            stays: lines.stays.is_some_and(|s| s.0),
            rank: lines.rank.unwrap_or(0) as u8,
            cuts_in: lines.cuts_in.is_some_and(|c| c.0),
        }
    }

    /// Says where a repeat is quicker than it can be, unless something moves its interval.
    pub(super) fn look_at_repeats(&mut self) {
        let document = self.document;
        let every = document.modulations.iter().filter(|m| m.kind == Moved::Sound && m.property == Property::Every);
        let moving: HashSet<&str> = every.map(|m| m.target.value.as_str()).collect();
        for doc in &document.sounds {
            let Some(repeat) = doc.repeat.filter(|r| r.every.low.0 < estampie_engine::vocabulary::LEAST_INTERVAL) else { continue };
            if !moving.contains(doc.name.as_str()) {
                let what = format!("repeat of {}: every {} is shorter than 20 ms", doc.name, repeat.every);
                self.fault(&doc.place, what, "write 20 ms or more");
            }
        }
    }

    /// Curves for what is sent to single returns.
    fn send_curves(&mut self, curves: Option<crate::document::SendCurves>) -> Vec<(BusIndex, estampie_engine::curve::Curve)> {
        curves.map_or_else(Vec::new, |c| c.0).into_iter().filter_map(|(bus, curve)| Some((self.bus(&bus)?, curve.0))).collect()
    }

    pub(super) fn bus(&mut self, name: &Located<String>) -> Option<BusIndex> {
        let found = self.program.mix.find_bus.get(NameKey::of(&name.value));
        if found.is_none() {
            let otherwise = if name.value == "all" { "the last bus is called main" } else { "add it to mix.toml, or name another" };
            let fix = did_you_mean(&name.value, self.document.buses.iter().map(|b| b.name.as_str()), otherwise);
            self.fault(&name.place, format!("there is no bus {}", name.value), fix);
        }
        found
    }

    /// By a state's values, or by a parameter's ranges.
    fn by(&mut self, doc: &SoundDoc, name: &Located<String>) -> Choice {
        let document = self.document;
        if let Some(parameter) = self.found.parameters.get(name.value.as_str()).copied() {
            return self.by_range(doc, parameter);
        }
        let Some(state) = self.found.states.get(name.value.as_str()).copied() else {
            let known = document.states.iter().map(|s| s.name.as_str()).chain(document.parameters.iter().map(|p| p.name.as_str()));
            let fix = did_you_mean(&name.value, known, "add it to game.toml, or name another");
            self.fault(&name.place, format!("there is no state or parameter {}", name.value), fix);
            return Choice::Only;
        };
        let values = &document.states[state].values;
        let mut groups: Vec<Option<u16>> = vec![None; values.len()];
        let mut rest = None;
        for (at, (value, _)) in doc.groups.iter().enumerate() {
            let Some(value) = value else { continue };
            if value.value == "otherwise" {
                rest = Some(at as u16);
            } else if let Some(index) = values.iter().position(|v| v.value == value.value) {
                groups[index] = Some(at as u16);
            } else {
                let fix = did_you_mean(&value.value, values.iter().map(|v| v.value.as_str()), "write one of its values, or \"otherwise\"");
                self.fault(&value.place, format!("the state {} has no value {}", name.value, value.value), fix);
            }
        }
        for group in &mut groups {
            *group = group.or(rest);
        }
        Choice::ByState { state, groups }
    }

    fn by_range(&mut self, doc: &SoundDoc, parameter: usize) -> Choice {
        let unit = self.document.parameters[parameter].unit.clone();
        let mut ranges = Vec::new();
        for (text, _) in &doc.groups {
            let Some(text) = text else { continue };
            let number = |t: &str| split_number(t).filter(|(_, own)| own.is_empty() || *own == unit).map(|(n, _)| n as f32);
            let ends = match text.value.split_once("..") {
                _ if text.value == "otherwise" => Some((f32::NEG_INFINITY, f32::INFINITY)),
                Some((low, high)) => number(low).zip(number(high)).filter(|(low, high)| low <= high),
                None => None,
            };
            if ends.is_none() {
                self.fault(
                    &text.place,
                    format!("\"{}\" is not a range of {}", text.value, self.document.parameters[parameter].name),
                    "write a range like \"0..0.5\", or \"otherwise\"",
                );
            }
            // A range that no value is in keeps the groups in step.
            ranges.push(ends.unwrap_or((f32::INFINITY, f32::NEG_INFINITY)));
        }
        Choice::ByRange { parameter, ranges }
    }

    /// Cross-faded: puts the groups in the order of their points.
    fn across(&mut self, name: &Located<String>, equal_power: bool, written: &mut Vec<&TakeGroup>) -> Choice {
        let Some(parameter) = self.parameter(&name.value, &name.place) else {
            written.truncate(1);
            return Choice::Only;
        };
        let unit = self.document.parameters[parameter].unit.clone();
        let mut placed: Vec<(f32, &TakeGroup)> = Vec::new();
        for group in written.iter() {
            let Some(text) = &group.0 else { continue };
            match split_number(&text.value).filter(|(_, own)| own.is_empty() || *own == unit) {
                Some((point, _)) if placed.iter().all(|(p, _)| *p != point as f32) => placed.push((point as f32, group)),
                _ => self.fault(
                    &text.place,
                    format!("\"{}\" is not a point of {} of its own", text.value, name.value),
                    "write the number at which these takes are heard alone, each once",
                ),
            }
        }
        placed.sort_by(|a, b| a.0.total_cmp(&b.0));
        *written = placed.iter().map(|(_, g)| *g).collect();
        Choice::Across { parameter, points: placed.iter().map(|(p, _)| *p).collect(), equal_power }
    }

    fn take(&mut self, line: &Located<TakeLine>, looped: bool, loading: &mut bool) -> Option<Take> {
        let of = match &line.value.take {
            TakeDoc::Sound(name) => match self.program.find_sound.get(NameKey::of(name)) {
                Some(sound) => Some(TakeOf::Sound(sound)),
                None => {
                    let fix = did_you_mean(
                        name,
                        self.document.sounds.iter().map(|s| s.name.as_str()),
                        "add it to a file in sounds/, or write a file like \"audio/…\"",
                    );
                    self.fault(&line.place, format!("there is no sound {name}"), fix);
                    None
                }
            },
            TakeDoc::File(file) => self.file(file, &line.place, looped, loading).map(TakeOf::Recipe),
            TakeDoc::Generator(name) => self.made_by(name, &line.place).map(TakeOf::Recipe),
        };
        let line = &line.value;
        let after = (line.after.low.0 as f32, line.after.high.0 as f32);
        of.map(|of| Take { of, weight: line.weight, level_db: line.level.0, pitch_semitones: line.pitch.0, after, from_seconds: line.from.0 as f32 })
    }

    pub(super) fn file(&mut self, file: &str, place: &Place, looped: bool, loading: &mut bool) -> Option<Arc<Recipe>> {
        let known = (file.to_owned(), looped);
        if let Some(recipe) = self.recipes.get(&known) {
            return recipe.clone();
        }
        let recipe = self.clip(file, place, loading).map(|clip| {
            let name = self.program.names.add(file);
            let stereo = clip.channels.len() > 1;
            let rounds = if looped { Rounds::Loop } else { Rounds::Times(1, 1) };
            Arc::new(Recipe { name, parts: vec![Part { clips: vec![with_round(clip)], rounds, gap: 0, overlap: 0, held: 0 }], made: None, stereo })
        });
        if self.assets.get(file).is_some() {
            self.recipes.insert(known, recipe.clone());
        }
        recipe
    }

    /// Puts settings that are written in the place of the usual values, and says what is wrong with them.
    pub(super) fn settings(&mut self, (kind, name): (&str, &str), settings: &[Setting], written: &[(&str, Located<String>)], values: &mut [f32]) {
        for (word, text) in written {
            let Some(at) = settings.iter().position(|s| s.word == *word) else {
                let fix = did_you_mean(word, settings.iter().map(|s| s.word), "take it out");
                self.fault(&text.place, format!("{kind} has no setting {word}"), fix);
                continue;
            };
            match read_setting(&settings[at], &text.value) {
                Ok(value) => values[at] = value,
                Err(what) => {
                    let rest = settings[at].unit.print(settings[at].rest);
                    self.fault(&text.place, format!("{word} of {name}: {what}"), format!("write a value like \"{rest}\""));
                }
            }
        }
    }

    pub(super) fn clip(&mut self, file: &str, place: &Place, loading: &mut bool) -> Option<Arc<Clip>> {
        match self.assets.get(file) {
            None => {
                *loading = true;
                None
            }
            Some(Ok(clip)) => Some(Arc::clone(clip)),
            Some(Err(reason)) => {
                let reason = reason.clone();
                if reason.is_missing() {
                    self.faults.push(crate::fault::Fault::new(place, format!("there is no file {file}"), "put it there, or name another").missing(file));
                    return None;
                }
                self.fault(place, format!("{file} cannot be played: {reason}"), "fix the file or take it out");
                None
            }
        }
    }

    fn chain(&mut self, doc: &SoundDoc, loading: &mut bool) -> Option<Arc<Recipe>> {
        let mut parts: Vec<Part> = Vec::new();
        let mut places = Vec::new();
        for written in &doc.chain {
            let clips: Vec<_> = written.files.iter().filter_map(|file| self.clip(&file.value, &file.place, loading)).map(with_round).collect();
            if clips.is_empty() {
                continue;
            }
            let frames = frames_of(Seconds(written.gap.abs()), self.program.rate) as usize;
            let (gap, overlap) = if written.gap < 0.0 { (0, frames) } else { (frames, 0) };
            parts.push(Part { clips, rounds: written.rounds, gap, overlap, held: 0 });
            places.extend(written.files.first().map(|f| f.place.clone()));
        }
        if parts.is_empty() || *loading {
            return None;
        }
        // An overlap within half of both parts never meets another one.
        let shortest = |part: &Part| part.clips.iter().map(|(c, _)| c.frames()).min().unwrap_or(0);
        for at in 0..parts.len() {
            let most = parts.get(at + 1).map_or(0, |next| (shortest(&parts[at]) / 2).min(shortest(next) / 2));
            if parts[at].overlap > most {
                let seconds = Seconds::of_frames(most as u64, self.program.rate);
                let (what, fix) = if at + 1 == parts.len() {
                    ("the last part has nothing to overlap with".to_owned(), "take the overlap out".to_owned())
                } else {
                    (format!("the overlap in {} is longer than half of a part", doc.name), format!("write {seconds} or less"))
                };
                self.fault(&places[at].clone(), what, fix);
                parts[at].overlap = most;
            }
        }
        // One part of two channels makes the whole voice stereo.
        let stereo = parts.iter().any(|p| p.clips.iter().any(|(c, _)| c.channels.len() > 1));
        let name = self.program.names.add(&format!("{}: chain", doc.name));
        Some(Arc::new(Recipe { name, parts, made: None, stereo }))
    }

    /// Takes out takes that lead a sound back to itself, or deeper than voices can remember.
    pub(super) fn break_cycles(&mut self) {
        for start in self.program.sounds.places() {
            let mut way = vec![start];
            self.walk(start, &mut way);
        }
    }

    fn walk(&mut self, sound: SoundIndex, way: &mut Vec<SoundIndex>) {
        for group in 0..self.program.sounds[sound].groups.len() {
            let mut take = 0;
            while let Some(found) = self.program.sounds[sound].groups[group].takes.get(take) {
                let TakeOf::Sound(next) = found.of else {
                    take += 1;
                    continue;
                };
                let circle = way.iter().position(|s| *s == next);
                if circle.is_some() || way.len() >= MOST_NESTED {
                    let names: Vec<&str> = way[circle.unwrap_or(0)..].iter().chain([&next]).map(|s| self.document.sounds[s.at()].name.as_str()).collect();
                    let what = if circle.is_some() {
                        format!("these sounds are takes of each other in a circle: {}", names.join(" ⟶ "))
                    } else {
                        format!("sounds are nested more than {MOST_NESTED} deep: {}", names.join(" ⟶ "))
                    };
                    let place = self.place_of_take(sound, next);
                    self.fault(&place, what, "take one of them out");
                    let group = &mut self.program.sounds[sound].groups[group];
                    group.takes.remove(take);
                    group.not_last = group.not_last.min(group.takes.len().saturating_sub(1));
                } else {
                    way.push(next);
                    self.walk(next, way);
                    way.pop();
                    take += 1;
                }
            }
        }
    }

    fn place_of_take(&self, sound: SoundIndex, take: SoundIndex) -> Place {
        let name = &self.document.sounds[take.at()].name;
        let doc = &self.document.sounds[sound.at()];
        let written = doc.groups.iter().flat_map(|(_, t)| t).find(|t| matches!(&t.value.take, TakeDoc::Sound(s) if s == name));
        written.map_or(&doc.place, |t| &t.place).clone()
    }
}

fn with_round(clip: Arc<Clip>) -> (Arc<Clip>, (usize, usize)) {
    let round = clip.loop_points.unwrap_or((0, clip.frames()));
    (clip, round)
}

fn limit(doc: &LimitDoc) -> Limit {
    let whole = |n: Option<u32>| n.unwrap_or(u32::MAX);
    Limit { each: whole(doc.each), all: whole(doc.all), when_full: doc.when_full.map_or_else(Default::default, |w| w.0) }
}

fn vary(doc: &crate::document::VaryDoc) -> Vary {
    let draw =
        |spread: Option<Spread<Seconds>>| spread.map_or_else(Draw::default, |s| Draw { ends: (s.ends.low.0 as f32, s.ends.high.0 as f32), centred: s.centred });
    Vary {
        of: PerProperty::from_fn(|property| doc.of[property].as_ref().map_or_else(Draw::default, |drawn| drawn.draw)),
        after: draw(doc.after),
        from: draw(doc.from),
    }
}

fn shaping(doc: &ShapeDoc, rate: u32) -> Option<Shaping> {
    if doc.said().iter().all(|(_, text)| text.is_none()) {
        return None;
    }
    let frames = |time: Option<Seconds>, unsaid: f64| frames_of(time.unwrap_or(Seconds(unsaid)), rate);
    Some(Shaping {
        delay: frames(doc.delay, 0.0),
        attack: frames(doc.attack, 0.0),
        hold: frames(doc.hold, 0.0),
        decay: frames(doc.decay, 0.0),
        sustain: doc.sustain.map_or(1.0, estampie_engine::units::Decibels::gain),
        release: frames(doc.release, 0.02),
        curve: doc.curve.unwrap_or(estampie_engine::curve::Shape::Straight),
    })
}
