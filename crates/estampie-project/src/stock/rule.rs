//! The naming rule of a project's audio files, in words of its own: `place/thing_NN`.

/// A naming rule: words, what stands between them, and digits at the end.
///
/// A word (any letters but N) stands for a name of small letters, digits and `-`; each `N` for a digit; everything else for itself. Several rules, with commas
/// between them, may hold beside each other: a file is named by one of them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rule {
    text: String,
    /// Each rule by its parts.
    ways: Vec<Vec<Part>>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Part {
    Word,
    Digits(usize),
    Itself(char),
}

/// The rule of a project that says none.
pub const USUAL: &str = "place/thing_NN";

impl Default for Rule {
    fn default() -> Rule {
        Rule::read(USUAL).unwrap_or(Rule { text: String::new(), ways: Vec::new() })
    }
}

impl Rule {
    /// Reads a rule; `None` if one of its parts has no word.
    #[must_use]
    pub fn read(text: &str) -> Option<Rule> {
        let ways: Option<Vec<Vec<Part>>> = text.split(',').map(Rule::way).collect();
        Some(Rule { text: text.trim().to_owned(), ways: ways? })
    }

    fn way(text: &str) -> Option<Vec<Part>> {
        let mut parts: Vec<Part> = Vec::new();
        for c in text.trim().chars() {
            match (c, parts.last_mut()) {
                ('N', Some(Part::Digits(count))) => *count += 1,
                ('N', _) => parts.push(Part::Digits(1)),
                (c, Some(Part::Word)) if c.is_alphabetic() => {}
                (c, _) if c.is_alphabetic() => parts.push(Part::Word),
                (c, _) => parts.push(Part::Itself(c)),
            }
        }
        parts.contains(&Part::Word).then_some(parts)
    }

    /// As it is written.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// How many digits number the files of one thing.
    #[must_use]
    pub fn digits(&self) -> usize {
        self.ways.iter().flatten().find_map(|p| if let Part::Digits(n) = p { Some(*n) } else { None }).unwrap_or(0)
    }

    /// Whether a file's path below `audio/`, without its ending, is named by the rule. What there is only one of needs no number.
    #[must_use]
    pub fn fits(&self, stem: &str) -> bool {
        self.ways.iter().any(|parts| {
            let without = parts.len() - usize::from(matches!(parts.last(), Some(Part::Digits(_))));
            let bare = without - usize::from(without < parts.len() && matches!(parts.get(without.wrapping_sub(1)), Some(Part::Itself(_))));
            fits(parts, stem) || bare > 0 && bare < parts.len() && fits(&parts[..bare], stem)
        })
    }

    /// A name that fits, near to one that does not: in small letters, with `-` between words, and the number of its end in as many digits as there are.
    #[must_use]
    pub fn tidied(&self, stem: &str) -> Option<String> {
        let end = stem.trim_end_matches(|c: char| c.is_ascii_digit());
        let number = stem[end.len()..].parse::<u32>().ok();
        let mut name = String::new();
        for c in end.chars() {
            match c {
                '/' => name.push('/'),
                c if c.is_alphanumeric() => name.extend(c.to_lowercase().filter(char::is_ascii_alphanumeric)),
                _ if name.ends_with(['-', '/']) || name.is_empty() => {}
                _ => name.push('-'),
            }
        }
        let name = name.trim_end_matches('-');
        let before = self.ways.first()?.iter().rev().nth(1).and_then(|p| if let Part::Itself(c) = p { Some(*c) } else { None });
        let text = match (number, self.digits()) {
            (Some(number), digits) if digits > 0 => format!("{name}{}{number:0digits$}", before.map_or(String::new(), String::from)),
            _ => name.to_owned(),
        };
        self.fits(&text).then_some(text)
    }
}

fn fits(parts: &[Part], stem: &str) -> bool {
    match parts.split_first() {
        None => stem.is_empty(),
        Some((Part::Itself(c), rest)) => stem.strip_prefix(*c).is_some_and(|left| fits(rest, left)),
        Some((Part::Digits(count), rest)) => {
            stem.len() >= *count && stem.is_char_boundary(*count) && stem[..*count].chars().all(|c| c.is_ascii_digit()) && fits(rest, &stem[*count..])
        }
        Some((Part::Word, rest)) => {
            let of_word = |c: char| c.is_lowercase() || c.is_ascii_digit() || c == '-';
            let most = stem.find(|c| !of_word(c)).unwrap_or(stem.len());
            stem.starts_with(char::is_lowercase) && (1..=most).rev().filter(|at| stem.is_char_boundary(*at)).any(|at| fits(rest, &stem[at..]))
        }
    }
}

/// What a file is a take of: its path below `audio/` without ending and number, `step/plank` of `audio/step/plank_03.wav`.
#[must_use]
pub fn thing_of(file: &str) -> &str {
    let path = file.strip_prefix("audio/").unwrap_or(file);
    // Of a placeholder what it stands for.
    let path = path.split_once(super::placeholder::SIGN).map_or(path, |(stem, _)| stem);
    // A piece of a recording is a thing of its own only by what it is called in the stock: it counts for its file; and a version for what it is one of.
    let (stem, _) = super::version_of(super::file_of(path));
    let bare = stem.trim_end_matches(|c: char| c.is_ascii_digit());
    if bare.len() < stem.len() { bare.strip_suffix(['_', '-', ' ']).filter(|b| !b.is_empty()).unwrap_or(stem) } else { stem }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_rule_says_how_files_are_named() {
        let rule = Rule::default();
        for (stem, fine) in [
            ("step/plank_01", true),
            ("step/plank-wet_12", true),
            ("quay/buoy", true),
            ("step/Plank_01", false),
            ("step/plank_1", false),
            ("step/plank_001", false),
            ("plank_01", false),
            ("step/plank 01", false),
            ("step/deep/plank_01", false),
        ] {
            assert_eq!(rule.fits(stem), fine, "{stem}");
        }
        assert_eq!(rule.tidied("Step/Plank Wet 3"), Some("step/plank-wet_03".into()));
        assert_eq!(rule.tidied("step/Buoy"), Some("step/buoy".into()));
        assert_eq!(rule.tidied("plank"), None);
        // Several beside each other; the first says how what is otherwise should be called.
        let both = Rule::read("place/thing_NN, place/section_part").unwrap();
        assert!(both.fits("music/drift_reed") && both.fits("step/plank_01") && !both.fits("music/drift_reed_x") && !Rule::default().fits("music/drift_reed"));
        assert_eq!((both.tidied("Step/Plank 3"), Rule::read("place/thing, ")), (Some("step/plank_03".into()), None));
        let other = Rule::read("thing-NNN").unwrap();
        assert!(other.fits("knock-007") && !other.fits("knock_007") && other.digits() == 3 && Rule::read("NN_").is_none());
    }

    #[test]
    fn files_that_differ_in_their_number_are_takes_of_one_thing() {
        for (file, thing) in [
            ("audio/step/plank_03.wav", "step/plank"),
            ("audio/quay/buoy.flac", "quay/buoy"),
            ("audio/a/b-2.ogg", "a/b"),
            ("audio/a/mk2.wav", "a/mk2"),
            ("audio/a/7.wav", "a/7"),
        ] {
            assert_eq!(thing_of(file), thing);
        }
    }

    proptest! {
        #[test]
        fn what_is_tidied_fits_and_stays(stem in "[A-Za-z /_-]{0,16}[0-9]{0,3}") {
            let rule = Rule::default();
            if let Some(tidy) = rule.tidied(&stem) {
                prop_assert!(rule.fits(&tidy));
                prop_assert_eq!(rule.tidied(&tidy), Some(tidy.clone()));
            }
        }
    }
}
