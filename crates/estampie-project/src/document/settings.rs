//! Settings that many sounds can share: vary sets, shapes, limits, falloffs, ways of speaking; and groups of sounds (`shared.toml`).
//!
//! Every field is optional: what a sound does not say comes from the shared setting it is *like*, and what that does not
//! say is left at its default. So a sound can override single fields.

use super::curve::read_point;
use super::effects::{EffectDoc, read_effects};
use super::fields::{A_RANGE, Fields, Located, Reading, parse_toml};
use super::game::well_named;
use super::generators::{GeneratorDoc, read_generators};
use super::registry;
use super::{Place, did_you_mean};
use estampie_engine::curve::{Curve, Shape};
use estampie_engine::property::{Drawn, PerProperty, Property, SOUND_PROPERTIES, Unit};
use estampie_engine::units::ValueError;
use estampie_engine::units::{Decibels, Metres, Quantity as _, Seconds, Share, Span, Spread};
use estampie_engine::vocabulary::WhenFull;
use std::fmt::Display;

/// A kind of setting that can be shared.
pub trait Setting: Clone + Default {
    /// The field of a sound and the table of `shared.toml` it stands in.
    const KIND: &'static str;
    /// Every field with what is written there, `None` if nothing is.
    fn said(&self) -> Vec<(&'static str, Option<String>)>;
    /// This one, with `base` for what it does not say.
    #[must_use]
    fn over(&self, base: &Self) -> Self;
    /// The shared setting it is like.
    fn like(&self) -> Option<&Located<String>>;
    /// Makes it like a shared one.
    fn set_like(&mut self, like: Option<Located<String>>);
}

/// How a setting is read.
pub(super) trait ReadSetting: Setting {
    /// Reads the fields.
    fn read(fields: &Fields<'_>) -> Self;
}

fn show<T: Display>(value: &Option<T>) -> Option<String> {
    value.as_ref().map(ToString::to_string)
}

macro_rules! setting {
    ($(#[$doc:meta])* $name:ident, $kind:literal, { $($(#[$field_doc:meta])* $field:ident: $type:ty = $key:literal),* $(,)? }, $reader:expr) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Default)]
        pub struct $name {
            /// The shared setting it is like.
            pub like: Option<Located<String>>,
            $($(#[$field_doc])* pub $field: Option<$type>,)*
        }
        impl Setting for $name {
            const KIND: &'static str = $kind;
            fn said(&self) -> Vec<(&'static str, Option<String>)> {
                vec![$(($key, show(&self.$field))),*]
            }
            fn over(&self, base: &Self) -> Self {
                $name { like: self.like.clone(), $($field: self.$field.clone().or_else(|| base.$field.clone())),* }
            }
            fn like(&self) -> Option<&Located<String>> {
                self.like.as_ref()
            }
            fn set_like(&mut self, like: Option<Located<String>>) {
                self.like = like;
            }
        }
        impl ReadSetting for $name {
            fn read(fields: &Fields<'_>) -> Self {
                $reader(fields)
            }
        }
    };
}

/// Ranges drawn each time.
#[derive(Debug, Clone, Default)]
pub struct VaryDoc {
    /// The shared setting it is like.
    pub like: Option<Located<String>>,
    /// Of each property of sounds.
    pub of: PerProperty<Option<Drawn>>,
    /// Of the wait before the start.
    pub after: Option<Spread<Seconds>>,
    /// Of the place in the audio where it starts.
    pub from: Option<Spread<Seconds>>,
}

impl Setting for VaryDoc {
    const KIND: &'static str = "vary";
    fn said(&self) -> Vec<(&'static str, Option<String>)> {
        let of = self.of.iter().map(|(property, drawn)| (property.word(), drawn.as_ref().map(|d| d.text.clone())));
        of.chain([("after", show(&self.after)), ("from", show(&self.from))]).collect()
    }
    fn over(&self, base: &Self) -> Self {
        let of = PerProperty::from_fn(|property| self.of[property].clone().or_else(|| base.of[property].clone()));
        VaryDoc { like: self.like.clone(), of, after: self.after.or(base.after), from: self.from.or(base.from) }
    }
    fn like(&self) -> Option<&Located<String>> {
        self.like.as_ref()
    }
    fn set_like(&mut self, like: Option<Located<String>>) {
        self.like = like;
    }
}

impl ReadSetting for VaryDoc {
    fn read(fields: &Fields<'_>) -> Self {
        let mut of = PerProperty::default();
        for row in &SOUND_PROPERTIES {
            of[row.property] = fields.read(row.property.word(), A_RANGE, row.read_range).map(|drawn| drawn.value);
        }
        VaryDoc { like: None, of, after: fields.spread("after"), from: fields.spread("from") }
    }
}

setting!(
    /// How a sound's level rises, stays and falls.
    ShapeDoc, "shape", {
        /// Silence before it begins.
        delay: Seconds = "delay",
        /// Rise from silence.
        attack: Seconds = "attack",
        /// How long it stays at full level.
        hold: Seconds = "hold",
        /// Fall to the sustained level.
        decay: Seconds = "decay",
        /// The sustained level.
        sustain: Decibels = "sustain",
        /// Fall to silence when let go.
        release: Seconds = "release",
        /// The curve of attack, decay and release.
        curve: Shape = "curve",
    },
    |fields: &Fields<'_>| {
        let time = |field| fields.limited(field, Seconds(0.0), Seconds(600.0));
        let shape = |text: &str| Shape::read(text).ok_or_else(|| ValueError::not(text, "a shape"));
        ShapeDoc {
            like: None,
            delay: time("delay"),
            attack: time("attack"),
            hold: time("hold"),
            decay: time("decay"),
            sustain: fields.limited("sustain", Decibels(-120.0), Decibels(0.0)),
            release: fields.limited("release", Seconds(0.002), Seconds(600.0)),
            curve: fields.read("curve", "linear, smooth, or power with a number", shape).map(|c| c.value),
        }
    }
);

/// Words for [`WhenFull`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct WhenFullDoc(pub WhenFull);

impl Display for WhenFullDoc {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.0.word())
    }
}

setting!(
    /// How many may play together.
    LimitDoc, "limit", {
        /// The most playings of one emitter.
        each: u32 = "each",
        /// The most playings in all.
        all: u32 = "in-all",
        /// Who yields.
        when_full: WhenFullDoc = "when-full",
    },
    |fields: &Fields<'_>| {
        let read = |text: &str| {
            let found = WhenFull::ALL.iter().find(|(_, word)| *word == text);
            found.map(|(w, _)| WhenFullDoc(*w)).ok_or_else(|| {
                let fix = did_you_mean(text, WhenFull::ALL.map(|(_, word)| word), "");
                ValueError::Refused(format!("\"{text}\" is nothing that could be stolen{}{fix}", if fix.is_empty() { "" } else { "; " }))
            })
        };
        LimitDoc {
            like: None,
            each: fields.whole("each", 1, 4096).map(|n| n.value as u32),
            all: fields.whole("in-all", 1, 4096).map(|n| n.value as u32),
            when_full: fields.read("when-full", "oldest, quietest, farthest, least important, or refuse", read).map(|w| w.value),
        }
    }
);

/// A yes or no, by these words.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct YesNo(pub bool);

impl Display for YesNo {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(if self.0 { "yes" } else { "no" })
    }
}

setting!(
    /// What makes a sound one of spoken lines.
    LinesDoc, "lines", {
        /// Who speaks: no two lines of one speaker overlap.
        speaker: String = "character",
        /// Silence between two lines, drawn each time.
        gap: Span<Seconds> = "gap",
        /// A line that has waited longer is dropped.
        worth: Seconds = "expires-after",
        /// Whether a line stays worth saying when the state that it is picked by has changed while it waited.
        stays: YesNo = "stays",
        /// How much it matters, 0 to 100: of the lines that wait, the higher is said before.
        rank: u32 = "rank",
        /// Whether it cuts into a line of lower rank.
        cuts_in: YesNo = "cuts-in",
    },
    |fields: &Fields<'_>| LinesDoc {
        like: None,
        speaker: fields.text("character").map(|s| s.value),
        gap: fields.span::<Seconds>("gap").map(|g| g.value),
        worth: fields.limited("expires-after", Seconds(0.0), Seconds(600.0)),
        stays: fields.yes("stays").map(|s| YesNo(s.value)),
        rank: fields.whole("rank", 0, 100).map(|n| n.value as u32),
        cuts_in: fields.yes("cuts-in").map(|s| YesNo(s.value)),
    }
);

/// A curve over distance as written.
#[derive(Debug, Clone, PartialEq)]
pub struct DistanceCurve(pub Curve, pub Property);

impl Display for DistanceCurve {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let points: Vec<String> = self.0.points().iter().map(|p| super::curve::print_point(p, "m", self.1)).collect();
        f.write_str(&points.join("; "))
    }
}

/// A curve over the angle from where an emitter looks, as written.
#[derive(Debug, Clone, PartialEq)]
pub struct AngleCurve(pub Curve, pub Property);

impl Display for AngleCurve {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let points: Vec<String> = self.0.points().iter().map(|p| super::curve::print_point(p, "deg", self.1)).collect();
        f.write_str(&points.join("; "))
    }
}

/// Curves over distance for what is sent to single returns.
#[derive(Debug, Clone, PartialEq)]
pub struct SendCurves(pub Vec<(Located<String>, DistanceCurve)>);

impl Display for SendCurves {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let parts: Vec<String> = self.0.iter().map(|(bus, curve)| format!("{} {curve}", bus.value)).collect();
        f.write_str(&parts.join(" · "))
    }
}

/// Kinds of falloff that are known by a word, as in `gentle from 2 m to 40 m`.
const FALLOFFS: [&str; 3] = ["inverse", "gentle", "linear"];

/// Reads `inverse from 2 m to 40 m` as a curve, if the text is one of those: level up to the near radius, silence beyond the far one.
///
/// - `inverse`: −20 log10(d ÷ near), the sound pressure of a point in the open (ISO 9613-2, divergence).
/// - `gentle`: the same, and another −24 dB by the cube of the way to the far radius, so that it ends gently.
/// - `linear`: as many dB for every metre, −60 at the far radius.
///
/// # Errors
/// With what is wrong, as a sentence.
pub(crate) fn read_falloff(text: &str) -> Option<Result<Curve, ValueError>> {
    let (kind, rest) = text.trim().split_once(' ')?;
    let kind = FALLOFFS.iter().position(|k| *k == kind)?;
    let read = || {
        let wrong = || ValueError::not(text, "a falloff, like \"gentle from 2 m to 40 m\"");
        let (near, far) = rest.trim().strip_prefix("from ").and_then(|r| r.split_once(" to ")).ok_or_else(wrong)?;
        let metres = |t: &str| Metres::read(t).map(|m| m.0).map_err(|_| wrong());
        let (near, far) = (metres(near)?, metres(far)?);
        if near < 0.01 || far < near * 1.05 {
            return Err(format!("a falloff from {near} m to {far} m leaves no way between").into());
        }
        let steps = if kind == 2 { 1 } else { 12 };
        let point = |n: usize| {
            let x = near * (far / near).powf(n as f32 / steps as f32);
            let inverse = -20.0 * (x / near).log10();
            let y = match kind {
                0 => inverse,
                1 => inverse - 24.0 * ((x - near) / (far - near)).powi(3),
                _ => -60.0 * (x - near) / (far - near),
            };
            estampie_engine::curve::Point { x, y, shape: estampie_engine::curve::Shape::Straight }
        };
        let beyond = estampie_engine::curve::Point { x: far * 1.1, y: -120.0, shape: estampie_engine::curve::Shape::Straight };
        Ok(Curve::new((0..=steps).map(point).chain([beyond])))
    };
    Some(read())
}

setting!(
    /// What distance from the listener does.
    FalloffDoc, "falloff", {
        /// To the level.
        level: DistanceCurve = "level",
        /// To the low-pass.
        low_pass: DistanceCurve = "low-pass",
        /// To the high-pass.
        high_pass: DistanceCurve = "high-pass",
        /// How wide it is: 100 % all around, 0 % a point.
        width: DistanceCurve = "width",
        /// To what it sends to returns.
        send: DistanceCurve = "send",
        /// The same for single returns.
        sends: SendCurves = "sends",
        /// To the level, over the angle from where the emitter looks.
        cone: AngleCurve = "cone",
        /// To the low-pass, over the same.
        cone_low_pass: AngleCurve = "cone-low-pass",
        /// How much movement shifts the pitch.
        doppler: Share = "doppler",
    },
    |fields: &Fields<'_>| {
        let points = |texts: Vec<Located<String>>, unit: &str, property: Property| {
            if let [text] = &texts[..]
                && let Some(known) = read_falloff(&text.value).filter(|_| property == Property::Level && unit == "m")
            {
                return known.unwrap_or_else(|what| {
                    fields.reading().fault(&text.place, what, "write inverse, gentle or linear, from a near radius to a far one");
                    Curve::default()
                });
            }
            let points = texts.iter().filter_map(|text| match read_point(&text.value, unit, property) {
                Ok(point) => Some(point),
                Err(what) => {
                    fields.reading().fault(&text.place, what, format!("write points like \"10 {unit}: -6 dB\""));
                    None
                }
            });
            Curve::new(points.collect::<Vec<_>>())
        };
        let curve = |field, property| Some(DistanceCurve(points(fields.texts(field)?, "m", property), property));
        let angle = |field, property| Some(AngleCurve(points(fields.texts(field)?, "deg", property), property));
        let sends: Vec<_> = fields
            .entries("sends")
            .into_iter()
            .map(|(bus, item, place)| {
                let texts = fields.texts_of("sends", item, &place);
                (Located { value: bus, place }, DistanceCurve(points(texts, "m", Property::Level), Property::Level))
            })
            .collect();
        FalloffDoc {
            like: None,
            level: curve("level", Property::Level),
            low_pass: curve("low-pass", Property::LowPass),
            high_pass: curve("high-pass", Property::HighPass),
            width: curve("width", Property::Setting(Unit::Share)),
            send: curve("send", Property::Level),
            sends: (!sends.is_empty()).then_some(SendCurves(sends)),
            cone: angle("cone", Property::Level),
            cone_low_pass: angle("cone-low-pass", Property::LowPass),
            doppler: fields.limited("doppler", Share(0.0), Share(1.0)),
        }
    }
);

/// A shared setting, or one of a group, with its name.
#[derive(Debug, Clone)]
pub struct Named<T> {
    /// Its name.
    pub name: String,
    /// The setting.
    pub setting: T,
    /// Where it is written.
    pub place: Place,
}

/// `shared.toml`.
#[derive(Debug, Clone, Default)]
pub struct Shared {
    /// Vary sets.
    pub vary: Vec<Named<VaryDoc>>,
    /// Shapes.
    pub shape: Vec<Named<ShapeDoc>>,
    /// Limits.
    pub limit: Vec<Named<LimitDoc>>,
    /// Falloffs.
    pub falloff: Vec<Named<FalloffDoc>>,
    /// Ways of speaking.
    pub lines: Vec<Named<LinesDoc>>,
    /// Effects.
    pub effect: Vec<EffectDoc>,
    /// Takes that are made instead of recorded.
    pub generator: Vec<GeneratorDoc>,
    /// Groups of sounds, each with the limit that all of it has together.
    pub group: Vec<Named<LimitDoc>>,
}

/// Gives the list that a kind of setting stands in.
pub trait Holds<T> {
    /// The list.
    fn list(&self) -> &Vec<Named<T>>;
}

macro_rules! holds {
    ($type:ty, $field:ident) => {
        impl Holds<$type> for Shared {
            fn list(&self) -> &Vec<Named<$type>> {
                &self.$field
            }
        }
    };
}
holds!(VaryDoc, vary);
holds!(ShapeDoc, shape);
holds!(LimitDoc, limit);
holds!(FalloffDoc, falloff);
holds!(LinesDoc, lines);

impl Shared {
    /// A setting with what it is like filled in.
    #[must_use]
    pub fn whole<T: Setting>(&self, own: &T) -> T
    where
        Shared: Holds<T>,
    {
        let base = own.like().and_then(|like| self.list().iter().find(|n| n.name == like.value));
        base.map_or_else(|| own.clone(), |base| own.over(&base.setting))
    }

    /// The names of the shared settings of a kind.
    #[must_use]
    pub fn names(&self, kind: &str) -> Vec<&str> {
        fn of<T>(list: &[Named<T>]) -> Vec<&str> {
            list.iter().map(|n| n.name.as_str()).collect()
        }
        match kind {
            "vary" => of(&self.vary),
            "shape" => of(&self.shape),
            "limit" => of(&self.limit),
            "falloff" => of(&self.falloff),
            "lines" => of(&self.lines),
            "group" => of(&self.group),
            "effect" => self.effect.iter().map(|e| e.name.as_str()).collect(),
            "generator" => self.generator.iter().map(|g| g.name.as_str()).collect(),
            _ => Vec::new(),
        }
    }
}

pub(super) fn read_shared(reading: &Reading<'_>) -> Shared {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let top = Fields::new(reading, &registry::SHARED, toml.as_table(), "shared.toml", Place::whole(reading.file));
    let shared = Shared {
        vary: kind(reading, &top, "vary"),
        shape: kind(reading, &top, "shape"),
        limit: kind(reading, &top, "limit"),
        falloff: kind(reading, &top, "falloff"),
        lines: kind(reading, &top, "lines"),
        group: kind(reading, &top, "group"),
        effect: read_effects(reading, &top, "effect", " that is shared"),
        generator: read_generators(reading, &top),
    };
    top.finish();
    shared
}

fn kind<T: ReadSetting>(reading: &Reading<'_>, top: &Fields<'_>, field: &'static str) -> Vec<Named<T>> {
    let mut list = Vec::new();
    for (name, item, place) in top.entries(field) {
        if well_named(reading, &name, &place)
            && let Some(fields) = top.inside(field, item, format!("the shared {field} {name}"), place.clone())
        {
            let setting = T::read(&fields);
            fields.finish();
            list.push(Named { name, setting, place });
        }
    }
    list
}

/// Reads a sound's own setting: a table, or the name of a shared one, or a table that is `like` one.
pub(super) fn own<T: ReadSetting>(fields: &Fields<'_>) -> T {
    let Some((item, place)) = fields.item(T::KIND) else { return T::default() };
    if let Some(name) = item.as_str() {
        let mut setting = T::default();
        setting.set_like(Some(Located { value: name.to_owned(), place }));
        return setting;
    }
    let Some(inner) = fields.inside(T::KIND, item, format!("{} of {}", T::KIND, fields.of()), place) else { return T::default() };
    let like = inner.text("like");
    let mut setting = T::read(&inner);
    setting.set_like(like);
    inner.finish();
    setting
}
