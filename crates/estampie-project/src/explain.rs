//! Each kind of fault with a code and a page: what it means, what the project does meanwhile, how it is put right, and what leads to it.
//!
//! A fault says in its own words what is wrong and what to write; which page it belongs to is found by these words. One more is a row of [`PAGES`]; a test
//! takes every sentence that the sources hold and looks for its row.

use crate::fault::Fault;
use std::fmt::Write as _;
use std::sync::LazyLock;

/// The page of a kind of fault.
#[derive(Debug)]
pub struct Page {
    /// Its code, as E203.
    pub code: &'static str,
    /// What it is called.
    pub title: &'static str,
    /// How its faults are told, with `*` for what differs; after `fix: ` it is their fix, after `in: ` their file.
    told: &'static [&'static str],
    /// What it means and what to do.
    pub text: &'static str,
    /// The file that the example is from; empty if there is none.
    pub file: &'static str,
    /// What is written wrongly in it, and what rightly; both may be empty.
    pub wrong: &'static str,
    /// See there.
    pub right: &'static str,
}

/// All pages, in the order of their codes. A fault belongs to the one whose pattern is closest to what it says.
pub const PAGES: &[Page] = &[
    Page {
        code: "E101",
        title: "a file or folder cannot be read",
        told: &[
            "this file cannot be read: *",
            "this folder is not read: *",
            "this folder cannot be read: *",
            "this folder is a link, *",
            "* has a name that is not UTF-8",
            "* cannot be looked at: *",
            "folders lie within folders more than *",
        ],
        text: "The system does not give the file or folder, or Estampie does not follow where it leads. The rest of the project is read and plays. Look at its rights (ls -l), and \
               whether it is a link: links to files inside the project are followed, folders that are links are not, so that no circle of links is walked and nothing outside \
               the project is read. Names are UTF-8.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E102",
        title: "a save was cut off and cannot be completed",
        told: &["a save that was cut off cannot be completed: *"],
        text: "The machine or the program was stopped while it saved. All files of a save are written beside their places first and then put there together; what was written is \
               still beside them, and could not be put there. Nothing is lost: give the folder its rights, see that the disk is not full, and open the project again.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E103",
        title: "a line is not TOML",
        told: &["fix: fix this line; until then it is left out"],
        text: "The files of settings are TOML: NAME = VALUE, texts in quotes, tables below a line in brackets. A line that cannot be read is left out and the rest of the file counts, so that one \
               slip does not hide everything below it. Most often a quote or a bracket is missing at the end, or a text stands without quotes.",
        file: "sounds/all.toml",
        wrong: "[step]\ntakes = [\"audio/a.wav\"]\nlevel = -6 dB",
        right: "[step]\ntakes = [\"audio/a.wav\"]\nlevel = \"-6 dB\"",
    },
    Page {
        code: "E104",
        title: "the format of the project is not said",
        told: &["the file's format is not said"],
        text: "estampie.toml says in its first line which format the project is written in, so that a later Estampie knows how to read it.",
        file: "estampie.toml",
        wrong: "name = \"Brinewick Salvage\"",
        right: "format = 1\nname = \"Brinewick Salvage\"",
    },
    Page {
        code: "E105",
        title: "a MIDI file cannot be read",
        told: &["fix: take the file from another program, or as it was kept"],
        text: "What lies below music/ and ends in .mid has to be a standard MIDI file, format 0 or 1. The layers that play it are silent until then. Export it anew from the program that it was \
               written in, or take it from version control.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E201",
        title: "there is no such field",
        told: &["* has no field *", "* takes no *"],
        text: "The field is left out, and what it should have said is as if it were not there. The nearest name is told, if one is near. estampie schema and docs/fields.md list every field of every \
               file; an editor that reads JSON Schema completes them.",
        file: "sounds/all.toml",
        wrong: "[step]\ntakes = [\"audio/a.wav\"]\nloudnes = \"-3 dB\"",
        right: "[step]\ntakes = [\"audio/a.wav\"]\nlevel = \"-3 dB\"",
    },
    Page {
        code: "E202",
        title: "it is called otherwise now",
        told: &["* of * is called *", "the last bus is called main"],
        text: "An earlier format had another word for it. The old word is not read any more, so that there is one word for one thing; the new one is told, and nothing else about it has changed.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E203",
        title: "something that is needed is not said",
        told: &[
            "* does not say *",
            "it is not said what the sections follow",
            "it is not said which chords go by what",
            "it is not said how long * is",
            "it is not said what * of * is",
            "what the game's * is called here is not said",
            "the player level * names no bus",
            "the parameter * has no range",
            "the formula * is not said",
            "the state * has no values",
            "the * has no note in quotes",
            "the * * has no note in quotes",
            "* has no from",
            "* has no sections",
            "the stinger * has no sound",
            "the playlist * has no pieces",
            "the instrument * has no takes",
            "* has no impulse response",
            "the encoding * is of no files",
            "the part * of the bundle holds nothing",
            "* needs one of file, sound and notes",
            "* plays notes, but not which or with what",
            "what is accepted has no reason",
            "this modulation has no points",
            "reverb of * has no level",
            "a duck has no field *",
            "a modulation has no field *",
            "* has no two ends",
            "* is not between two zones",
            "* is half a circle",
            "* is nowhere",
            "* plays nothing",
            "it is not said what * is",
        ],
        text: "Nothing sensible can be assumed here, so nothing is: what the thing would do is left out until it is written. The fix says what to write, with an example that can be taken as it is.",
        file: "game.toml",
        wrong: "[parameters.wear]",
        right: "[parameters.wear]\nrange = \"0..1\"",
    },
    Page {
        code: "E204",
        title: "it is written in another shape",
        told: &[
            "* is not a list of tables",
            "* is not a table",
            "* is not a text",
            "* is no text",
            "what * says is no text",
            "what is drawn for * is not a text",
            "* is not followed by *",
            "* of * is not *",
            "the send to * is not a text",
        ],
        text: "The name is right, and what stands behind it is of another kind: a number where a text should be, one thing where a list should be, a value where a table should be. Quantities with units \
               are texts in quotes. Several of a kind are tables below a line in double brackets, one line for each.",
        file: "mix.toml",
        wrong: "duck = \"music\"",
        right: "[[duck]]\nducks = \"music\"\nsidechain = \"bus voice\"\nby = \"-6 dB\"",
    },
    Page {
        code: "E205",
        title: "a number is not within what it may be",
        told: &[
            "* of *: * is too little",
            "* of *: * is too much",
            "* * is not a time",
            "* is not a time in seconds from *",
            "the rate is *",
            "the ceiling is *",
            "the level of * is *",
            "rest of the parameter *: * is not in its range",
            "* is out of range",
            "* is not a power",
            "* is no player level",
            "* % is no share",
            "* is more than *",
            "* is too short for a clock",
            "repeat of *: every * is shorter than 20 ms",
            "* of * has * points",
            "the state * has more than * values",
            "marker * is in bar *, but there are *",
            "priority of * is not a number from 0 to 100",
            "* is not a whole number",
            "* is not a speed to walk at",
            "* of * is not a number from *",
            "fix: write a loudness from *",
            "fix: write 20 ms or more",
        ],
        text: "Where a nearest value makes sense it is taken meanwhile; elsewhere the line is left out. The ends are told with the fix, and stand in docs/fields.md. What lies outside them is almost always a \
               slip in the unit (ms for s, a share for percent) or in the sign.",
        file: "sounds/all.toml",
        wrong: "[step]\ntakes = [\"audio/a.wav\"]\nlevel = \"60 dB\"",
        right: "[step]\ntakes = [\"audio/a.wav\"]\nlevel = \"6 dB\"",
    },
    Page {
        code: "E206",
        title: "a value is not understood",
        told: &[
            "* is not a range*",
            "* is not a chance*",
            "* is not a point of * of its own",
            "* is not understood after a chance",
            "* is not understood of a take",
            "* is no naming rule",
            "* sets nothing",
            "* is not a key",
            "* is nothing on a MIDI device",
            "* is not a chord at a bar",
            "* is no chord that notes can follow",
            "* is not a take of an instrument",
            "* does not begin with a bar after the one before",
            "the point * does not lie after the one before it",
            "* is no time",
            "a section cannot be called *",
            "* is not a way to pick a take",
            "* is not a way to play a part",
            "* has * tracks but values for *",
            "* of *: *",
            "fix: write a level, like *",
            "fix: write a point like *",
            "fix: write points like *",
            "fix: write *by -3 dB*",
            "fix: write *to -20 dB*",
            "fix: write markers = *",
            "fix: write inverse, gentle or linear*",
            "fix: write a range like *",
            "fix: write a value such as *",
            "fix: write a time like 10 s*",
            "* is not a range of *",
            "* is no lower than *",
        ],
        text: "The field is known, and its text is none that stands there. Until it is put right the field is as if it were not written. A quantity is a number, a space and a unit: 3 dB, 80 ms, \
               2 st, 4 kHz, 50 %; a range has two dots, the lower end first: -2..2 st. docs/project-format.md says what each takes.",
        file: "sounds/all.toml",
        wrong: "[step]\ntakes = [\"audio/a.wav\"]\nvary = { pitch = \"2 tones\" }",
        right: "[step]\ntakes = [\"audio/a.wav\"]\nvary = { pitch = \"-2..2 st\" }",
    },
    Page {
        code: "E301",
        title: "there is no such event, parameter or state",
        told: &[
            "there is no event *",
            "there is no parameter *",
            "there is no state or parameter *",
            "there is no parameter or state *",
            "there is no event, parameter or state *",
            "there is no state *",
        ],
        text: "What the game tells is declared in game.toml, so that a slip of the pen is told here and not found out by silence in the game. A reaction whose condition names nothing is left out whole, \
               since it would act when it should not. Take the nearest name if it is the one meant, or declare the new one with a note for who programs the game.",
        file: "reactions.est",
        wrong: "When hul.struck\n  play bell",
        right: "When hull.struck\n  play bell",
    },
    Page {
        code: "E302",
        title: "the state has no such value",
        told: &["the state * has no value *"],
        text: "A state is always one of the values that game.toml lists. Add the value there, or take one of those that are told. If the game has other words for them, from-game below [states.NAME] \
               translates them, and only ours are used here.",
        file: "reactions.est",
        wrong: "When hull.struck and threat is hunting\n  play bell",
        right: "When hull.struck and threat is hunted\n  play bell",
    },
    Page {
        code: "E303",
        title: "there is no such sound",
        told: &["there is no sound *", "nothing is called like *", "none of its takes is called *"],
        text: "What would play it plays nothing. Sounds stand in sounds/*.toml, each below a line with its name in brackets; the folder of the file is not part of the name. The workshop renames a sound \
               everywhere at once (r in the view Project), which a find and replace does not.",
        file: "reactions.est",
        wrong: "When hull.struck\n  play bel",
        right: "When hull.struck\n  play bell",
    },
    Page {
        code: "E304",
        title: "there is no such bus, return, snapshot or effect",
        told: &[
            "there is no bus *",
            "there is no return *",
            "* is no return",
            "there is no snapshot *",
            "there is no effect *",
            "there is no shared *",
            "there is no player level *",
            "there is no * in the mix",
            "* has no preset *",
            "* has no setting *",
            "* is neither a bus nor a sound",
            "there is no group *",
            "there are too many returns for rooms",
        ],
        text: "The mix stands in mix.toml, settings that several things share in shared.toml. A bus that is named and not there is replaced by main, so that the sound is heard; a send or a hold that names \
               nothing is left out. A bus takes sends only where it says return = true.",
        file: "sounds/all.toml",
        wrong: "[step]\ntakes = [\"audio/a.wav\"]\nbus = \"hall\"",
        right: "[step]\ntakes = [\"audio/a.wav\"]\nbus = \"music\"",
    },
    Page {
        code: "E305",
        title: "there is no such place",
        told: &[
            "there is no emitter *",
            "there is no zone *",
            "there is no trail *",
            "there is another * in the world",
            "the doorway * leads back to where it comes from",
        ],
        text: "Zones, doorways, walls and trails stand in world.toml. Emitters come from the game: those that are named in a reaction or a formula are declared in game.toml below [emitters], placed in \
               world.toml, or placed by a playthrough.",
        file: "reactions.est",
        wrong: "When hull.struck\n  play bell at lighthouse",
        right: "When hull.struck\n  play bell at crane",
    },
    Page {
        code: "E306",
        title: "there is no such piece, section, layer or notes",
        told: &[
            "there is no piece *",
            "* has no section *",
            "* has no marker *",
            "there is no layer *",
            "there is no stinger *",
            "there is no playlist *",
            "there is no instrument *",
            "there is no MIDI file *",
            "* has no track *",
            "* is a playlist and has no sections",
        ],
        text: "Music stands in music/*.toml. The transition, the stinger or the line that names what is not there does nothing; the piece plays on. Names of sections and layers count within their piece.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E307",
        title: "there is no such generator, control or drawing",
        told: &[
            "there is no generator *",
            "there is no kind of generator *",
            "* has no control *",
            "* has no length",
            "* plays no instrument",
            "* has no * to be drawn",
            "* is fixed and cannot be drawn",
            "* is fixed and cannot be moved",
            "* is made of *, and a tune needs pitches",
        ],
        text: "Generators stand in shared.toml below [generator.NAME] and have the controls of their kind; docs/generators.md lists them with ranges and defaults. Some controls are fixed when a voice begins, \
               and can be set but not moved.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E308",
        title: "there is nothing of that name",
        told: &["there is no *"],
        text: "Something is named that the project does not have. The nearest name is told, if one is near; the finder (:) shows all that there is.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E401",
        title: "two things have one name",
        told: &[
            "there is a * already, at *",
            "there is an item * already, on line *",
            "* is a parameter already, at *",
            "* is a piece and a playlist",
            "* is a name here already",
            "the state * has the value * twice",
            "the transition from * to * is written twice",
            "* is moved already",
        ],
        text: "Names are how everything finds everything, so each stands for one thing. The first one counts meanwhile, in the order of the files' names. After a merge this is the usual sign that both sides have \
               added the same.",
        file: "game.toml",
        wrong: "[formulas]\nstrain = \"depth / 60\"",
        right: "[formulas]\ndanger = \"depth / 60\"",
    },
    Page {
        code: "E402",
        title: "a name may not be so",
        told: &["* cannot be a name", "* is no letter that is free on the Stage", "* is called no column of the stock"],
        text: "Names are in lower case, with - between words, / between folders of sounds and . within events, and begin with a letter: so they can be written in sentences, in code and in file names without quotes.",
        file: "sounds/all.toml",
        wrong: "[\"Step Plank\"]\ntakes = [\"audio/a.wav\"]",
        right: "[step-plank]\ntakes = [\"audio/a.wav\"]",
    },
    Page {
        code: "E403",
        title: "things run in a circle",
        told: &[
            "these buses run in a circle: *",
            "this send would feed back: *",
            "these are worked out from each other in a circle: *",
            "these sounds are takes of each other in a circle: *",
            "sounds are nested more than *",
            "* has itself as a take",
            "the bus main runs into nothing",
            "* cannot duck itself",
        ],
        text: "Each waits for the other, so neither could ever be worked out, or a sound would feed itself and grow. The circle is told name by name: cut it where it was not meant. What is in it stays at rest or runs \
               into main meanwhile.",
        file: "game.toml",
        wrong: "[formulas]\na = \"b + 1\"\nb = \"a + 1\"",
        right: "[formulas]\na = \"strain + 1\"\nb = \"a + 1\"",
    },
    Page {
        code: "E404",
        title: "one thing excludes the other",
        told: &[
            "* has both takes and a chain",
            "* has takes by value, but nothing to pick by",
            "the takes of * are not told apart by *",
            "* is no file, and nothing can be cut off it",
            "the last part has nothing to overlap with",
            "the overlap in * is longer than half of a part",
            "* has recorded layers, so its tempo cannot be moved",
            "the notes follow chords, and * has none",
            "* has no close ending",
            "* has nothing to play",
            "* has no lines to say",
            "* is worked out and cannot be set",
            "* is worked out here: the game cannot send it",
            "* cannot be set to *",
            "* is nothing that can be moved",
            "* is not a property",
            "* has no * to move",
            "fix: take out either *",
            "the * of a take *",
            "* before *",
        ],
        text: "Each line is right by itself, and together they cannot be. The fix says which of them would have to go or what the other would need. Nothing is guessed: what would have to be decided is left out.",
        file: "sounds/all.toml",
        wrong: "[growl]\ntakes = [\"audio/a.wav\"]\nchain = [\"audio/b.wav\"]",
        right: "[growl]\nchain = [\"audio/a.wav\", \"audio/b.wav\"]",
    },
    Page {
        code: "E501",
        title: "a reaction is not understood",
        told: &[
            "a reaction begins with *",
            "this action belongs to no reaction",
            "this reaction does nothing",
            "a clock has no *",
            "a reaction is called when something comes to hold, *",
            "* is not which one",
            "it is not said what * is tested for",
            "fix: begin with *When*",
        ],
        text: "A reaction is a line that begins with When at the left edge, and below it its actions, each on a line of its own with two spaces before it. When names what calls it: an event, something that becomes so, a \
               clock. Conditions follow with and. A reaction that is not understood does nothing.",
        file: "reactions.est",
        wrong: "if hull.struck then play bell",
        right: "When hull.struck and strain over 0.5\n  play bell",
    },
    Page {
        code: "E502",
        title: "an action is not understood",
        told: &["* is not an action", "* stands before *", "this is not a musical moment", "* cannot be swept", "* is not understood at the end of a sweep"],
        text: "An action begins with its verb: play, stop, send, set, sweep, go … The nearest is told; while a sentence is typed in the workshop, what may come next stands below it. docs/language.md lists all with examples.",
        file: "reactions.est",
        wrong: "When hull.struck\n  start bell",
        right: "When hull.struck\n  play bell",
    },
    Page {
        code: "E503",
        title: "a condition compares what cannot be compared",
        told: &["* is a state and cannot be compared with a number", "* is a number, and * is none", "* is not in *", "* is not a time", "* is never *"],
        text: "States are compared with is and is not and one of their values; parameters with over, under, at least, at most, between and a number in their own unit. A comparison that can never hold, because it lies outside the \
               parameter's range, is told as well: either the range or the number is a slip.",
        file: "reactions.est",
        wrong: "When hull.struck and threat over 2\n  play bell",
        right: "When hull.struck and threat is hunted\n  play bell",
    },
    Page {
        code: "E504",
        title: "one value for all, or one for each emitter",
        told: &["every emitter has a * of its own, *", "* is one for all, not of each emitter"],
        text: "A parameter is either one for the whole game or has a value for each emitter (of = \"each emitter\" in game.toml). Where one value is needed and there are many, nobody can say which; name the emitter, or measure with a \
               parameter that is for all.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E505",
        title: "a formula or measure is not understood",
        told: &[
            "the formula *",
            "* where a value should stand",
            "there is no function *",
            "* takes * values, not *",
            "it is not said which value",
            "the side is not said",
            "* is nothing that can be measured",
            "* where * should stand",
        ],
        text: "Formulas join parameters with + - * /, comparisons and functions such as max(a, b); a minus has spaces around it, since names may have one inside. What cannot be worked out stays at rest. docs/language.md lists \
               functions and measures.",
        file: "game.toml",
        wrong: "[formulas]\ndanger = \"max(depth\"",
        right: "[formulas]\ndanger = \"max(depth, strain)\"",
    },
    Page {
        code: "E506",
        title: "an expectation is not understood",
        told: &[
            "* is not understood what is expected of *",
            "it is not understood what is expected of *",
            "* stands where * or * should stand",
            "* is no way to measure loudness",
            "a line of checks begins with *",
            "fix: write the number in *",
        ],
        text: "expect stands in playthroughs, always expect in checks.est. After the subject comes heard, never heard, silent, quieter than, in … An expectation that is not understood is never held against anything, so it is told \
               instead of passing. docs/checks.md lists all.",
        file: "playthroughs/one.play",
        wrong: "4 expect bell plays",
        right: "4 expect bell heard within 1 s",
    },
    Page {
        code: "E507",
        title: "a line of a playthrough is not understood",
        told: &[
            "it is not said what * does",
            "it is not said what * is on *",
            "the listener does not walk by himself here",
            "* is not understood",
            "* is not understood here",
            "a seed is *",
        ],
        text: "A line begins with its time in seconds and says what the game tells then: send EVENT, STATE is VALUE, a parameter and a number, a walk. docs/language.md has the grammar of sentences and playthroughs. \
               The line is left out; the others are played.",
        file: "playthroughs/one.play",
        wrong: "2.5 hull.struck",
        right: "2.5 send hull.struck",
    },
    Page {
        code: "E601",
        title: "audio is missing",
        told: &["there is no file *", "no file is named like *", "* is not there*"],
        text: "The take is silent until it is there. In the workshop ! lists what is missing with what lies elsewhere in the folder and has the same content or the same name; enter points there, a points all. In a pipe estampie \
               doctor PROJECT tells the same. If a file was exported under another name, the list Files (7 v) has it.",
        file: "sounds/all.toml",
        wrong: "[step]\ntakes = [\"audio/step.wav\"]",
        right: "[step]\ntakes = [\"audio/a.wav\"]",
    },
    Page {
        code: "E602",
        title: "audio cannot be played",
        told: &["* cannot be played: *"],
        text: "The file is there and is none of WAV, AIFF, FLAC, Ogg Vorbis or MP3, is broken, or is longer than twelve hours. The reason is told. A file whose head is right and whose middle is broken is told once it has been \
               measured. Export it anew.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E701",
        title: "a return lets dry sound through",
        told: &["the return * lets dry sound through*"],
        text: "What is sent to a return comes back a second time, in phase with the sound itself, if an effect on it is not all wet: the sound gets louder, not wetter, and every send changes the mix. Write wet = \"100 %\"; \
               how much of it there is, the send says.",
        file: "mix.toml",
        wrong: "[buses.nave]\nreturn = true\n\n[buses.nave.effect.reverb]\nwet = \"40 %\"",
        right: "[buses.nave]\nreturn = true\n\n[buses.nave.effect.reverb]\nwet = \"100 %\"",
    },
    Page {
        code: "E801",
        title: "it is over the budget",
        told: &["fix: let less be played, *"],
        text: "[budget] in estampie.toml says what the game may be given: memory, size, voices. What counts and what costs most is told by estampie stock PROJECT budget. What to do with what goes over is said there too: \
               say it, warn, or refuse the bundle.",
        file: "",
        wrong: "",
        right: "",
    },
    Page {
        code: "E901",
        title: "the stock is not understood",
        told: &["it is no table: *", "none of its columns is the name of an item: *", "in: stock.csv"],
        text: "stock.csv is a table whose first line names its columns; those with other heads are told in estampie.toml (stock-columns). Save it as comma-separated values in UTF-8. Lines that are not understood keep their text and \
               are not counted.",
        file: "",
        wrong: "",
        right: "",
    },
];

/// The page of faults that none of the others tells.
pub const OTHER: Page = Page {
    code: "E999",
    title: "something is wrong in a file",
    told: &[],
    text: "The fault says in its own words what is wrong, where, and what to write instead. What it touches is left out; the rest of the project works.",
    file: "",
    wrong: "",
    right: "",
};

/// Whether a text is as a pattern with `*` for any letters has it.
fn is_like(text: &str, pattern: &str) -> bool {
    let mut parts = pattern.split('*');
    let Some(mut rest) = parts.next().and_then(|first| text.strip_prefix(first)) else { return false };
    let mut parts = parts.peekable();
    if parts.peek().is_none() {
        return rest.is_empty();
    }
    while let Some(part) = parts.next() {
        if parts.peek().is_none() {
            return rest.ends_with(part);
        }
        let Some(at) = rest.find(part) else { return false };
        rest = &rest[at + part.len()..];
    }
    true
}

/// A way in which faults are told.
struct Way {
    pattern: &'static str,
    page: &'static Page,
}

impl Way {
    fn tells(&self, fault: &Fault) -> bool {
        match self.pattern.split_once(": ") {
            Some(("fix", pattern)) => is_like(&fault.fix, pattern),
            Some(("in", file)) => fault.place.file == file,
            _ => is_like(&fault.what, self.pattern),
        }
    }

    /// How closely it tells a fault: by how many letters all faults of it share.
    fn close(&self) -> usize {
        self.pattern.chars().filter(|c| *c != '*').count()
    }
}

/// All ways, the closest first; of those that are as close the one that stands first.
static WAYS: LazyLock<Vec<Way>> = LazyLock::new(|| {
    let mut ways: Vec<Way> = PAGES.iter().flat_map(|page| page.told.iter().map(move |pattern| Way { pattern, page })).collect();
    ways.sort_by_key(|way| std::cmp::Reverse(way.close()));
    ways
});

impl Page {
    /// The page as text of lines that are at most so wide, in characters.
    #[must_use]
    pub fn lines(&self, width: usize) -> Vec<String> {
        let mut lines = vec![String::new()];
        for word in self.text.split_whitespace() {
            let last = lines.len() - 1;
            if !lines[last].is_empty() && lines[last].chars().count() + 1 + word.chars().count() > width {
                lines.push(word.to_owned());
            } else {
                if !lines[last].is_empty() {
                    lines[last].push(' ');
                }
                lines[last].push_str(word);
            }
        }
        for (head, example) in [(format!("in {}, instead of", self.file), self.wrong), ("write".to_owned(), self.right)] {
            if !example.is_empty() {
                lines.extend([String::new(), head]);
                lines.extend(example.lines().map(|line| format!("    {line}")));
            }
        }
        lines
    }
}

impl Fault {
    /// The page that says more of it.
    #[must_use]
    pub fn page(&self) -> &'static Page {
        WAYS.iter().find(|way| way.tells(self)).map_or(&OTHER, |way| way.page)
    }
}

/// The page of a code, written in any case, with its letter or without.
#[must_use]
pub fn page(code: &str) -> Option<&'static Page> {
    let digits = code.trim_start_matches(['e', 'E']);
    PAGES.iter().chain([&OTHER]).find(|page| page.code[1..] == *digits)
}

/// All pages in Markdown.
#[must_use]
pub fn as_markdown() -> String {
    let mut text = "# Faults\n\nEvery kind of fault with its code: what it means, what the project does meanwhile, and how it is put right. `estampie explain E203` prints a page, and in the workshop\n`enter` on a \
                    fault (`!`) opens it. This page is written by `estampie explain --markdown`.\n"
        .to_owned();
    for page in PAGES.iter().chain([&OTHER]) {
        let _ = write!(text, "\n## {} {}\n\n{}\n", page.code, page.title, page.text);
        for (head, example) in [(format!("In {}, instead of", page.file), page.wrong), ("write".to_owned(), page.right)] {
            if !example.is_empty() {
                let _ = write!(text, "\n{head}\n\n```\n{example}\n```\n");
            }
        }
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assets::Assets;
    use crate::compile::compile;
    use crate::document::{Document, Place, Sources};

    #[test]
    fn a_pattern_is_held_against_the_whole_text() {
        assert!(is_like("there is no bus hall", "there is no bus *") && is_like("a of b: c", "* of *: *") && is_like("so", "so"));
        assert!(
            !is_like("there is no bus", "there is no bus *") && !is_like("so it is", "so") && !is_like("so", "so it is") && !is_like("a of b", "* of *: *")
        );
        assert!(is_like("x is too little", "* is too *") && !is_like("x is to little", "* is too *"));
    }

    #[test]
    fn codes_rise_and_are_found_however_they_are_written() {
        assert!(PAGES.windows(2).all(|two| two[0].code < two[1].code));
        for written in ["E203", "e203", "203"] {
            assert_eq!(page(written).map(|p| p.title), Some("something that is needed is not said"));
        }
        assert!(page("E000").is_none() && page("").is_none());
    }

    #[test]
    fn faults_find_their_pages() {
        let of = |what: &str, fix: &str| Fault::new(&Place::whole("a"), what, fix).page().code;
        assert_eq!(of("there is no bus hall", ""), "E304");
        assert_eq!(of("there is no lantern x", ""), "E308");
        assert_eq!(of("expected `=`", "fix this line; until then it is left out"), "E103");
        assert_eq!(of("level of step: 30 is too much", ""), "E205");
        assert_eq!(of("level of step: \"x\" is no level", ""), "E206");
        assert_eq!(of("something else", ""), "E999");
    }

    /// A project in which every right example is right.
    const BASE: &[(&str, &str)] = &[
        ("estampie.toml", "format = 1\n"),
        (
            "game.toml",
            "[events]\n\"hull.struck\" = \"a\"\n[emitters]\ncrane = \"b\"\n[parameters.strain]\nrange = \"0..1\"\n[parameters.depth]\nrange = \"0..60\"\n[states.threat]\nvalues = [\"calm\", \"hunted\"]\n",
        ),
        ("mix.toml", "[buses.main]\n[buses.music]\n[buses.voice]\n"),
        ("reactions.est", "When hull.struck and strain under 0.1\n  play bell\n\n"),
        ("sounds/all.toml", "[bell]\ntakes = [\"audio/a.wav\"]\n"),
        ("playthroughs/one.play", "seed 1\n"),
    ];

    /// The faults of that project with an example in a file: below what is there, or above it where it stands before all tables.
    fn faults_with(file: &str, example: &str) -> Vec<Fault> {
        let texts: Vec<(&str, String)> = BASE
            .iter()
            .map(|(name, text)| match (*name == file, file) {
                (false, _) => (*name, (*text).to_owned()),
                (true, "estampie.toml") => (*name, example.to_owned()),
                (true, "mix.toml") if !example.starts_with('[') => (*name, format!("{example}\n{text}")),
                (true, _) => (*name, format!("{text}{example}\n")),
            })
            .collect();
        let sources = Sources::from_texts(texts.iter().map(|(name, text)| (*name, text.as_str())));
        let (document, mut faults) = Document::read(&sources, &["audio/a.wav".to_owned(), "audio/b.wav".to_owned()].into());
        faults.extend(compile(&document, &Assets::default()).1);
        faults
    }

    #[test]
    fn what_is_written_wrongly_leads_to_its_page_and_what_is_written_rightly_does_not() {
        let (mut tried, mut amiss) = (0, Vec::new());
        for page in PAGES.iter().filter(|page| !page.wrong.is_empty()) {
            let found: Vec<(&str, String)> = faults_with(page.file, page.wrong).into_iter().map(|f| (f.page().code, f.to_string())).collect();
            let right: Vec<String> = faults_with(page.file, page.right).iter().map(ToString::to_string).collect();
            if !found.iter().any(|(code, _)| *code == page.code) || !right.is_empty() {
                amiss.push(format!("{}: {found:?}, {right:?}", page.code));
            }
            tried += 1;
        }
        assert!(tried > 20, "{tried}");
        assert!(amiss.is_empty(), "{}", amiss.join("\n"));
    }

    /// The text in quotes that a piece of source begins with, with `x` for what is put into it; `None` if it begins with something else.
    fn literal(source: &str) -> Option<String> {
        let source = source.trim_start().trim_start_matches("format!(").trim_start();
        let (mut text, mut hole, mut rest) = (String::new(), 0, source.strip_prefix('"')?.chars());
        while let Some(c) = rest.next() {
            match c {
                '"' => return Some(text),
                // What an escape says is of no matter but for a quote.
                '\\' => text.extend(rest.next().filter(|c| *c == '"' && hole == 0)),
                '{' => hole += 1,
                '}' => {
                    hole -= 1;
                    text.push('x');
                }
                c if hole == 0 => text.push(c),
                _ => {}
            }
        }
        None
    }

    /// The arguments of a call whose bracket has been opened, as they are written.
    fn arguments(source: &str) -> Vec<&str> {
        let (mut list, mut depth, mut begun, mut quoted, mut escaped) = (Vec::new(), 0, 0, false, false);
        for (at, c) in source.char_indices() {
            match c {
                _ if escaped => escaped = false,
                '\\' => escaped = true,
                '"' => quoted = !quoted,
                _ if quoted => {}
                '(' | '[' | '{' => depth += 1,
                ')' | ']' | '}' if depth > 0 => depth -= 1,
                ')' => {
                    list.push(source[begun..at].trim());
                    break;
                }
                ',' if depth == 0 => {
                    list.push(source[begun..at].trim());
                    begun = at + 1;
                }
                _ => {}
            }
        }
        list.retain(|argument| !argument.is_empty());
        list
    }

    #[test]
    fn every_sentence_of_the_sources_belongs_to_a_page() {
        let mut folders = vec![std::path::PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("src")];
        let (mut seen, mut left) = (0, Vec::new());
        let mut look = |file: &std::path::Path, what: String, fix: String| {
            seen += 1;
            if Fault::new(&Place::whole("a"), what.clone(), fix).page().code == OTHER.code {
                left.push(format!("{}: {what}", file.display()));
            }
        };
        while let Some(folder) = folders.pop() {
            for entry in std::fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() {
                    folders.push(path);
                    continue;
                }
                let text = std::fs::read_to_string(&path).unwrap();
                let text = text.split("#[cfg(test)]\nmod ").next().unwrap();
                for call in ["Fault::new(", ".fault("] {
                    for (at, _) in text.match_indices(call) {
                        let arguments = arguments(&text[at + call.len()..]);
                        // The fix is the last; before it stands what is wrong.
                        let Some([.., what, fix]) = arguments.get(arguments.len().saturating_sub(2)..).filter(|two| two.len() == 2) else { continue };
                        let Some(what) = literal(what) else { continue };
                        look(&path, what, literal(fix).unwrap_or_default());
                    }
                }
                for (at, begin) in text.match_indices("let what = ") {
                    // Only what a fault says in one of the next lines.
                    let said: String = text[at..].lines().take(7).collect();
                    let told = said.contains(".fault(") || said.contains("Fault::new(");
                    if let Some(what) = literal(&text[at + begin.len()..]).filter(|_| told) {
                        look(&path, what, String::new());
                    }
                }
            }
        }
        assert!(seen > 250, "only {seen} were found");
        assert!(left.is_empty(), "{} of {seen} have no page:\n{}", left.len(), left.join("\n"));
    }

    #[test]
    fn the_manual_is_as_the_table_has_it() {
        let manual = include_str!("../../../docs/faults.md");
        assert_eq!(manual, as_markdown(), "write it anew: estampie explain --markdown > docs/faults.md");
    }
}
