//! Every field of every table of a project's files, once: what it holds, its limits and default, and one line of explanation.
//!
//! Readers take their fields from here ([`super::fields::Fields`] refuses, in builds with assertions, to read one that is not listed, and tests that
//! none is listed that no reader takes); unknown fields, the nearest known ones, the manual's list and the schema for editors come from here too.

use estampie_engine::dsp::effects::KINDS;

/// What a field holds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Holds {
    /// Words for people.
    Note,
    /// A text of a form that is said in words.
    Text(&'static str),
    /// A quantity with its unit, the least and the greatest.
    Quantity(&'static str, f64, f64),
    /// A range of a quantity, the lower end first.
    Range(&'static str),
    /// A whole number from the first to the second.
    Whole(i64, i64),
    /// True or false.
    YesNo,
    /// One of some words.
    Word(&'static [&'static str]),
    /// The name of a thing.
    Name(&'static str),
    /// Texts of a form that is said in words; one may stand alone.
    List(&'static str),
    /// Names, each with a text of a form that is said in words.
    Pairs(&'static str),
    /// A table, or what may stand instead.
    Table(&'static Table, &'static str),
    /// Tables by name.
    Named(&'static Table),
    /// A list of tables, `[[…]]`.
    Tables(&'static Table),
}

/// A field.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Field {
    /// The name.
    pub name: &'static str,
    /// What it holds.
    pub holds: Holds,
    /// What counts if it is not written; empty if nothing does, `!` if it must be there.
    pub unsaid: &'static str,
    /// What it does, in one line.
    pub says: &'static str,
}

/// A kind of table.
#[derive(Debug, PartialEq)]
pub struct Table {
    /// What it describes: "sound".
    pub name: &'static str,
    /// Where it stands, as a head in a file.
    pub head: &'static str,
    /// Its fields.
    pub fields: &'static [Field],
    /// Whether it has further fields by names of the project: states of a pick, settings of an effect.
    pub open: bool,
}

impl Table {
    /// A field by its name.
    #[must_use]
    pub fn field(&self, name: &str) -> Option<&'static Field> {
        self.fields.iter().find(|f| f.name == name)
    }
}

const fn f(name: &'static str, holds: Holds, unsaid: &'static str, says: &'static str) -> Field {
    Field { name, holds, unsaid, says }
}

const fn table(name: &'static str, head: &'static str, fields: &'static [Field]) -> Table {
    Table { name, head, fields, open: false }
}

use Holds::{List, Name, Named, Note, Pairs, Quantity, Range, Text, Whole, Word, YesNo};

const NOTE: Field = f("note", Note, "", "for people");
const LIKE: Field = f("like", Name("shared setting"), "", "a shared setting that counts where nothing is written here");
const CURVE_OVER: &str = "points X: Y, with a shape after a comma";
pub(crate) const CONDITIONS: &str = "conditions joined by \"and\"";
const LENGTH: &str = "beats, bars or seconds, perhaps with a curve";
pub(crate) const MOMENT: &str = "at once, next beat, next bar, every N bars, phrase end, section end, open ending, marker NAME";
/// What takes are.
pub(crate) const TAKES: &str = "files, sounds or generators, with options after commas";
const FAR: f64 = 1e6;

/// A field that holds a table of its own.
const fn t(name: &'static str, table: &'static Table, or: &'static str, unsaid: &'static str, says: &'static str) -> Field {
    f(name, Holds::Table(table, or), unsaid, says)
}

/// `estampie.toml`.
pub static PROJECT: Table = table(
    "project",
    "estampie.toml",
    &[
        f("format", Whole(1, 1), "!", "the version of the format"),
        f("name", Note, "untitled", "as people say it"),
        f("rate", Quantity("Hz", 8_000.0, 192_000.0), "48 kHz", "frames a second of everything inside"),
        f("direction", List("words"), "", "how it should feel, in a few words"),
        f("voices", Whole(1, 4096), "256", "the most voices heard at once; then the least important is stolen"),
        f("loudness", Quantity("LUFS", -60.0, 0.0), "", "how loud the whole should be, by EBU R 128"),
        f("ceiling", Quantity("dB", -24.0, 0.0), "-1 dB", "what no sample exceeds, below full scale"),
        f("bundles", Named(&BUNDLE_PART), "", "parts of the bundle that a game loads and unloads while it plays"),
        t("budget", &BUDGET, "", "", "how much its audio may cost"),
        f("encoding", Named(&ENCODING), "", "how audio is stored in the bundle; without loss unless something is said"),
        f(
            "naming",
            Text("words, what stands between them, and an N for each digit, like place/thing_NN"),
            "place/thing_NN",
            "how audio files are named, below audio/",
        ),
        f("stock-columns", Pairs("a column of the stock"), "", "what the columns of the team's spreadsheet are called"),
    ],
);

/// How much a project's audio may cost.
pub static BUDGET: Table = table(
    "budget",
    "[budget]",
    &[
        f("files", Whole(1, 1_000_000), "", "the most pieces of audio that are played"),
        f("memory", Text("a size, like 40 MB"), "", "the most memory that they take when all are loaded; parts have budgets of their own"),
        f("bundle", Text("a size, like 12 MB"), "", "the most bytes of audio in the bundle"),
        f("voices", Whole(1, 4096), "", "the most voices that sound at once, in the playthroughs too"),
        f("over", Word(&["say", "warn", "refuse"]), "say", "what becomes of a project that goes over it: told in the budget, told by every check, or a fault"),
    ],
);

/// How audio is stored in the bundle.
pub static ENCODING: Table = table(
    "encoding",
    "[encoding.NAME]",
    &[
        f("files", List("audio files, with * for any letters within a folder"), "!", "what is stored so; of several that say how a file is the last counts"),
        f("as", Text("lossless, original, or vorbis and a quality from 0 to 10, like vorbis 6"), "lossless", "Ogg Vorbis is smaller and not the same samples"),
        f("streamed", YesNo, "false", "read while it plays, and not loaded: for what is long"),
    ],
);

/// A part of the bundle.
pub static BUNDLE_PART: Table = table(
    "part of the bundle",
    "[bundles.NAME]",
    &[
        f("holds", List("names of sounds, and of pieces as music/PIECE, with * for any letters"), "!", "whose audio is loaded with it"),
        f("budget", Text("a size, like 24 MB"), "", "how much memory its audio may take; estampie bundle says when it takes more"),
    ],
);

/// `game.toml`.
pub static GAME: Table = table(
    "game",
    "game.toml",
    &[
        f("events", Pairs("a note"), "", "moments that the game tells"),
        f("emitters", Pairs("a note"), "", "what the game places and the world does not"),
        f("parameters", Named(&PARAMETER), "", "numbers that the game tells, or that are measured"),
        f("formulas", Named(&FORMULA), "", "parameters that are worked out; a formula alone may stand for the table"),
        f("states", Named(&STATE), "", "named values that the game tells"),
        f("from-game", Pairs("an event, a parameter or a state"), "", "names under which the game sends what is called otherwise here"),
        f("pads", Pairs("an event"), "in the order of the events", "the letters that send events in the view Stage"),
        f("midi", Pairs("a parameter, or of a note an event"), "", "what MIDI devices do in the workshop: cc 21, note 36, bend, pressure"),
    ],
);

/// A parameter.
pub static PARAMETER: Table = table(
    "parameter",
    "[parameters.NAME]",
    &[
        f("measure", Text("what is measured, like distance to eel"), "", "worked out by the engine instead of told by the game"),
        f("unit", Note, "", "what it counts, shown beside its value: m, rpm, any word"),
        f("of", Word(&["each emitter"]), "", "every emitter has a value of its own"),
        f("range", Text("a range, like 0..300"), "!", "what is out of it is clamped, and said; of what is measured it may be left out"),
        f("from-game", Text("a range, like 0..255"), "", "the game's numbers, mapped onto the range"),
        f("default", Text("a number"), "the lower end", "the value before the game says anything"),
        f("rise", Quantity("s", 0.0, 86_400.0), "at once", "upwards, 90 % of a jump are followed in this time"),
        f("fall", Quantity("s", 0.0, 86_400.0), "at once", "downwards, 90 % of a jump are followed in this time"),
        NOTE,
    ],
);

/// A formula.
pub static FORMULA: Table = table(
    "formula",
    "[formulas.NAME]",
    &[
        f("is", Text("a formula"), "!", "the formula"),
        f("unit", Note, "", "what it counts, shown beside its value: m, rpm, any word"),
        f("range", Text("a range, like 0..1"), "", "what it is clamped to"),
        f("rise", Quantity("s", 0.0, 86_400.0), "at once", "upwards, 90 % of a jump are followed in this time"),
        f("fall", Quantity("s", 0.0, 86_400.0), "at once", "downwards, 90 % of a jump are followed in this time"),
        NOTE,
    ],
);

/// A state.
pub static STATE: Table = table(
    "state",
    "[states.NAME]",
    &[
        f("values", List("names"), "!", "the values that it can have"),
        f("start", Name("value"), "the first", "the value before the game says anything"),
        f("from-game", Pairs("one of the values"), "", "the game's names for the values"),
        NOTE,
    ],
);

/// A sound.
pub static SOUND: Table = Table {
    name: "sound",
    head: "[NAME]",
    open: false,
    fields: &[
        f("takes", List(TAKES), "", "one is picked each time; or a table of such lists, by what pick says"),
        f("chain", List("files, with options after commas"), "", "instead of takes: parts one after another"),
        f("pick", Text("shuffle, weighted, cycle, together, by NAME, across NAME"), "shuffle, not the last 1", "how a take is picked"),
        f("loop", YesNo, "false", "the take loops, between its loop points if the file has them"),
        f("bus", Name("bus"), "main", "where it goes, if nothing that plays it says"),
        t("send", &SEND, "", "", "what it sends to returns, after its level"),
        f("level", Quantity("dB", -120.0, 24.0), "0 dB", "its level"),
        f("pitch", Quantity("st", -48.0, 48.0), "0 st", "its pitch"),
        f("low-pass", Quantity("Hz", 20.0, 20_000.0), "off", "takes away what is above a frequency, 12 dB per octave"),
        f("high-pass", Quantity("Hz", 20.0, 20_000.0), "off", "takes away what is below a frequency, 12 dB per octave"),
        f("pan", Quantity("%", -100.0, 100.0), "centre", "where it stands between the speakers, if it is not placed"),
        f("width", Quantity("%", 0.0, 200.0), "100 %", "how far its two channels lie apart, if it is not placed"),
        t("vary", &VARY, "the name of a shared one", "", "what is drawn each time"),
        t("shape", &SHAPE, "the name of a shared one", "release 20 ms", "how it comes and goes"),
        f("fade-in", Quantity("s", 0.0, 600.0), "", "short for the attack of the shape"),
        f("fade-out", Quantity("s", 0.002, 600.0), "", "short for the release of the shape"),
        t("limit", &LIMIT, "the name of a shared one", "", "how often it plays at once"),
        f("group", Name("group"), "", "a group of shared.toml, which has a limit of its own"),
        t("priority", &PRIORITY, "a number from 0 to 100", "50", "what is less important is stolen first"),
        t("falloff", &FALLOFF, "the name of a shared one", "", "how it changes over distance and angle; a sound with one is placed"),
        f("chance", Text("a share, perhaps with \", always when\" and conditions"), "100 %", "how likely it plays when it is asked for"),
        f("cooldown", Quantity("s", 0.0, 600.0), "", "it is refused so long after it last began"),
        f("re-trigger", Word(&["overlap", "restart", "ignore"]), "overlap", "asked for while it plays at the same emitter"),
        f("when-refused", Name("event"), "", "sent when a limit, cooldown or re-trigger refuses it"),
        f(
            "when-emitter-goes",
            Word(&["stays", "follows", "fades"]),
            "loops fade, the rest stays",
            "what it does when the game removes the emitter that it plays at",
        ),
        f("stop-if-younger", Quantity("s", 0.0, 600.0), "", "a stop only reaches what began less long ago"),
        t("repeat", &REPEAT, "", "", "it plays itself again and again until let go"),
        t("lines", &LINES, "the name of a shared one", "", "makes it spoken lines, said one at a time"),
        f("texts", Pairs("what is said"), "", "what its takes say, by the names of their files without folder and ending"),
        NOTE,
    ],
};

/// What a sound or a bus sends.
pub static SEND: Table = Table { name: "send", head: "send = { RETURN = \"-12 dB\" }", open: true, fields: &[] };

/// What is drawn each time.
pub static VARY: Table = table(
    "vary",
    "[vary.NAME]",
    &[
        LIKE,
        f("level", Range("dB"), "", "added to its level"),
        f("pitch", Range("st"), "", "added to its pitch"),
        f("low-pass", Range("Hz"), "", "its low-pass, even in octaves"),
        f("high-pass", Range("Hz"), "", "its high-pass, even in octaves"),
        f("pan", Range("%"), "", "added to its pan"),
        f("width", Range("%"), "", "added to its width"),
        f("after", Range("s"), "", "a wait before the start"),
        f("from", Range("s"), "", "a place in the audio"),
    ],
);

/// How a sound comes and goes.
pub static SHAPE: Table = table(
    "shape",
    "[shape.NAME]",
    &[
        LIKE,
        f("delay", Quantity("s", 0.0, 600.0), "0 s", "silence before it rises"),
        f("attack", Quantity("s", 0.0, 600.0), "0 s", "the time of its rise"),
        f("hold", Quantity("s", 0.0, 600.0), "0 s", "so long it stays there"),
        f("decay", Quantity("s", 0.0, 600.0), "0 s", "the time of its way to sustain"),
        f("sustain", Quantity("dB", -120.0, 0.0), "0 dB", "where it stays until it is let go"),
        f("release", Quantity("s", 0.002, 600.0), "20 ms", "the time of its end"),
        f("curve", Word(&["linear", "smooth", "power N"]), "linear", "the shape of all its ways"),
    ],
);

/// How often something plays at once.
pub static LIMIT: Table = table(
    "limit",
    "[limit.NAME], [group.NAME]",
    &[
        LIKE,
        f("each", Whole(1, 4096), "", "the most playings of one emitter"),
        f("in-all", Whole(1, 4096), "", "the most playings in all"),
        f("when-full", Word(&["oldest", "quietest", "farthest", "least important", "refuse"]), "oldest", "what is stolen"),
    ],
);

/// What is important, by distance.
pub static PRIORITY: Table = table(
    "priority",
    "priority = { near = 80, far = 20, at = \"60 m\" }",
    &[
        f("near", Whole(0, 100), "50", "at the listener"),
        f("far", Whole(0, 100), "as near", "at the distance and beyond"),
        f("at", Quantity("m", 0.0, FAR), "0 m", "the distance; between lies a straight line"),
    ],
);

/// A repeat.
pub static REPEAT: Table = table(
    "repeat",
    "repeat = { every = \"0.5..2 s\" }",
    &[
        f("every", Range("s"), "!", "the time from start to start, at least 20 ms"),
        f("times", Text("a whole number or a range"), "until let go", "how often"),
        f("length", Quantity("s", 0.005, 60.0), "", "each is let go after it, for grains"),
    ],
);

/// Spoken lines.
pub static LINES: Table = table(
    "lines",
    "[lines.NAME]",
    &[
        LIKE,
        f("character", Note, "the first part of the sound's name", "who speaks: one line at a time"),
        f("gap", Range("s"), "0 s", "silence between two lines"),
        f("expires-after", Quantity("s", 0.0, 600.0), "8 s", "a line that has waited longer is dropped"),
        f("stays", YesNo, "false", "it waits on though the state that it is picked by has changed"),
        f("rank", Whole(0, 100), "0", "of two that wait the higher is said first"),
        f("cuts-in", YesNo, "false", "it does not wait for a line of lower rank, which fades in 80 ms"),
    ],
);

/// How a sound changes over distance and angle.
pub static FALLOFF: Table = table(
    "falloff",
    "[falloff.NAME]",
    &[
        LIKE,
        f("level", List("points like 25 m: -12 dB, or inverse, gentle or linear from NEAR to FAR"), "", "level over distance"),
        f("low-pass", List("points like 60 m: 2 kHz"), "", "low-pass over distance"),
        f("high-pass", List("points like 1 m: 80 Hz"), "", "high-pass over distance"),
        f("width", List("points like 4 m: 25 %"), "100 % to 5 %", "how wide it is heard, over distance"),
        f("send", List("points like 30 m: 6 dB"), "", "added to all that it sends to returns, over distance"),
        f("sends", Pairs("points like 30 m: 6 dB"), "", "the same for single returns"),
        f("cone", List("points like 40 deg: 0 dB"), "", "level over the angle from where the emitter looks"),
        f("cone-low-pass", List("points like 90 deg: 4 kHz"), "", "low-pass over that angle"),
        f("doppler", Quantity("%", 0.0, 100.0), "0 %", "how much of the Doppler shift is heard"),
    ],
);

/// `shared.toml`.
pub static SHARED: Table = table(
    "shared",
    "shared.toml",
    &[
        f("vary", Named(&VARY), "", "what several sounds draw"),
        f("shape", Named(&SHAPE), "", "how several sounds come and go"),
        f("limit", Named(&LIMIT), "", "limits that several sounds have, each its own"),
        f("falloff", Named(&FALLOFF), "", "how several sounds change over distance"),
        f("lines", Named(&LINES), "", "what the lines of one character have in common"),
        f("group", Named(&LIMIT), "", "limits that several sounds have together"),
        f("effect", Named(&EFFECT), "", "effects that several buses have, each its own"),
        f("generator", Named(&GENERATOR), "", "takes that are made instead of recorded: a take is \"generator NAME\""),
    ],
);

/// A generator.
pub static GENERATOR: Table = Table {
    name: "generator",
    head: "[generator.NAME]",
    open: true,
    fields: &[
        f("kind", Name("kind of generator"), "its name", "what it makes"),
        f("preset", Text("the name of one of its kind's presets"), "", "controls and drawings to begin with; what is written besides counts more"),
        f("plays", Name("instrument"), "a built-in one", "the instrument of the music that the kind notes plays"),
        f("ends-after", Quantity("s", 0.005, 3_600.0), "until it is let go, or by itself", "it ends after this time"),
        f("vary", Pairs("a range that is added"), "", "what each playing draws for its controls"),
        NOTE,
    ],
};

/// `mix.toml`.
pub static MIX: Table = table(
    "mix",
    "mix.toml",
    &[
        f("buses", Named(&BUS), "", "buses; main is always there"),
        f("snapshots", Named(&SNAPSHOT), "", "changes that lie over the mix"),
        f("duck", Holds::Tables(&DUCK), "", "what turns a bus down while something else is heard"),
        f("player-levels", Pairs("a bus"), "", "levels that the player of the game sets"),
    ],
);

/// A bus.
pub static BUS: Table = table(
    "bus",
    "[buses.NAME]",
    &[
        f("into", Name("bus"), "main", "the bus that it runs into"),
        f("level", Quantity("dB", -120.0, 24.0), "0 dB", "its level; \"silent\" is none"),
        f("return", YesNo, "false", "it is fed by sends, and wet"),
        f("low-pass", Quantity("Hz", 20.0, 20_000.0), "off", "12 dB per octave"),
        f("high-pass", Quantity("Hz", 20.0, 20_000.0), "off", "12 dB per octave"),
        f("pan", Quantity("%", -100.0, 100.0), "centre", "its balance: the other side is taken back"),
        f("effect", Named(&EFFECT), "", "its effects, in the order in which they are written"),
        t("send", &SEND, "", "", "what it sends to returns; \", pre-fader\" before its level"),
        NOTE,
    ],
);

/// An effect.
pub static EFFECT: Table = Table {
    name: "effect",
    head: "[buses.NAME.effect.NAME], [effect.NAME]",
    open: true,
    fields: &[
        f("kind", Name("kind of effect"), "its name", "what it does"),
        f("like", Name("shared effect"), "", "a shared effect whose settings count where nothing is written here"),
        f("preset", Text("a preset of its kind"), "", "settings to begin with"),
        f("file", Text("an audio file"), "", "the impulse response of a convolution"),
        f("sidechain", Name("bus"), "its own", "the bus whose level counts, for compressor and expander"),
        f("wet", Quantity("%", 0.0, 100.0), "100 %", "how much of it there is; the rest is dry"),
        f("off", YesNo, "false", "it is left out"),
        NOTE,
    ],
};

/// A snapshot.
pub static SNAPSHOT: Table = table(
    "snapshot",
    "[snapshots.NAME]",
    &[
        f("hold", Pairs("by a difference or to a value"), "", "the values that it changes, by their names"),
        f("while", List(CONDITIONS), "", "it is up while they hold"),
        f("rise", Text("a time, perhaps with a curve"), "0.5 s, smooth", "the time of its way up"),
        f("fall", Text("a time, perhaps with a curve"), "1 s, smooth", "the time of its way down"),
        f("order", Whole(-1000, 1000), "0", "it lies over those of lower order"),
        f("amount", Quantity("%", 0.0, 100.0), "100 %", "how much of it there is at most"),
        NOTE,
    ],
);

/// A duck.
pub static DUCK: Table = table(
    "duck",
    "[[duck]]",
    &[
        f("sidechain", Text("bus NAME or sound NAME"), "!", "what is listened to"),
        f("ducks", Name("bus"), "!", "the bus that is turned down"),
        f("hold", Quantity("s", 0.0, 30.0), "100 ms", "so long it stays down after the sidechain has fallen silent"),
        f("by", Quantity("dB", -96.0, 0.0), "-6 dB", "how far it goes down"),
        f("over", Quantity("dB", -96.0, 0.0), "-50 dB", "while the sidechain's peak is over this"),
        f("attack", Text("a time, perhaps with a curve"), "", "the whole way down"),
        f("release", Text("a time, perhaps with a curve"), "", "the whole way back"),
        NOTE,
    ],
);

/// `modulation.toml`.
pub static MODULATIONS: Table =
    table("modulations", "modulation.toml", &[f("modulation", Holds::Tables(&MODULATION), "", "parameters that move properties by curves")]);

/// A modulation.
pub static MODULATION: Table = table(
    "modulation",
    "[[modulation]]",
    &[
        f("from", Name("parameter"), "!", "what moves it"),
        f("moves", Text("SOUND PROPERTY, or a name of the mix or of music"), "!", "what is moved"),
        f("curve", List(CURVE_OVER), "!", "from the parameter's value to the property's"),
        f("smooth", Quantity("s", 0.0, 86_400.0), "at once", "90 % of a jump are followed in this time"),
        NOTE,
    ],
);

/// `explore.toml`.
pub static EXPLORE: Table = table(
    "exploring",
    "explore.toml",
    &[
        f("length", Quantity("s", 5.0, 3_600.0), "90 s", "how long one made-up play is"),
        f("idle", Quantity("%", 0.0, 100.0), "10 %", "of how much of it nothing is done, as in a menu or a pause"),
        f("spam", Quantity("%", 0.0, 100.0), "2 %", "how often whoever sends something sends it again and again"),
        f("walk", Text("speeds, like 1..5 m/s"), "1..5 m/s", "how fast the listener walks from zone to zone"),
        f("stays", Range("s"), "2..10 s", "how long he stays where he went"),
        f("silence", Quantity("s", 0.5, 600.0), "10 s", "how long it may be silent, or music play nothing while it should"),
        f("waits", Quantity("s", 0.5, 600.0), "30 s", "how long music may wait for its moment"),
        f("load", Quantity("%", 0.01, 100.0), "not measured", "how much of a core a second may take, on the machine that explores"),
        f("event", Holds::Tables(&MADE_EVENT), "", "how events come; those of which nothing is said are guessed"),
        f("parameter", Holds::Tables(&MADE_PARAMETER), "", "how parameters move, likewise"),
        f("state", Holds::Tables(&MADE_STATE), "", "how states change, likewise"),
        f("emitter", Holds::Tables(&MADE_EMITTER), "", "how emitters of the game move, likewise"),
        f("accepted", Holds::Tables(&ACCEPTED), "", "problems that are known and may stay"),
    ],
);

/// How an event comes in made-up play.
pub static MADE_EVENT: Table = table(
    "made-up event",
    "[[event]]",
    &[
        f("event", Name("event"), "!", "which"),
        f("every", Range("s"), "as in the playthroughs, else 3..20 s", "how long it is from one to the next"),
        f("on", List("emitters"), "", "of which emitters; one is drawn each time"),
        f("after", Name("event"), "", "it comes only after this one"),
        f("within", Range("s"), "0.5..4 s", "so long after that"),
        f("never", YesNo, "false", "it does not come"),
    ],
);

/// How a parameter moves in made-up play.
pub static MADE_PARAMETER: Table = table(
    "made-up parameter",
    "[[parameter]]",
    &[
        f("parameter", Name("parameter"), "!", "which"),
        f("range", Text("a range, like 0..80"), "its whole range", "between which values, in the game's numbers"),
        f("speed", Text("two speeds, like 0.5..6"), "a twentieth to a half of its range", "how much it moves in a second"),
        f("jumps", Quantity("%", 0.0, 100.0), "10 %", "how often it is there at once"),
        f("with", Name("parameter"), "", "it goes with this one, at the same share of its range"),
        f("never", YesNo, "false", "it does not move"),
    ],
);

/// How a state changes in made-up play.
pub static MADE_STATE: Table = table(
    "made-up state",
    "[[state]]",
    &[
        f("state", Name("state"), "!", "which"),
        f("lasts", Range("s"), "6..30 s", "how long a value lasts"),
        f("goes", Pairs("values with weights, like hunted 2, calm"), "to any other", "from a value to which others"),
        f("never", YesNo, "false, unless zones set it", "the game does not set it"),
    ],
);

/// How an emitter moves in made-up play.
pub static MADE_EMITTER: Table = table(
    "made-up emitter",
    "[[emitter]]",
    &[
        f("emitter", Text("a name"), "!", "what the game calls it"),
        f("kind", Name("emitter of the game"), "", "its kind"),
        f("within", Range("m"), "1..80 m", "how far from the listener it goes"),
        f("speed", Text("two speeds, like 0.5..5"), "0.5..5", "how many metres in a second"),
    ],
);

/// A problem that may stay.
pub static ACCEPTED: Table = table(
    "accepted problem",
    "[[accepted]]",
    &[f("problem", Text("its kind and what it is about, as explore tells it"), "!", "which"), f("reason", Note, "!", "why it may stay")],
);

/// `music/*.toml`.
pub static MUSIC: Table = table(
    "music",
    "music/*.toml",
    &[
        f("piece", Named(&PIECE), "", "pieces of sections and layers"),
        f("stinger", Named(&STINGER), "", "what sounds on a musical moment"),
        f("playlist", Named(&PLAYLIST), "", "pieces one after another"),
        f("instrument", Named(&INSTRUMENT), "", "what plays notes"),
    ],
);

/// A piece.
pub static PIECE: Table = table(
    "piece",
    "[piece.NAME]",
    &[
        f("section", Named(&SECTION), "!", "its sections"),
        f("transition", Holds::Tables(&TRANSITION), "", "how it goes from section to section"),
        f("ducks", Named(&PIECE_DUCK), "", "pieces that it turns down while it plays"),
        f("tempo", Quantity("beats a minute", 20.0, 400.0), "120", "exactly as written: 93.7, 281/3"),
        f("metre", Text("a metre, like 6/8"), "4/4", "beats in a bar"),
        f("key", Text("a note and a mode, like D dorian"), "", "for in-mode"),
        f("bus", Name("bus"), "main", "where it goes"),
        f("level", Quantity("dB", -120.0, 24.0), "0 dB", "its level"),
        f("first", Name("section"), "the first", "the section with which it begins"),
        f("follows", Pairs("values or ranges, each with its section"), "", "a state or a parameter that asks for sections"),
        f("waits-to-begin", YesNo, "false", "it begins only when a reaction says so"),
        f("step", Word(&["beat", "bar", "gliding"]), "bar", "when a moved tempo or transposition is taken"),
        f("in-mode", YesNo, "false", "moved notes stay within the mode"),
        NOTE,
    ],
);

/// How a piece turns another one down.
pub static PIECE_DUCK: Table = table(
    "ducks",
    "[piece.NAME.ducks.PIECE]",
    &[
        f("by", Quantity("dB", -96.0, 0.0), "", "how far down"),
        f("attack", Quantity("s", 0.0, 86_400.0), "", "90 % of the way down are gone in this time"),
        f("release", Quantity("s", 0.0, 86_400.0), "", "90 % of the way back are gone in this time"),
    ],
);

/// A section.
pub static SECTION: Table = table(
    "section",
    "[piece.NAME.section.NAME]",
    &[
        f("layer", Named(&LAYER), "", "its layers, which run together to the sample"),
        f("bars", Whole(1, 512), "!", "how long it is"),
        f("tempo", List("BAR: beats a minute"), "the piece's", "tempos from bars on"),
        f("metre", List("BAR: metre"), "the piece's", "metres from bars on"),
        f("pick-up", Text("beats"), "0 beats", "the audio begins so long before bar 1"),
        f("phrase", Whole(1, 512), "4", "bars of a phrase"),
        f("open-ending", Whole(1, 512), "", "its last bars, which lead on"),
        f("close-ending", Name("section"), "", "the section that brings it to rest"),
        f("then", Text("loop, end, or a section"), "loop", "what follows it"),
        f("markers", Pairs("a place, like 7.3"), "", "places with names"),
        f("chords", List("BAR: chord"), "", "chords from bars on"),
        f("chords-by", Pairs("values of a state, each with a list of chords"), "", "a state, and other chords for its values"),
    ],
);

/// A layer.
pub static LAYER: Table = table(
    "layer",
    "[piece.NAME.section.NAME.layer.NAME]",
    &[
        f("file", Text("an audio file"), "", "a recording as long as the section, or longer"),
        f("sound", Name("sound"), "", "plays a sound of the project once a round"),
        f("notes", Text("a MIDI file"), "", "plays notes"),
        f("track", List("tracks of the MIDI file, or channel N"), "", "more than one are variations"),
        f("by", Name("state or parameter"), "at random", "what chooses the variation"),
        f("values", List("values or ranges, one for each track"), "", "for by"),
        f("instrument", Name("instrument"), "", "what plays the notes"),
        f("from-bar", Whole(1, 4096), "1", "the bar of the MIDI file at which it begins"),
        f("density", Quantity("%", 0.0, 100.0), "100 %", "below it, what is weak in the bar is left out"),
        f("chances", List("softer than VELOCITY: share, BAR.BEAT: share, or BAR.BEAT PITCH: share"), "", "how likely single notes are played"),
        f("swing", Text("50 % to 80 %, perhaps with \", sixteenths\""), "50 %", "the share of two eighths that the first takes"),
        f("follow-chords", Word(&["root", "nearest"]), "", "the notes go along where the section has other chords"),
        f("when", Text(CONDITIONS), "", "it is in while they hold"),
        f("bus", Name("bus"), "the piece's", "where it goes"),
        f("level", Quantity("dB", -120.0, 24.0), "0 dB", "its level"),
        f("pan", Quantity("%", -100.0, 100.0), "centre", "where it stands between the speakers"),
        f("off", YesNo, "false", "it is out until a reaction fades it in"),
        f("fade", Text(LENGTH), "1 beat", "how it comes in and goes out"),
        f("on", Text(MOMENT), "at once", "the moment on which it comes in and goes out"),
        NOTE,
    ],
);

/// A transition.
pub static TRANSITION: Table = table(
    "transition",
    "[[piece.NAME.transition]]",
    &[
        f("from", Name("section"), "!", "a section, any, or silence"),
        f("to", Name("section"), "!", "a section, any, or silence"),
        f("by-way-of", Text("nothing, a section, or close ending"), "nothing", "what is played between"),
        f("leave", Text(MOMENT), "next bar", "the moment on which the old section is left"),
        f("arrive", Text("start, same bar, same beat, where it left off, marker NAME"), "start", "where the new section begins"),
        f("fade-out", Text(LENGTH), "30 ms, or it rings", "how the old section goes"),
        f("fade-in", Text(LENGTH), "at once", "how the new section comes"),
        f("overlap", Text(LENGTH), "at once", "so long the old one goes on before it fades"),
        f("allowed", YesNo, "true", "whether it may be taken at all"),
        f("accepted", Note, "", "why what a check finds here is as it should be"),
        NOTE,
    ],
);

/// A stinger.
pub static STINGER: Table = table(
    "stinger",
    "[stinger.NAME]",
    &[
        f("sound", Name("sound"), "", "what sounds where nothing else fits"),
        f("by", Pairs("a sound"), "", "what sounds with a chord, or in a section"),
        f("on", Text(MOMENT), "next beat", "the moment that it waits for"),
        f("piece", Name("piece"), "the first that is heard", "by whose clock it goes"),
        t("duck", &STINGER_DUCK, "", "", "how it turns the music down while it sounds"),
        f("limit", Whole(1, 16), "1", "the most of it that wait or sound"),
        f("cooldown", Quantity("s", 0.0, 600.0), "0 s", "it is refused so long after it last sounded"),
        f("without-music", Word(&["drop", "play anyway"]), "drop", "what happens where no music plays"),
        NOTE,
    ],
);

/// How a stinger turns the music down.
pub static STINGER_DUCK: Table = table(
    "duck of a stinger",
    "duck = { by = \"-4 dB\" }",
    &[
        f("by", Quantity("dB", -96.0, 0.0), "", "how far down"),
        f("attack", Quantity("s", 0.0, 86_400.0), "", "90 % of the way down are gone in this time"),
        f("release", Quantity("s", 0.0, 86_400.0), "", "90 % of the way back are gone in this time"),
    ],
);

/// A playlist.
pub static PLAYLIST: Table = table(
    "playlist",
    "[playlist.NAME]",
    &[
        f("pieces", List("pieces"), "!", "what is played"),
        f("order", Text("shuffle, perhaps with \", not the last N\", or in order"), "in order", "which comes next"),
        f("gap", Range("s"), "0 s", "silence between two"),
        f("start", Quantity("s", 0.0, 600.0), "0 s", "silence before the first"),
        f("fade-in", Quantity("s", 0.0, 600.0), "at once", "how the first comes"),
        f("rounds", Whole(1, 64), "1", "of a section that loops"),
        NOTE,
    ],
);

/// An instrument.
pub static INSTRUMENT: Table = table(
    "instrument",
    "[instrument.NAME]",
    &[
        f(
            "kind",
            Text("plucked string, bowed string, reed, pipe, drone, frame drum, bells, synth, reed organ, struck bar, voices, plucked bass, drum set, takes"),
            "!",
            "what it is",
        ),
        f("attack", Quantity("s", 0.0, 30.0), "by its kind", "the time of a note's rise"),
        f("decay", Quantity("s", 0.0, 30.0), "by its kind", "the time of its way to sustain"),
        f("sustain", Quantity("%", 0.0, 100.0), "by its kind", "where it stays"),
        f("release", Quantity("s", 0.0, 30.0), "by its kind", "the time of its end"),
        f("brightness", Quantity("%", 0.0, 100.0), "by its kind", "how bright it is"),
        f("detune", Quantity("st", 0.0, 1.0), "by its kind", "how far its oscillators lie apart"),
        f("pan", Quantity("%", -100.0, 100.0), "centre", "where it stands between the speakers"),
        f("width", Quantity("%", 0.0, 100.0), "by its kind", "low notes to the left, high ones to the right"),
        f("level", Quantity("dB", -60.0, 12.0), "0 dB", "its level"),
        f("wave", Word(&["saw", "square", "triangle", "sine"]), "saw", "the wave of the synth"),
        f("takes", List("file, its pitch, its keys, its velocities"), "", "recordings, for the kind takes"),
        f("polyphony", Whole(1, 32), "16", "the most notes at once"),
        NOTE,
    ],
);

/// `world.toml`.
pub static WORLD: Table = table(
    "world",
    "world.toml",
    &[
        f("start", Text("a place"), "0, 0", "where the listener is before anyone says"),
        f("facing", Quantity("deg", -FAR, FAR), "0 deg", "where the listener looks, clockwise from north"),
        f("speed-of-sound", Text("a speed"), "340 m/s", "for Doppler shifts"),
        f("heard-by", Word(&["speakers", "headphones"]), "speakers", "with headphones placed sounds are heard with a head between the ears"),
        f("zones", Named(&ZONE), "", "places that one enters and leaves"),
        f("shelters", Named(&ZONE), "", "covers: no places of their own, no events"),
        f("doorways", Named(&DOORWAY), "", "openings between two zones"),
        f("walls", Named(&WALL), "", "what stands in the way of sound"),
        f("emitters", Named(&EMITTER), "", "what sounds from a point, or goes along a path"),
        f("trails", Named(&TRAIL), "", "what sounds from the nearest point of a line"),
        f("areas", Named(&AREA), "", "what sounds from an outline, a circle or several points"),
        f("bearings", Named(&BEARING), "", "what is held at a direction from the listener"),
        f("one-shots", Named(&ONE_SHOTS), "", "single sounds at drawn places"),
        f("flocks", Named(&FLOCK), "", "many small emitters around the listener"),
    ],
);

const AT: Field = f("at", Text("a place, like 12, 4, -2"), "", "where it is");
const RADIUS: Field = f("radius", Quantity("m", 0.0, FAR), "", "of a circle around at");
const OUTLINE: Field = f("outline", List("places"), "", "its corners, three or more");
const HEIGHT: Field = f("height", Range("m"), "any", "from which to which height it reaches");
const KIND: Field = f("kind", Note, "", "what it is counted as");
const FACING: Field = f("facing", Quantity("deg", -FAR, FAR), "0 deg", "where it looks, clockwise from north");
const PLAYS: Field = f("plays", List("sounds"), "", "sounds that play there by themselves");
const UP: Field = f("up", Quantity("m", -FAR, FAR), "0 m", "how high it lies");

/// A zone or a shelter.
pub static ZONE: Table = table(
    "zone",
    "[zones.NAME], [shelters.NAME]",
    &[
        AT,
        RADIUS,
        OUTLINE,
        HEIGHT,
        f("margin", Quantity("m", 0.0, FAR), "0 m", "it is there in full from so far inside on"),
        t("outside", &MUFFLE, "", "", "what is taken of outside, heard from inside"),
        t("inside", &MUFFLE, "", "", "what is taken of inside, heard from outside"),
        f("fade", Quantity("s", 0.0, 60.0), "400 ms", "90 % of its coming and going are followed in this time"),
        f("edge", Name("sound"), "", "of a shelter: plays from its edge's nearest point while one is beneath"),
        f("order", Whole(-1000, 1000), "0", "the higher sets its state where several are"),
        f("snapshot", Name("snapshot"), "", "up while one is inside, as far as the margin says"),
        f("ambience", List("sounds"), "", "sounds that play while anything of it is there"),
        f("sets", Text("STATE is VALUE"), "", "a state while one is in it"),
        f("reverb", Pairs("a level"), "", "what placed sounds send to returns while one is inside"),
        NOTE,
    ],
);

/// What is taken of a sound on its way.
pub static MUFFLE: Table = table(
    "muffling",
    "outside = { level = \"-10 dB\" }",
    &[
        f("level", Quantity("dB", -120.0, 0.0), "0 dB", "how much softer"),
        f("low-pass", Quantity("Hz", 20.0, 20_000.0), "off", "how much duller"),
        f("time", Quantity("s", 0.0, 60.0), "250 ms", "in which it is followed"),
    ],
);

/// A doorway.
pub static DOORWAY: Table = table(
    "doorway",
    "[doorways.NAME]",
    &[
        f("between", List("two zones, or outside"), "!", "what it leads from and to"),
        f("line", List("two places"), "!", "its threshold"),
        t("open", &AMOUNT, "a share, or a parameter", "100 %", "how open it is"),
        t("closed", &MUFFLE, "", "as the zones", "what it takes while it is closed"),
        f("reach", Quantity("m", 0.0, FAR), "4 m", "within this the other side's room is heard"),
        NOTE,
    ],
);

/// A number that a parameter may give.
pub static AMOUNT: Table = table(
    "amount",
    "open = { from = \"tide\", curve = [\"0: 0 %\", \"4: 100 %\"] }",
    &[f("from", Name("parameter"), "!", "what gives it"), f("curve", List(CURVE_OVER), "", "from the parameter's value to the share")],
);

/// A wall.
pub static WALL: Table = table(
    "wall",
    "[walls.NAME]",
    &[
        f("line", List("places"), "!", "its corners"),
        f("closed", YesNo, "false", "leads back to the first"),
        HEIGHT,
        f("level", Quantity("dB", -120.0, 0.0), "-9 dB", "taken from what is wholly behind it"),
        f("low-pass", Quantity("Hz", 20.0, 20_000.0), "-4 oct", "taken from what is wholly behind it"),
        f("time", Quantity("s", 0.0, 60.0), "250 ms", "in which it is followed"),
        NOTE,
    ],
);

/// An emitter.
pub static EMITTER: Table = table(
    "emitter",
    "[emitters.NAME]",
    &[
        AT,
        f("path", List("places"), "", "it goes along it"),
        f("speed", Text("a speed"), "1.4 m/s", "along the path"),
        f("pass", Word(&["once", "there and back", "round"]), "there and back", "how it goes along the path"),
        UP,
        KIND,
        FACING,
        PLAYS,
        NOTE,
    ],
);

/// A trail.
pub static TRAIL: Table = table(
    "trail",
    "[trails.NAME]",
    &[f("line", List("places"), "!", "the line"), f("closed", YesNo, "false", "leads back to the first"), UP, KIND, FACING, PLAYS, NOTE],
);

/// An area.
pub static AREA: Table =
    table("area", "[areas.NAME]", &[AT, RADIUS, OUTLINE, f("points", List("places"), "", "several points heard as one"), UP, KIND, FACING, PLAYS, NOTE]);

/// A bearing.
pub static BEARING: Table = table(
    "bearing",
    "[bearings.NAME]",
    &[
        t("bearing", &AMOUNT, "degrees from north, or a parameter", "0 deg", "the direction"),
        f("distance", Quantity("m", 0.0, FAR), "10 m", "how far away it is held"),
        KIND,
        FACING,
        PLAYS,
        NOTE,
    ],
);

/// One-shots.
pub static ONE_SHOTS: Table = table(
    "one-shots",
    "[one-shots.NAME]",
    &[
        f("plays", Name("sound"), "!", "what is played"),
        f("every", Range("s"), "4..9 s", "the wait from one to the next"),
        t("pace", &AMOUNT, "a share, or a parameter", "100 %", "what the waits are multiplied by"),
        f("around", Range("m"), "4..14 m", "how far from the listener"),
        f("bearing", Range("deg"), "all around", "from where the listener looks"),
        f("within", Name("zone"), "", "only inside a zone"),
        f("height", Range("m"), "0 m", "over the listener; within a zone, over the ground"),
        f("passing", Quantity("m", 0.0, FAR), "", "each passes along a line of so many metres"),
        f("speed", Text("a speed"), "4 m/s", "of what passes"),
        f("most", Whole(1, 64), "4", "at once"),
        f("while", List(CONDITIONS), "", "only while they hold"),
        NOTE,
    ],
);

/// A flock.
pub static FLOCK: Table = table(
    "flock",
    "[flocks.NAME]",
    &[
        f("plays", Name("sound"), "!", "what each of them plays"),
        f("within", Name("zone"), "", "where they live"),
        f("along", Name("trail"), "", "where they live"),
        f("points", List("places"), "", "where they live"),
        f("places", Whole(1, 4096), "60", "where they could be"),
        t("density", &AMOUNT, "a share, or a parameter", "100 %", "the share of places that are lived in"),
        f("most", Whole(1, 256), "12", "at once, the nearest places first"),
        f("range", Quantity("m", 0.0, FAR), "20 m", "filled within this"),
        f("margin", Quantity("m", 0.0, FAR), "4 m", "left this much farther away"),
        f("every", Range("s"), "", "between two sounds of one; if unsaid it sounds as long as it is there"),
        t("pace", &AMOUNT, "a share, or a parameter", "100 %", "what the waits are multiplied by"),
        NOTE,
    ],
);

/// The files of a project, each with a word for it and its table. Sounds stand in their files by name, without a table around them.
pub static FILES: [(&str, &Table); 9] = [
    ("project", &PROJECT),
    ("game", &GAME),
    ("sounds", &SOUND),
    ("shared", &SHARED),
    ("mix", &MIX),
    ("world", &WORLD),
    ("modulation", &MODULATIONS),
    ("music", &MUSIC),
    ("explore", &EXPLORE),
];

/// All tables, each once, those that others hold after them.
#[must_use]
pub fn tables() -> Vec<&'static Table> {
    let mut all: Vec<&'static Table> = Vec::new();
    let mut next: Vec<&'static Table> = FILES.iter().rev().map(|(_, table)| *table).collect();
    while let Some(table) = next.pop() {
        if all.iter().any(|t| std::ptr::eq(*t, table)) {
            continue;
        }
        all.push(table);
        for field in table.fields.iter().rev() {
            if let Holds::Table(inner, _) | Named(inner) | Holds::Tables(inner) = field.holds {
                next.push(inner);
            }
        }
    }
    all
}

/// The settings of all kinds of effects, which stand in the tables of effects.
pub(crate) fn settings_of_effects() -> impl Iterator<Item = &'static str> {
    KINDS.iter().flat_map(|k| k.settings.iter().map(|s| s.word))
}

/// A field of a table within a sound, as `vary.pitch`; `None` if there is no such field.
#[must_use]
pub fn key_of(table: &str, field: &str) -> Option<&'static str> {
    // Made once: keys are told apart by their addresses nowhere, but live as long as the program.
    static KEYS: std::sync::LazyLock<Vec<String>> = std::sync::LazyLock::new(|| {
        let inner = SOUND.fields.iter().filter_map(|f| if let Holds::Table(inner, _) = f.holds { Some((f.name, inner)) } else { None });
        inner.flat_map(|(name, inner)| inner.fields.iter().map(move |f| format!("{name}.{}", f.name))).collect()
    });
    KEYS.iter().map(String::as_str).find(|key| key.split_once('.') == Some((table, field)))
}

/// The field of a sound behind a key like `vary.pitch` or `level`.
#[must_use]
pub fn field_of_sound(key: &str) -> Option<&'static Field> {
    match key.split_once('.') {
        None => SOUND.field(key),
        Some((table, field)) => match SOUND.field(table)?.holds {
            Holds::Table(inner, _) => inner.field(field),
            _ => None,
        },
    }
}

impl Holds {
    /// What can be written, in words.
    #[must_use]
    pub fn words(&self) -> String {
        let number = |n: f64| if n.abs() >= FAR { None } else { Some(format!("{n}")) };
        match self {
            Note => "words".into(),
            Text(form) => (*form).to_owned(),
            Quantity(unit, low, high) => match (number(*low), number(*high)) {
                (Some(low), Some(high)) => format!("{low} to {high} {unit}"),
                (Some(low), None) => format!("{low} {unit} and more"),
                _ => (*unit).to_owned(),
            },
            Range(unit) => format!("a range in {unit}"),
            Whole(low, high) if low == high => format!("{low}"),
            Whole(low, high) => format!("a whole number from {low} to {high}"),
            YesNo => "true or false".into(),
            Word(words) => words.join(", "),
            Name(thing) => format!("the name of a {thing}"),
            List(form) => format!("a list: {form}"),
            Pairs(form) => format!("names, each with {form}"),
            Holds::Table(inner, "") => format!("a table: {}", inner.name),
            Holds::Table(inner, or) => format!("a table: {}; or {or}", inner.name),
            Named(inner) => format!("tables by name: {}", inner.name),
            Holds::Tables(inner) => format!("a list of tables: {}", inner.name),
        }
    }
}

/// All tables and fields as a page of the manual.
#[must_use]
pub fn as_markdown() -> String {
    let mut text = String::from(
        "# All fields\n\nEvery field of every table of a project, written by the program itself (`estampie schema --markdown`). What they mean together is in\n[project-format.md](project-format.md).\n",
    );
    for table in tables() {
        text += &format!("\n## {}\n\n`{}`\n", table.name, table.head);
        if !table.fields.is_empty() {
            text += "\n| field | what it holds | unsaid | what it does |\n|---|---|---|---|\n";
        }
        for field in table.fields {
            let unsaid = match field.unsaid {
                "!" => "must be there",
                other => other,
            };
            text += &format!("| `{}` | {} | {unsaid} | {} |\n", field.name, field.holds.words().replace('|', "\\|"), field.says);
        }
        if table.open {
            text += "\nBesides these it has fields by other names: see project-format.md.\n";
        }
    }
    text
}

#[cfg(test)]
thread_local! {
    /// What has been read, by table and field.
    pub(crate) static TAKEN: std::cell::RefCell<std::collections::BTreeSet<(&'static str, &'static str)>> = Default::default();
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::{Document, Sources};

    /// A project in which every table stands once, with faults where nothing else is worth writing.
    const ALL: [(&str, &str); 9] = [
        (
            "estampie.toml",
            "format = 1\n[budget]\nfiles = 9\n[bundles.b]\nholds = [\"a\"]\n[encoding.e]\nfiles = [\"audio/*\"]\nas = \"lossless\"\nstreamed = true\n",
        ),
        (
            "game.toml",
            "[parameters.p]\nrange = \"0..1\"\n[formulas]\nf = { is = \"p\" }\n[states.s]\nvalues = [\"a\", \"b\"]\n[events]\ne = \"\"\n[emitters]\nx = \"\"\n",
        ),
        (
            "sounds/all.toml",
            "[a]\ntakes = [\"audio/a.wav\"]\nvary = {}\nshape = {}\nlimit = {}\npriority = {}\nfalloff = {}\nrepeat = { every = \"1..2 s\" }\nlines = {}\nsend = {}\n",
        ),
        ("shared.toml", "[vary.v]\n[shape.v]\n[limit.v]\n[falloff.v]\n[lines.v]\n[group.v]\n[effect.eq]\n[generator.noise]\n"),
        ("mix.toml", "[buses.b]\nsend = {}\n[buses.b.effect.eq]\n[snapshots.n]\n[[duck]]\nsidechain = \"bus b\"\nducks = \"b\"\n"),
        (
            "world.toml",
            "[zones.z]\nat = \"0, 0\"\nradius = \"2 m\"\ninside = {}\noutside = {}\n[shelters.y]\noutline = [\"0, 0\", \"1, 0\", \"1, 1\"]\n[doorways.d]\nbetween = [\"z\", \"outside\"]\nline = [\"0, 0\", \"1, 0\"]\nclosed = {}\nopen = { from = \"p\" }\n[walls.w]\nline = [\"0, 0\", \"1, 0\"]\n[emitters.m]\nat = \"0, 0\"\n[trails.t]\nline = [\"0, 0\", \"1, 0\"]\n[areas.r]\npoints = [\"0, 0\"]\n[areas.q]\nat = \"0, 0\"\nradius = \"1 m\"\n[areas.u]\noutline = [\"0, 0\", \"1, 0\", \"1, 1\"]\n[bearings.g]\nbearing = \"10 deg\"\n[one-shots.o]\nplays = \"a\"\n[flocks.f]\nplays = \"a\"\npoints = [\"0, 0\"]\n",
        ),
        ("modulation.toml", "[[modulation]]\nfrom = \"p\"\nmoves = \"a level\"\ncurve = [\"0: 0 dB\"]\n"),
        (
            "music/all.toml",
            "[piece.k]\n[piece.k.ducks.l]\n[piece.k.section.c]\nbars = 512\n[piece.k.section.c.layer.y]\nfile = \"audio/a.wav\"\n[[piece.k.transition]]\nfrom = \"c\"\nto = \"any\"\n[piece.l.section.c]\nbars = 1\n[stinger.s]\nsound = \"a\"\nduck = {}\n[playlist.n]\npieces = [\"k\"]\n[instrument.i]\nkind = \"reed\"\n",
        ),
        (
            "explore.toml",
            "# how it is played\n[[event]]\nevent = \"e\"\n[[parameter]]\nparameter = \"p\"\n[[state]]\nstate = \"s\"\n[[emitter]]\nemitter = \"x\"\n[[accepted]]\nproblem = \"x\"\nreason = \"y\"\n",
        ),
    ];

    fn faults(files: &[(&str, String)]) -> Vec<String> {
        let sources = Sources::from_texts(files.iter().map(|(name, text)| (*name, text.as_str())));
        let (_, faults) = Document::read(&sources, &["audio/a.wav".to_owned()].into());
        faults.iter().map(ToString::to_string).collect()
    }

    #[test]
    fn every_field_that_is_listed_is_read() {
        let files: Vec<(&str, String)> = ALL.iter().map(|(name, text)| (*name, (*text).to_owned())).collect();
        TAKEN.with_borrow_mut(std::collections::BTreeSet::clear);
        assert_eq!(faults(&files), Vec::<String>::new());
        let taken = TAKEN.with_borrow(Clone::clone);
        let listed = tables().into_iter().flat_map(|t| t.fields.iter().map(move |f| (t.name, f.name)));
        let unread: Vec<_> = listed.filter(|f| !taken.contains(f)).collect();
        assert_eq!(unread, [], "what is listed and no reader takes");
    }

    /// The project with a field of a table written, where that table stands.
    fn with(table: &Table, field: &str, text: &str) -> Option<Vec<(&'static str, String)>> {
        let heads = [
            ("project", 0, "format = 1\n"),
            ("parameter", 1, "[parameters.p]\nrange = \"0..1\"\n"),
            ("state", 1, "[states.s]\nvalues = [\"a\", \"b\"]\n"),
            ("sound", 2, "[a]\ntakes = [\"audio/a.wav\"]\n"),
            ("vary", 3, "[vary.v]\n"),
            ("shape", 3, "[shape.v]\n"),
            ("limit", 3, "[limit.v]\n"),
            ("lines", 3, "[lines.v]\n"),
            ("falloff", 3, "[falloff.v]\n"),
            ("generator", 3, "[generator.noise]\n"),
            ("bus", 4, "[buses.b]\n"),
            ("effect", 4, "[buses.b.effect.eq]\n"),
            ("snapshot", 4, "[snapshots.n]\n"),
            ("duck", 4, "ducks = \"b\"\n"),
            ("world", 5, ""),
            ("zone", 5, "[zones.z]\n"),
            ("doorway", 5, "[doorways.d]\n"),
            ("wall", 5, "[walls.w]\n"),
            ("emitter", 5, "[emitters.m]\n"),
            ("bearing", 5, "[bearings.g]\n"),
            ("one-shots", 5, "[one-shots.o]\n"),
            ("flock", 5, "[flocks.f]\n"),
            ("modulation", 6, "[[modulation]]\n"),
            ("piece", 7, "[piece.k]\n"),
            ("section", 7, "[piece.k.section.c]\nbars = 512\n"),
            ("layer", 7, "[piece.k.section.c.layer.y]\n"),
            ("transition", 7, "[[piece.k.transition]]\n"),
            ("stinger", 7, "[stinger.s]\n"),
            ("playlist", 7, "[playlist.n]\n"),
            ("instrument", 7, "[instrument.i]\n"),
            ("exploring", 8, "# how it is played\n"),
            ("made-up event", 8, "[[event]]\n"),
            ("made-up parameter", 8, "[[parameter]]\n"),
            ("made-up state", 8, "[[state]]\n"),
        ];
        let (_, file, head) = heads.iter().find(|(name, ..)| *name == table.name)?;
        let mut files: Vec<(&str, String)> = ALL.iter().map(|(name, text)| (*name, (*text).to_owned())).collect();
        let at = files[*file].1.find(head)? + head.len();
        let rest = files[*file].1.split_off(at);
        // What is written already is not written twice.
        let own = rest.split("\n[").next().unwrap_or_default();
        if head.contains(&format!("{field} = ")) || own.lines().any(|l| l.starts_with(&format!("{field} =")) || l.starts_with(&format!("{field}="))) {
            return None;
        }
        files[*file].1 += &format!("{field} = {text}\n{rest}");
        Some(files)
    }

    #[test]
    fn what_counts_unsaid_may_be_written_and_limits_are_as_listed() {
        let (mut tried, mut wrong) = (0, Vec::new());
        for table in tables() {
            for field in table.fields {
                let mut allowed: Vec<String> = Vec::new();
                let mut refused: Vec<String> = Vec::new();
                match field.holds {
                    Quantity(unit, low, high) => {
                        let write = |n: f64| format!("\"{n} {unit}\"").replace(" beats a minute", "");
                        allowed.extend([low, high].into_iter().filter(|n| n.abs() < FAR).map(write));
                        // Filters beyond 20 kHz are open; shares and pans have faults of their own words.
                        if high.abs() < FAR && !matches!(unit, "%" | "Hz") {
                            refused.push(write(high * 1.01 + 0.01));
                        }
                    }
                    Whole(low, high) => {
                        allowed.extend([low.to_string(), high.to_string()]);
                        refused.extend([(low - 1).to_string(), (high + 1).to_string()]);
                    }
                    YesNo => allowed.extend(["true".to_owned(), "false".to_owned()]),
                    Word(words) => {
                        allowed.extend(words.iter().map(|w| format!("\"{}\"", w.replace(" N", " 2"))));
                        refused.push("\"otherwise\"".into());
                    }
                    _ => continue,
                }
                if matches!(field.holds, Quantity(..) | Word(_))
                    && !field.unsaid.is_empty()
                    && field.unsaid.starts_with(|c: char| c.is_ascii_digit() || c == '-')
                {
                    allowed.push(format!("\"{}\"", field.unsaid));
                }
                let about = |fault: &String| fault.contains(field.name);
                for (texts, should) in [(allowed, true), (refused, false)] {
                    for text in texts {
                        let Some(files) = with(table, field.name, &text) else { continue };
                        tried += 1;
                        let told = faults(&files);
                        if told.iter().any(about) == should {
                            wrong.push(format!("{} {} = {text}: {told:?}", table.name, field.name));
                        }
                    }
                }
            }
        }
        assert!(tried > 150, "{tried}");
        assert!(wrong.is_empty(), "{} of {tried}:\n{}", wrong.len(), wrong.join("\n"));
    }

    #[test]
    fn the_manual_lists_all_fields() {
        let manual = include_str!("../../../../docs/fields.md");
        assert_eq!(manual, as_markdown(), "write it anew: estampie schema --markdown -o docs/fields.md");
    }
}
