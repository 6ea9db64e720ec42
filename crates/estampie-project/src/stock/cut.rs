//! Pieces of audio files: what is cut out of a recording without touching its file.

/// From where to where a piece of a file goes. Its name says so: `audio/step/planks.wav from 0.5 s to 1.25 s`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Cut<'a> {
    /// The file that it is cut out of.
    pub file: &'a str,
    /// Where it begins and where it ends, in seconds from the start of the file.
    pub from: f64,
    /// See `from`.
    pub to: f64,
}

impl<'a> Cut<'a> {
    /// What it is called, and is loaded by.
    #[must_use]
    pub fn name(&self) -> String {
        format!("{} from {} s to {} s", self.file, self.from, self.to)
    }

    /// Reads a name; `None` if it is that of a whole file.
    #[must_use]
    pub fn read(name: &'a str) -> Option<Cut<'a>> {
        let (rest, to) = name.strip_suffix(" s")?.rsplit_once(" s to ")?;
        let (file, from) = rest.rsplit_once(" from ")?;
        Some(Cut { file, from: from.parse().ok()?, to: to.parse().ok()? })
    }
}

/// The file in which what has a name lies: itself, or what it is cut out of.
#[must_use]
pub fn file_of(name: &str) -> &str {
    Cut::read(name).map_or(name, |cut| cut.file)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_name_says_what_is_cut(file in "audio/[a-z ]{1,9}( from )?[a-z]{0,3}\\.(wav|flac)", from in 0.0..900.0f64, length in 0.001..100.0f64) {
            let cut = Cut { file: &file, from, to: from + length };
            let name = cut.name();
            prop_assert_eq!(Cut::read(&name), Some(cut));
            prop_assert_eq!(Cut::read(&file), None);
            prop_assert_eq!((file_of(&name), file_of(&file)), (file.as_str(), file.as_str()));
        }
    }
}
