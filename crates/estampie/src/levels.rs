//! `levels.toml`: the levels that the player of the game sets, beside the project and outside version control.

use crate::aside;
use estampie_engine::mixer::spec::player_level;
use estampie_engine::names::NameKey;
use estampie_project::door;
use std::collections::BTreeMap;
use std::io;
use std::path::Path;

/// The file's name.
pub(crate) const FILE: &str = "levels.toml";

/// Levels by name, from 0 to 10.
pub(crate) type Levels = BTreeMap<String, f32>;

/// Reads the levels, and says what is wrong with the file: then the defaults count.
pub(crate) fn read(root: &Path) -> (Levels, Option<String>) {
    let text = match door::readable(root, FILE).and_then(std::fs::read_to_string) {
        Ok(text) => text,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return (Levels::new(), None),
        Err(error) => return (Levels::new(), Some(format!("{FILE} cannot be read ({error}); all levels are 10"))),
    };
    let toml: toml_edit::DocumentMut = match text.parse() {
        Ok(toml) => toml,
        Err(_) => return (Levels::new(), Some(format!("{FILE} is broken; all levels are 10, and setting one writes it anew"))),
    };
    let mut levels = Levels::new();
    let mut wrong = Vec::new();
    for (name, item) in toml.iter() {
        match item.as_float().or_else(|| item.as_integer().map(|n| n as f64)) {
            Some(value) if value.is_finite() => {
                levels.insert(name.to_owned(), player_level(value as f32));
            }
            _ => wrong.push(name.to_owned()),
        }
    }
    let notice = (!wrong.is_empty()).then(|| format!("{FILE}: {} is no number from 0 to 10; it is 10", wrong.join(", ")));
    (levels, notice)
}

/// Writes the levels, whole or not at all.
pub(crate) fn write(root: &Path, levels: &Levels) -> io::Result<()> {
    let mut toml = toml_edit::DocumentMut::new();
    for (name, value) in levels {
        toml.insert(name, toml_edit::value((f64::from(*value) * 10.0).round() / 10.0));
    }
    let path = door::inside(root, FILE)?;
    aside::put(&path, format!("# Levels that the player has set, 0 to 10.\n{toml}").as_bytes())
}

/// The levels as the engine takes them.
pub(crate) fn keys(levels: &Levels) -> Vec<(NameKey, f32)> {
    levels.iter().map(|(name, value)| (NameKey::of(name), *value)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn levels_come_back_clamped_and_a_broken_file_gives_defaults() {
        let folder = tempfile::tempdir().expect("a folder");
        assert_eq!(read(folder.path()), (Levels::new(), None));
        let levels: Levels = [("music".to_owned(), 7.3), ("voices".to_owned(), 0.0)].into();
        write(folder.path(), &levels).expect("written");
        assert_eq!(read(folder.path()), (levels, None));
        let put = |text: &str| std::fs::write(folder.path().join(FILE), text).expect("written");
        put("music = 99\nvoices = -3\nother = \"loud\"\n");
        let (levels, notice) = read(folder.path());
        assert_eq!((levels["music"], levels["voices"], levels.len()), (10.0, 0.0, 2));
        assert!(notice.is_some_and(|n| n.contains("other")));
        put("music = = 3");
        assert!(matches!(read(folder.path()), (levels, Some(notice)) if levels.is_empty() && notice.contains("broken")));
    }

    #[cfg(unix)]
    #[test]
    fn a_link_that_leads_out_is_neither_read_nor_written_through() {
        let (folder, elsewhere) = (tempfile::tempdir().expect("a folder"), tempfile::tempdir().expect("a folder"));
        let secret = elsewhere.path().join("secret.toml");
        std::fs::write(&secret, "music = 3\n").expect("written");
        std::os::unix::fs::symlink(&secret, folder.path().join(FILE)).expect("linked");
        assert!(matches!(read(folder.path()), (levels, Some(notice)) if levels.is_empty() && notice.contains("leads out of the project")));
        assert!(write(folder.path(), &[("music".to_owned(), 9.0)].into()).is_err());
        assert_eq!(std::fs::read_to_string(&secret).expect("there"), "music = 3\n");
    }
}
