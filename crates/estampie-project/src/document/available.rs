//! The audio that a project's files can name: what there is, and what stands in for what is not made yet, a placeholder for each file that an item of the stock will
//! have.

use super::patterns::matches;
use crate::stock::{Item, Placeholder, Rule, older, thing_of};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Bound;

/// The placeholders of a project, by the paths of the files that they stand for, without endings.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct StandIns(BTreeMap<String, Placeholder>);

/// A path without its ending.
fn stem_of(path: &str) -> &str {
    path.rsplit_once('.').filter(|(_, ending)| !ending.contains('/')).map_or(path, |(stem, _)| stem)
}

impl StandIns {
    /// For all items of which there is no file yet.
    pub(super) fn of<'a>(items: impl IntoIterator<Item = &'a Item>, audio: &BTreeSet<String>, rule: &Rule) -> StandIns {
        let there: BTreeSet<&str> = audio.iter().map(|file| thing_of(file)).collect();
        let digits = rule.digits().max(1);
        let mut all = BTreeMap::new();
        for item in items.into_iter().filter(|item| !there.contains(item.name.as_str())) {
            for number in 1..=item.variations.max(1) {
                let stem = if item.variations > 1 { format!("audio/{}_{number:0digits$}", item.name) } else { format!("audio/{}", item.name) };
                all.insert(stem.clone(), Placeholder::of(item, &stem));
            }
        }
        StandIns(all)
    }

    /// What stands in for a file that is not there.
    pub(super) fn find(&self, path: &str) -> Option<&Placeholder> {
        self.0.get(stem_of(path))
    }

    /// What stands in for the files of a pattern, if there are none.
    pub(super) fn matching<'a>(&'a self, pattern: &'a str) -> impl Iterator<Item = &'a Placeholder> {
        let stem = stem_of(pattern);
        let begins = stem.split('*').next().unwrap_or_default();
        let near = self.0.range::<str, _>((Bound::Included(begins), Bound::Unbounded)).take_while(move |(path, _)| path.starts_with(begins));
        near.filter(move |(path, _)| matches(stem, path)).map(|(_, placeholder)| placeholder)
    }
}

/// The audio that files can name: what there is, and what stands in for what is not made yet.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Available {
    files: BTreeSet<String>,
    /// Files in whose place there is a later version, each with the latest.
    older: BTreeMap<String, String>,
    stand_ins: StandIns,
}

impl Available {
    pub(super) fn new(files: BTreeSet<String>, stand_ins: StandIns) -> Available {
        let older = older(files.iter()).into_iter().map(|(file, by)| (file.to_owned(), by.to_owned())).collect();
        Available { files, older, stand_ins }
    }

    /// Whether it is of these files.
    pub(super) fn is_of(&self, files: &BTreeSet<String>) -> bool {
        self.files == *files
    }

    /// Whether it is of these files and stand-ins.
    pub(super) fn is_the_same(&self, files: &BTreeSet<String>, stand_ins: &StandIns) -> bool {
        self.is_of(files) && self.stand_ins == *stand_ins
    }

    /// A file by its path, or what stands in for it.
    pub(super) fn find(&self, path: &str) -> Option<String> {
        if let Some(latest) = self.older.get(path) {
            return Some(latest.clone());
        }
        if self.files.contains(path) { Some(path.to_owned()) } else { self.stand_ins.find(path).map(Placeholder::name) }
    }

    /// The files of a pattern, or what stands in for them.
    pub(super) fn matching(&self, pattern: &str) -> Vec<String> {
        // Only what begins like it is looked at: of twenty thousand files a handful.
        let begins = pattern.split('*').next().unwrap_or_default();
        let near = self.files.range::<str, _>((Bound::Included(begins), Bound::Unbounded)).take_while(|file| file.starts_with(begins));
        // A pattern with an ending stands for a later version with another, too.
        let found: BTreeSet<String> = near.filter(|file| matches(pattern, file)).map(|file| self.older.get(file).unwrap_or(file).clone()).collect();
        if found.is_empty() { self.stand_ins.matching(pattern).map(Placeholder::name).collect() } else { found.into_iter().collect() }
    }

    /// The files that there are.
    pub(super) fn iter(&self) -> impl Iterator<Item = &String> {
        self.files.iter()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn item(text: &str) -> Item {
        crate::stock::read(&format!("name,kind,variations,channels,length,loudness\n{text}\n"), &BTreeMap::new()).0.items[0].clone()
    }

    #[test]
    fn what_has_no_file_yet_is_found_by_path_and_by_pattern() {
        let items = [item("step/plank,one-shot,3,mono,0.3 s,-20"), item("quay/bed,bed,,,,"), item("sonar/ping,one-shot,,,,")];
        let audio = ["audio/sonar/ping.wav".to_owned()].into();
        let all = StandIns::of(&items, &audio, &Rule::default());
        let names = |pattern: &str| all.matching(pattern).map(Placeholder::name).collect::<Vec<_>>();
        assert_eq!(names("audio/step/plank_*.flac")[0], "audio/step/plank_01.placeholder (one-shot, 0.3 s, -20 LUFS, mono)");
        assert_eq!((names("audio/step/plank_*.flac").len(), names("audio/step/plank_*").len(), names("audio/*/b*.wav").len()), (3, 3, 1));
        assert!(all.find("audio/quay/bed.ogg").is_some() && all.find("audio/sonar/ping.wav").is_none() && all.find("audio/step/plank_04.wav").is_none());
    }

    #[test]
    fn a_later_version_is_found_by_every_name_of_what_it_is_a_version_of() {
        let files = ["audio/a_01.flac", "audio/a_01.v2.wav", "audio/a_01.v3.wav", "audio/a_02.flac"].map(str::to_owned);
        let available = Available::new(files.clone().into(), StandIns::default());
        for pattern in ["audio/a_*", "audio/a_*.flac"] {
            assert_eq!(available.matching(pattern), [files[2].clone(), files[3].clone()]);
        }
        for name in &files[..3] {
            assert_eq!(available.find(name), Some(files[2].clone()));
        }
        assert_eq!(available.find(&files[3]), Some(files[3].clone()));
    }

    proptest! {
        /// Looking only at what begins like a pattern finds what looking at everything finds.
        #[test]
        fn a_pattern_stands_for_all_files_that_fit_it(
            files in prop::collection::btree_set("audio/[ab]{0,2}(/[ab_]{1,3})?(\\.wav)?", 0..30),
            pattern in "(audio/)?[ab*]{0,3}(/[ab_*]{0,3})?(\\.wav|\\.\\*)?",
        ) {
            let available = Available::new(files.clone(), StandIns::default());
            let plain: Vec<String> = files.iter().filter(|file| matches(&pattern, file)).cloned().collect();
            prop_assert_eq!(available.matching(&pattern), plain);
        }
    }
}
