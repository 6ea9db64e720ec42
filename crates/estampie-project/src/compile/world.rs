//! Compiling the world: names found, outlines indexed, the places of flocks spread out.

use super::{Compiler, frames_of};
use crate::document::{AmountDoc, Candidates, EmitterDoc, FlockDoc, Located, MuffleDoc, OneShotsDoc, PassDoc, StandDoc, ZoneDoc, did_you_mean};
use estampie_engine::dsp::block_coefficient;
use estampie_engine::lookup::Lookup;
use estampie_engine::names::NameKey;
use estampie_engine::time::BLOCK;
use estampie_engine::world::geometry::{Form, along, bounds, length_of, sides};
use estampie_engine::world::spec::{Amount, Doorway, Flock, Index, MOST_ROOMS, Muffle, OneShots, Pass, Play, PlaysFor, Source, Stand, Wall, Zone};
use rand::{Rng as _, SeedableRng as _};
use rand_pcg::Pcg32;
use std::collections::HashSet;

/// The word for what is in no zone, in `between` of a doorway.
const OUTSIDE: &str = "outside";

/// Sounds of a flock begin at least so far apart, in seconds.
const FLOCK_GAP: f64 = 0.012;

/// Zones without a height of their own reach as far down and up as anything goes.
const ANY_HEIGHT: (f32, f32) = (-1e6, 1e6);

impl Compiler<'_> {
    pub(super) fn world(&mut self) {
        let document = self.document;
        let doc = &document.world;
        self.program.world.start = (doc.start, doc.facing_degrees);
        self.program.world.sound_metres_per_second = doc.sound_metres_per_second;
        self.program.world.head = doc.head;
        for zone in &doc.zones {
            self.zone(zone);
        }
        let world = &mut self.program.world;
        world.find_zone = Lookup::new(world.zones.iter().map(|z| z.key));
        world.zone_index = Index::new(world.zones.iter().map(|z| z.form.bounds()));
        for doorway in &doc.doorways {
            self.doorway(doorway);
        }
        for wall in &doc.walls {
            let key = self.program.names.add(&wall.name);
            let muffle = self.muffle(Some(&wall.muffle));
            let height = wall.height.unwrap_or(ANY_HEIGHT);
            self.program.world.walls.extend(sides(&wall.line, wall.closed).map(|(a, b)| Wall { key, ends: [a, b], height, muffle }));
        }
        self.program.world.wall_index = Index::new(self.program.world.walls.iter().map(|w| bounds(&w.ends)));
        for emitter in &doc.emitters {
            self.source(emitter);
        }
        for one_shots in &doc.one_shots {
            self.one_shots(one_shots);
        }
        for flock in &doc.flocks {
            self.flock(flock);
        }
        self.same_names();
    }

    /// Names that two things of the world share would move each other.
    fn same_names(&mut self) {
        let document = self.document;
        let world = &document.world;
        let emitters = world.emitters.iter().map(|e| (&e.name, &e.place));
        let zones = world.zones.iter().map(|z| (&z.name, &z.place));
        let mut seen: HashSet<&str> = HashSet::new();
        for (name, place) in zones.chain(emitters) {
            if seen.contains(name.as_str()) || name == estampie_engine::world::emitters::LISTENER_NAME {
                self.fault(place, format!("there is another {name} in the world"), "give one of them another name");
            }
            seen.insert(name);
        }
    }

    fn share(&self, seconds: f64) -> f32 {
        block_coefficient(seconds, BLOCK, self.program.rate)
    }

    fn muffle(&self, doc: Option<&MuffleDoc>) -> Muffle {
        doc.map_or(Muffle::NONE, |doc| Muffle { level_db: doc.level.0, low_pass_octaves: doc.low_pass_octaves, follow_per_block: self.share(doc.time.0) })
    }

    fn zone(&mut self, doc: &ZoneDoc) {
        let document = self.document;
        let key = self.program.names.add(&doc.name);
        let state = doc.sets.as_ref().and_then(|(state, value)| {
            let Some(index) = self.found.states.get(state.value.as_str()).copied() else {
                let fix = did_you_mean(&state.value, document.states.iter().map(|s| s.name.as_str()), "add it to game.toml, or name another");
                self.fault(&state.place, format!("there is no state {}", state.value), fix);
                return None;
            };
            let word = crate::language::Word { text: value.value.clone(), place: value.place.clone() };
            self.state_value(index, &word).map(|value| (index, value))
        });
        let snapshot = doc.snapshot.as_ref().and_then(|name| self.snapshot_named(&name.value, &name.place));
        let mut reverb = Vec::new();
        for (bus, level) in &doc.reverb {
            let Some(index) = self.bus(bus) else { continue };
            if !self.program.mix.buses[index].returns {
                self.fault(&bus.place, format!("{} is no return", bus.value), "name a bus with return = true");
                continue;
            }
            let rooms = &mut self.program.world.rooms;
            let room = rooms.iter().position(|r| *r == index).unwrap_or_else(|| {
                rooms.push(index);
                rooms.len() - 1
            });
            if room < MOST_ROOMS {
                reverb.push((room as u8, level.gain()));
            } else {
                rooms.truncate(MOST_ROOMS);
                self.fault(&bus.place, "there are too many returns for rooms", format!("use {MOST_ROOMS} at most"));
            }
        }
        let index = self.program.world.zones.len() as u32;
        for sound in &doc.ambience {
            self.plays(key, sound, PlaysFor::Zone(index));
        }
        if let Some(edge) = &doc.edge {
            // The edge sounds from its nearest point, while one is beneath.
            let line = match &doc.form {
                Form::Outline(points) => points.clone(),
                Form::Circle([x, y], r) => (0..24).map(|n| std::f32::consts::TAU * n as f32 / 24.0).map(|a| [x + r * a.sin(), y + r * a.cos()]).collect(),
            };
            let name = format!("{}-edge", doc.name);
            let key = self.program.names.add(&name);
            self.program.world.sources.push(Source {
                fades_with: Some(index),
                key,
                kind: NameKey::NONE,
                stand: Stand::Trail(line, true, 0.0),
                facing_degrees: 0.0,
            });
            self.plays(key, edge, PlaysFor::Zone(index));
        }
        let (outside, inside) = (self.muffle(doc.outside.as_ref()), self.muffle(doc.inside.as_ref()));
        self.program.world.zones.push(Zone {
            key,
            form: doc.form.clone(),
            height: doc.height.unwrap_or(ANY_HEIGHT),
            order: doc.order,
            margin_metres: doc.margin.0,
            state,
            snapshot,
            reverb,
            follow_per_block: self.share(doc.fade.0),
            outside,
            inside,
            shelter: doc.shelter,
            entering: Vec::new(),
            leaving: Vec::new(),
        });
    }

    fn plays(&mut self, owner: NameKey, sound: &Located<String>, of: PlaysFor) {
        if let Some(index) = self.sound_named(&sound.value, &sound.place) {
            let key = owner.with(self.program.sounds[index].key.0);
            self.program.world.plays.push(Play { key, sound: index, at: owner, of });
        }
    }

    pub(super) fn zone_named(&mut self, name: &str, place: &crate::document::Place) -> Option<u32> {
        let found = self.program.world.find_zone.get(NameKey::of(name));
        if found.is_none() {
            let known = self.document.world.zones.iter().filter(|z| !z.shelter).map(|z| z.name.as_str());
            let fix = did_you_mean(name, known, "add it to world.toml, or name another");
            self.fault(place, format!("there is no zone {name}"), fix);
        }
        found.map(|z| z as u32)
    }

    fn doorway(&mut self, doc: &crate::document::DoorwayDoc) {
        let mut between = [None; 2];
        for (side, name) in between.iter_mut().zip(&doc.between) {
            if name.value != OUTSIDE {
                *side = self.zone_named(&name.value, &name.place);
                if side.is_none() {
                    return;
                }
            }
        }
        if between[0] == between[1] {
            self.fault(&doc.place, format!("the doorway {} leads back to where it comes from", doc.name), "name two zones, or one and \"outside\"");
            return;
        }
        let Some(open) = self.amount(&doc.open) else { return };
        let key = self.program.names.add(&doc.name);
        let closed = doc.closed.as_ref().map(|m| self.muffle(Some(m)));
        self.program.world.doorways.push(Doorway { key, sides: between, line: doc.line, open, closed, reach_metres: doc.reach.0 });
    }

    fn amount(&mut self, doc: &AmountDoc) -> Option<Amount> {
        match doc {
            AmountDoc::Fixed(value) => Some(Amount::Fixed(*value)),
            AmountDoc::Moved(name, curve) => {
                let index = self.parameter(&name.value, &name.place)?;
                self.one_for_all(index, &name.place)?;
                Some(Amount::Moved(index, curve.clone()))
            }
        }
    }

    fn source(&mut self, doc: &EmitterDoc) {
        let key = self.program.names.add(&doc.name);
        let kind = doc.kind.as_ref().map_or(NameKey::NONE, |k| self.program.names.add(k));
        let stand = match &doc.stand {
            StandDoc::Still(at) => Stand::Still(*at),
            StandDoc::Path(line, up, speed, pass) => {
                let pass = match pass {
                    PassDoc::Once => Pass::Once,
                    PassDoc::Back => Pass::Back,
                    PassDoc::Round => Pass::Round,
                };
                Stand::Path(line.clone(), *up, *speed, pass)
            }
            StandDoc::Trail(line, closed, up) => Stand::Trail(line.clone(), *closed, *up),
            StandDoc::Area(form, up) => Stand::Area(form.clone(), *up),
            StandDoc::Points(points) => Stand::Points(points.clone()),
            StandDoc::Held(bearing, distance) => {
                let Some(bearing) = self.amount(bearing) else { return };
                Stand::Held(bearing, distance.0)
            }
        };
        self.program.world.sources.push(Source { fades_with: None, key, kind, stand, facing_degrees: doc.facing_degrees });
        for sound in &doc.plays {
            self.plays(key, sound, PlaysFor::Emitter);
        }
    }

    /// Emitters `name 1`, `name 2`, … of a one-shots or flock.
    fn members(&mut self, name: &str, most: u32) -> Vec<NameKey> {
        let kind = self.program.names.add(name);
        (1..=most)
            .map(|n| {
                let key = self.program.names.add(&format!("{name} {n}"));
                self.program.world.sources.push(Source { fades_with: None, key, kind, stand: Stand::Member, facing_degrees: 0.0 });
                key
            })
            .collect()
    }

    fn one_shots(&mut self, doc: &OneShotsDoc) {
        let Some(sound) = self.sound_named(&doc.plays.value, &doc.plays.place) else { return };
        let within = match &doc.within {
            Some(name) => match self.zone_named(&name.value, &name.place) {
                Some(zone) => Some(self.program.world.zones[zone as usize].form.clone()),
                None => return,
            },
            None => None,
        };
        let Some(pace) = self.amount(&doc.pace) else { return };
        let during = doc.during.iter().filter_map(|c| self.test(&c.subject, &c.test)).collect();
        let key = self.program.names.add(&doc.name);
        let members = self.members(&doc.name, doc.most);
        self.program.world.one_shots.push(OneShots {
            key,
            sound,
            every: ((doc.every.low.0 as f32).max(0.02), (doc.every.high.0 as f32).max(0.02)),
            pace,
            around: (doc.around.low.0, doc.around.high.0),
            bearing: doc.bearing,
            within,
            height: doc.height,
            passing: doc.passing.map(|(far, speed)| (far.0, speed.max(0.1))),
            during,
            members,
        });
    }

    fn flock(&mut self, doc: &FlockDoc) {
        let Some(sound) = self.sound_named(&doc.plays.value, &doc.plays.place) else { return };
        let key = self.program.names.add(&doc.name);
        // Its own draws, the same each time, so that an edit elsewhere leaves every place where it was.
        let mut draws = Pcg32::seed_from_u64(key.0);
        let mut spots: Vec<[f32; 3]> = Vec::new();
        match &doc.candidates {
            Candidates::Points(points) => spots.clone_from(points),
            Candidates::Along(name) => {
                let trail = self.document.world.emitters.iter().find(|e| e.name == name.value);
                let Some(StandDoc::Trail(line, closed, up)) = trail.map(|t| &t.stand) else {
                    let known = self.document.world.emitters.iter().filter(|e| e.table == "trails").map(|e| e.name.as_str());
                    let fix = did_you_mean(&name.value, known, "add it to [trails] in world.toml, or name another");
                    self.fault(&name.place, format!("there is no trail {}", name.value), fix);
                    return;
                };
                let whole = length_of(line, *closed);
                spots.extend((0..doc.places).map(|n| {
                    let [x, y] = along(line, *closed, whole * (n as f32 + 0.5) / doc.places as f32);
                    [x, y, *up]
                }));
            }
            Candidates::Within(name) => {
                let Some(zone) = self.zone_named(&name.value, &name.place) else { return };
                let zone = &self.program.world.zones[zone as usize];
                let (low, high) = zone.form.bounds();
                let up = if zone.height == ANY_HEIGHT { 0.0 } else { f32::midpoint(zone.height.0, zone.height.1) };
                let mut tried = 0;
                while spots.len() < doc.places as usize && tried < 200 * doc.places {
                    tried += 1;
                    let at = [draws.random_range(low[0]..=high[0]), draws.random_range(low[1]..=high[1])];
                    // Far from the others at first, then less and less.
                    let least = (zone.form.area() / doc.places as f32).sqrt() * 0.7 * (1.0 - tried as f32 / (200.0 * doc.places as f32));
                    if zone.form.contains(at) && spots.iter().all(|s| (s[0] - at[0]).hypot(s[1] - at[1]) >= least) {
                        spots.push([at[0], at[1], up]);
                    }
                }
            }
        }
        let (Some(density), Some(pace)) = (self.amount(&doc.density), self.amount(&doc.pace)) else { return };
        // Whichever share of them is lived in, it is spread evenly: thresholds by the golden ratio.
        let places = spots.iter().enumerate().map(|(n, at)| (*at, ((n as f64 + 0.5) * 0.618_033_988_75).fract() as f32)).collect();
        let members = self.members(&doc.name, doc.most);
        self.program.world.flocks.push(Flock {
            key,
            sound,
            places,
            density,
            range_metres: doc.range.0,
            margin_metres: doc.margin.0,
            every: doc.every.map(|e| ((e.low.0 as f32).max(0.02), (e.high.0 as f32).max(0.02))),
            pace,
            gap: frames_of(estampie_engine::units::Seconds(FLOCK_GAP), self.program.rate),
            members,
        });
    }
}
