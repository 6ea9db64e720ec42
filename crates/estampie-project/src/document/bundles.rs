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
    fn sizes_are_read_in_thousands() {
        for (text, bytes) in [("24 MB", 24_000_000), ("800kB", 800_000), ("0.5 GB", 500_000_000), ("1 kB", 1000)] {
            assert_eq!(read_size(text), Ok(bytes));
        }
        for text in ["24", "MB", "-1 MB", "0.1 kB", "nan MB", "9999 GB"] {
            assert!(read_size(text).is_err(), "{text}");
        }
    }
}
