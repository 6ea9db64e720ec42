//! Parts of the bundle: sounds and pieces whose audio a game loads and unloads while it plays.

use super::Document;
use super::fields::{Fields, Located};
use super::patterns::matches;
use crate::fault::Place;
use estampie_engine::units::ValueError;

/// `[bundles.NAME]`.
#[derive(Debug, Clone, PartialEq)]
pub struct BundlePartDoc {
    /// Its name.
    pub name: String,
    /// Names of sounds, and of pieces as `music/PIECE`, in which `*` is any number of letters between two `/`.
    pub holds: Vec<Located<String>>,
    /// How much memory its audio may take when it is loaded, in bytes.
    pub budget: Option<Located<u64>>,
    /// Where it is written.
    pub place: Place,
}

/// `[encoding.NAME]`.
#[derive(Debug, Clone, PartialEq)]
pub struct EncodingDoc {
    /// Its name.
    pub name: String,
    /// Audio files, in which `*` is any number of letters between two `/`.
    pub files: Vec<Located<String>>,
    /// How it is stored, if it says so.
    pub stored: Option<StoredAs>,
    /// Whether it is streamed, if it says so.
    pub streamed: Option<bool>,
}

/// How audio is stored in a bundle.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub enum StoredAs {
    /// Without loss, as small as it gets.
    #[default]
    Lossless,
    /// As its file is, where a game can read that and it gives the same samples; else without loss.
    Original,
    /// As Ogg Vorbis of a quality from 0 to 10.
    Vorbis(f32),
}

impl EncodingDoc {
    /// Whether it names a file.
    #[must_use]
    pub fn is_of(&self, file: &str) -> bool {
        self.files.iter().any(|f| matches(&f.value, file))
    }
}

/// How an audio file is stored, and whether it is streamed. Of several that say so the last counts.
#[must_use]
pub fn storing_of(encodings: &[EncodingDoc], file: &str) -> (StoredAs, bool) {
    let of = || encodings.iter().rev().filter(|e| e.is_of(file));
    (of().find_map(|e| e.stored).unwrap_or_default(), of().find_map(|e| e.streamed).unwrap_or(false))
}

/// The words of `as`.
const STORED: &str = "\"lossless\", \"original\", or \"vorbis 6\" with a quality from 0 to 10";

fn read_encoding(text: &str) -> Result<StoredAs, ValueError> {
    let wrong = || ValueError::not(text, STORED);
    match text.trim() {
        "lossless" => return Ok(StoredAs::Lossless),
        "original" => return Ok(StoredAs::Original),
        _ => {}
    }
    let quality: f32 = text.trim().strip_prefix("vorbis").and_then(|rest| rest.trim().parse().ok()).ok_or_else(wrong)?;
    if (0.0..=10.0).contains(&quality) { Ok(StoredAs::Vorbis(quality)) } else { Err(wrong()) }
}

/// Reads `[encoding.NAME]` of `estampie.toml`.
pub(super) fn read_encodings(top: &Fields<'_>) -> Vec<EncodingDoc> {
    let mut encodings = Vec::new();
    for (name, item, place) in top.entries("encoding") {
        let Some(fields) = top.inside("encoding", item, format!("the encoding {name}"), place.clone()) else { continue };
        let files = fields.texts("files").unwrap_or_default();
        if files.is_empty() {
            top.reading().fault(&place, format!("the encoding {name} is of no files"), "write files = [\"audio/music/*\"]");
        }
        let stored = fields.read("as", STORED, read_encoding);
        let streamed = fields.yes("streamed");
        if fields.item("as").is_none() && fields.item("streamed").is_none() {
            top.reading().fault(&place, format!("the encoding {name} does not say how"), "write as = \"vorbis 6\", or streamed = true");
        }
        fields.finish();
        encodings.push(EncodingDoc { name, files, stored: stored.map(|s| s.value), streamed: streamed.map(|s| s.value) });
    }
    encodings
}

/// What becomes of a project that goes over its budget.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Over {
    /// It is told where one looks at the budget.
    #[default]
    Say,
    /// It is told wherever the project is checked.
    Warn,
    /// It is a fault: no bundle is made.
    Refuse,
}

impl Over {
    /// All, by their words.
    pub(super) const WORDS: [&'static str; 3] = ["say", "warn", "refuse"];
}

/// `[budget]`: how much the project may cost.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct BudgetDoc {
    /// The most pieces of audio that are played.
    pub files: Option<u64>,
    /// The most memory that they take when all are loaded, in bytes.
    pub memory: Option<u64>,
    /// The most bytes of audio in the bundle.
    pub bundle: Option<u64>,
    /// The most voices that sound at once.
    pub voices: Option<u64>,
    /// What becomes of a project that goes over it.
    pub over: Over,
    /// Where it is written, if it is.
    pub place: Option<Place>,
}

/// Reads `[budget]` of `estampie.toml`.
pub(super) fn read_budget(top: &Fields<'_>) -> BudgetDoc {
    let Some((item, place)) = top.item("budget") else { return BudgetDoc::default() };
    let Some(fields) = top.inside("budget", item, "the budget".to_owned(), place.clone()) else { return BudgetDoc::default() };
    const SIZE: &str = "a size from 1 kB to 1000 GB, like \"24 MB\"";
    let over = fields.read("over", "\"say\", \"warn\" or \"refuse\"", |text| {
        let at = Over::WORDS.iter().position(|word| *word == text.trim()).ok_or_else(|| ValueError::not(text, "say, warn or refuse"))?;
        Ok([Over::Say, Over::Warn, Over::Refuse][at])
    });
    let budget = BudgetDoc {
        files: fields.whole("files", 1, 1_000_000).map(|n| n.value as u64),
        memory: fields.read("memory", SIZE, read_size).map(|s| s.value),
        bundle: fields.read("bundle", SIZE, read_size).map(|s| s.value),
        voices: fields.whole("voices", 1, 4096).map(|n| n.value as u64),
        over: over.map(|o| o.value).unwrap_or_default(),
        place: Some(place),
    };
    fields.finish();
    budget
}

/// Before the name of a piece.
pub(crate) const PIECE: &str = "music/";

impl BundlePartDoc {
    /// Whether it holds a sound.
    #[must_use]
    pub fn holds_sound(&self, name: &str) -> bool {
        self.holds.iter().any(|h| matches(&h.value, name))
    }

    /// Whether it holds a piece.
    #[must_use]
    pub fn holds_piece(&self, name: &str) -> bool {
        let name = format!("{PIECE}{name}");
        self.holds.iter().any(|h| matches(&h.value, &name))
    }
}

/// Whether a pattern of a part holds anything of a project.
pub(crate) fn holds_any(document: &Document, pattern: &str) -> bool {
    document.sounds.iter().any(|s| matches(pattern, &s.name)) || document.music.pieces.iter().any(|p| matches(pattern, &format!("{PIECE}{}", p.name)))
}

/// Reads a size, as `24 MB` or `800 kB`, in bytes: a thousand of the smaller are one of the larger.
///
/// # Errors
/// With what is wrong, as a sentence.
pub fn read_size(text: &str) -> Result<u64, ValueError> {
    let trimmed = text.trim();
    let (number, factor) = ["GB", "MB", "kB"]
        .iter()
        .zip([1e9, 1e6, 1e3])
        .find_map(|(unit, factor)| Some((trimmed.strip_suffix(unit)?, factor)))
        .ok_or_else(|| ValueError::not(trimmed, "a size, like \"24 MB\""))?;
    let value = number.trim().parse::<f64>().map_err(|_| ValueError::not(trimmed, "a size, like \"24 MB\""))? * factor;
    if (1e3..=1e12).contains(&value) { Ok(value.round() as u64) } else { Err(format!("{trimmed} is out of range").into()) }
}

/// Reads `[bundles.NAME]` of `estampie.toml`.
pub(super) fn read_parts(top: &Fields<'_>) -> Vec<BundlePartDoc> {
    let mut parts = Vec::new();
    for (name, item, place) in top.entries("bundles") {
        let Some(fields) = top.inside("bundles", item, format!("the part {name} of the bundle"), place.clone()) else { continue };
        let holds = fields.texts("holds").unwrap_or_default();
        if holds.is_empty() {
            top.reading().fault(&place, format!("the part {name} of the bundle holds nothing"), "write holds = [\"streets/*\", \"music/tidewalk\"]");
        }
        let budget = fields.read("budget", "a size from 1 kB to 1000 GB, like \"24 MB\"", read_size);
        fields.finish();
        parts.push(BundlePartDoc { name, holds, budget, place });
    }
    parts
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::Sources;

    #[test]
    fn parts_are_read_and_hold_by_patterns() {
        let text = "format = 1\n[bundles.harbour]\nholds = [\"quay/*\", \"bell\", \"music/tide*\"]\nbudget = \"1.5 MB\"\n";
        let (document, faults) = Document::read(&Sources::from_texts([("estampie.toml", text)]), &Default::default());
        assert_eq!(faults, vec![]);
        let part = &document.manifest.parts[0];
        assert_eq!((part.name.as_str(), part.budget.as_ref().unwrap().value), ("harbour", 1_500_000));
        for (sound, held) in [("quay/lap", true), ("bell", true), ("quay", false), ("bells", false), ("a/quay/lap", false)] {
            assert_eq!(part.holds_sound(sound), held, "{sound}");
        }
        assert!(part.holds_piece("tidewalk") && !part.holds_piece("dread") && !part.holds_sound("tidewalk"));
    }

    #[test]
    fn what_is_wrong_is_said_with_its_place() {
        let text = "format = 1\n[bundles.a]\nbudget = \"24 tons\"\n[bundles.b]\nholds = [3]\n";
        let (_, faults) = Document::read(&Sources::from_texts([("estampie.toml", text)]), &Default::default());
        let said: Vec<String> = faults.iter().map(|f| format!("{} {}", f.place.line, f.what)).collect();
        assert!(said.iter().any(|s| s.contains("the part a of the bundle holds nothing")), "{said:?}");
        assert!(said.iter().any(|s| s.starts_with("3 budget of the part a of the bundle") && s.contains("24 tons")), "{said:?}");
        assert!(said.iter().any(|s| s.contains("holds of the part b of the bundle is not a list of texts")), "{said:?}");
    }

    #[test]
    fn encodings_are_read_and_of_several_the_last_counts() {
        let text = "format = 1\n[encoding.all]\nfiles = [\"audio/*/*\", \"audio/*\"]\nas = \"vorbis 3.5\"\n[encoding.hull]\nfiles = [\"audio/hull/*\"]\nas = \"lossless\"\n[encoding.long]\nfiles = [\"audio/hull/*\", \"b.ogg\"]\nstreamed = true\n[encoding.b]\nfiles = [\"b.ogg\"]\nas = \"original\"\n";
        let (document, faults) = Document::read(&Sources::from_texts([("estampie.toml", text)]), &Default::default());
        assert_eq!(faults, vec![]);
        let of = |file: &str| storing_of(&document.manifest.encodings, file);
        for (file, stored) in [
            ("audio/a.wav", (StoredAs::Vorbis(3.5), false)),
            ("audio/step/a.wav", (StoredAs::Vorbis(3.5), false)),
            ("audio/hull/a.wav", (StoredAs::Lossless, true)),
            ("a.wav", (StoredAs::Lossless, false)),
            ("b.ogg", (StoredAs::Original, true)),
        ] {
            assert_eq!(of(file), stored, "{file}");
        }
        let wrong = "format = 1\n[encoding.a]\nas = \"mp3\"\n[encoding.b]\nfiles = [\"x\"]\n[encoding.c]\nfiles = [\"x\"]\nas = \"vorbis 11\"\n";
        let (_, faults) = Document::read(&Sources::from_texts([("estampie.toml", wrong)]), &Default::default());
        let said: Vec<String> = faults.iter().map(|f| format!("{} {}", f.place.line, f.what)).collect();
        for words in ["the encoding a is of no files", "3 as of the encoding a", "the encoding b does not say how", "8 as of the encoding c"] {
            assert!(said.iter().any(|s| s.contains(words)), "{words}: {said:?}");
        }
    }

    #[test]
    fn a_budget_is_read() {
        let text = "format = 1\n[budget]\nfiles = 300\nmemory = \"40 MB\"\nvoices = 32\nover = \"refuse\"\n";
        let (document, faults) = Document::read(&Sources::from_texts([("estampie.toml", text)]), &Default::default());
        let budget = &document.manifest.budget;
        assert_eq!((faults, budget.files, budget.memory, budget.bundle), (vec![], Some(300), Some(40_000_000), None));
        assert_eq!((budget.voices, budget.over, budget.place.as_ref().map(|p| p.line)), (Some(32), Over::Refuse, Some(2)));
        let wrong = "format = 1\n[budget]\nfiles = 0\nmemory = \"much\"\nover = \"shout\"\n";
        let (_, faults) = Document::read(&Sources::from_texts([("estampie.toml", wrong)]), &Default::default());
        let lines: std::collections::BTreeSet<u32> = faults.iter().map(|f| f.place.line).collect();
        assert_eq!(lines, [3, 4, 5].into(), "{faults:?}");
    }

    #[test]
    fn sizes_are_read_in_thousands() {
        for (text, bytes) in [("24 MB", 24_000_000), ("800kB", 800_000), ("0.5 GB", 500_000_000), ("1 kB", 1000)] {
            assert_eq!(read_size(text), Ok(bytes));
        }
        for text in ["24", "MB", "-1 MB", "0.1 kB", "nan MB", "9999 GB"] {
            assert!(read_size(text).is_err(), "{text}");
        }
    }
}
