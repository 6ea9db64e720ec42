//! Versions of recordings: `audio/step/plank_01.v2.wav` lies beside `audio/step/plank_01.wav` and takes its place, whatever names that; the older one stays as it is.

use std::collections::BTreeMap;

/// A file's path without its version and its ending, and its version: 1 if it has none.
#[must_use]
pub fn version_of(file: &str) -> (&str, u32) {
    let stem = file.rsplit_once('.').filter(|(_, ending)| !ending.contains('/')).map_or(file, |(stem, _)| stem);
    let of = |(base, number): (&'_ str, &'_ str)| -> Option<(usize, u32)> {
        let plain = !number.is_empty() && number.len() <= 4 && !number.starts_with('0') && number.bytes().all(|b| b.is_ascii_digit());
        let version = number.parse::<u32>().ok().filter(|n| plain && *n >= 2)?;
        Some((base.len(), version)).filter(|_| !base.is_empty() && !base.ends_with('/'))
    };
    stem.rsplit_once(".v").and_then(of).map_or((stem, 1), |(end, version)| (&stem[..end], version))
}

/// Files that a later version takes the place of, each with the latest.
#[must_use]
pub fn older<'a>(audio: impl Iterator<Item = &'a String> + Clone) -> BTreeMap<&'a str, &'a str> {
    let mut latest: BTreeMap<&str, (u32, &str)> = BTreeMap::new();
    for file in audio.clone().filter(|file| file.contains(".v")) {
        let (stem, version) = version_of(file);
        if version > 1 && latest.get(stem).is_none_or(|(known, _)| *known < version) {
            latest.insert(stem, (version, file));
        }
    }
    if latest.is_empty() {
        return BTreeMap::new();
    }
    audio
        .filter_map(|file| {
            let (stem, version) = version_of(file);
            latest.get(stem).filter(|(last, _)| *last > version).map(|(_, by)| (file.as_str(), *by))
        })
        .collect()
}

/// The name of the version after all that there are of a file, with an ending of its own, beside it.
#[must_use]
pub fn next_version<'a>(file: &str, ending: &str, audio: impl Iterator<Item = &'a String>) -> String {
    let (stem, own) = version_of(file);
    let most = audio.map(|other| version_of(other)).filter(|(other, _)| *other == stem).map(|(_, version)| version).max().unwrap_or(1);
    format!("{stem}.v{}.{ending}", most.max(own) + 1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn the_latest_version_takes_the_place_of_all_before_it() {
        for (file, read) in [
            ("audio/a_01.wav", ("audio/a_01", 1)),
            ("audio/a_01.v2.wav", ("audio/a_01", 2)),
            ("audio/a_01.v13.flac", ("audio/a_01", 13)),
            ("audio/a_01.v1.wav", ("audio/a_01.v1", 1)),
            ("audio/a_01.v02.wav", ("audio/a_01.v02", 1)),
            ("audio/a_01.vox.wav", ("audio/a_01.vox", 1)),
            ("audio/.v2.wav", ("audio/.v2", 1)),
            ("audio.v2/a", ("audio.v2/a", 1)),
        ] {
            assert_eq!(version_of(file), read, "{file}");
        }
        let audio: BTreeSet<String> = ["audio/a.flac", "audio/a.v2.wav", "audio/a.v10.wav", "audio/b.wav", "audio/c.v3.wav"].map(str::to_owned).into();
        let all = older(audio.iter());
        assert_eq!(all, [("audio/a.flac", "audio/a.v10.wav"), ("audio/a.v2.wav", "audio/a.v10.wav")].into());
        for (file, next) in [
            ("audio/a.flac", "audio/a.v11.wav"),
            ("audio/a.v2.wav", "audio/a.v11.wav"),
            ("audio/b.wav", "audio/b.v2.wav"),
            ("audio/c.v3.wav", "audio/c.v4.wav"),
        ] {
            assert_eq!(next_version(file, "wav", audio.iter()), next);
        }
    }
}
