//! Pieces of audio files: from where to where a recording is played, how it fades, and where it loops, without touching its file.

/// What a project says of how much of an audio file is played, and how it comes round. Moments are in seconds from the start of the file.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Trim {
    /// Where it begins.
    pub from: f64,
    /// Where it ends; `None` at the end of the file.
    pub to: Option<f64>,
    /// Seconds in which it fades in; 0 is none.
    pub fade_in: f64,
    /// Seconds in which it fades out; 0 is none.
    pub fade_out: f64,
    /// From where to where it loops; `None` as the file says.
    pub looped: Option<(f64, f64)>,
    /// Seconds in which the end of the loop is cross-faded into what lies before its beginning; 0 is none.
    pub seam: f64,
}

/// The words after which the parts of a trim are written.
pub const TRIM_WORDS: [&str; 6] = ["from", "to", "fade-in", "fade-out", "loop", "seam"];

/// Seconds to the microsecond: less than a tenth of a sample.
#[must_use]
pub fn exact_seconds(seconds: f64) -> String {
    let text = format!("{seconds:.6}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

impl Trim {
    /// Whether it makes a clip of its own. What only begins later is the whole file, entered there.
    #[must_use]
    pub fn makes_a_piece(&self) -> bool {
        Trim { from: 0.0, ..*self } != Trim::default()
    }

    /// As it stands after a take's path: `["from 0.5 s", "fade-out 0.03 s"]`.
    #[must_use]
    pub fn options(&self) -> Vec<String> {
        let time = |word: &str, seconds: f64| (seconds > 0.0).then(|| format!("{word} {} s", exact_seconds(seconds)));
        let looped = self.looped.map(|(a, b)| format!("loop {}..{} s", exact_seconds(a), exact_seconds(b)));
        let to = self.to.and_then(|to| time("to", to));
        let all = [time("from", self.from), to, time("fade-in", self.fade_in), time("fade-out", self.fade_out), looped, time("seam", self.seam)];
        all.into_iter().flatten().collect()
    }

    /// What is wrong with it, and what to write instead; `None` if it can be.
    #[must_use]
    pub fn wrong(&self) -> Option<(String, &'static str)> {
        if let Some(to) = self.to.filter(|to| *to <= self.from) {
            return Some((format!("this take ends at {to} s, and begins at {} s", self.from), "let it end after it begins: from 0.5 s, to 1.2 s"));
        }
        let Some((begin, end)) = self.looped else {
            return (self.seam > 0.0).then(|| ("a seam is that of a loop, and none is said".to_owned(), "say where it loops too: loop 0.5..3 s, seam 20 ms"));
        };
        if end - begin < SHORTEST_LOOP {
            return Some((format!("a loop from {begin} s to {end} s is too short"), "let it be a millisecond at least: loop 0.5..3 s"));
        }
        let outside = begin < self.from || self.to.is_some_and(|to| end > to);
        outside.then(|| (format!("the loop from {begin} s to {end} s is not within what is played"), "let from and to lie around it"))
    }
}

/// No loop is shorter, in seconds.
const SHORTEST_LOOP: f64 = 0.001;

/// A piece of a file. Its name says all of it: `audio/step/planks.wav from 0.5 s to 1.25 s`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Cut<'a> {
    /// The file that it is cut out of.
    pub file: &'a str,
    /// What of it is played, and how.
    pub trim: Trim,
}

impl<'a> Cut<'a> {
    /// What it is called, and is loaded by.
    #[must_use]
    pub fn name(&self) -> String {
        let Trim { from, to, fade_in, fade_out, looped, seam } = self.trim;
        let mut name = format!("{} from {from} s to {}", self.file, to.map_or("end".to_owned(), |to| format!("{to} s")));
        for (word, seconds) in [("in", fade_in), ("out", fade_out)] {
            if seconds > 0.0 {
                name.push_str(&format!(" {word} {seconds} s"));
            }
        }
        if let Some((begin, end)) = looped {
            name.push_str(&format!(" loop {begin} s to {end} s"));
        }
        if seam > 0.0 {
            name.push_str(&format!(" seam {seam} s"));
        }
        name
    }

    /// Reads a name; `None` if it is that of a whole file.
    #[must_use]
    pub fn read(name: &'a str) -> Option<Cut<'a>> {
        let mut rest = name;
        let seam = last(&mut rest, " seam ").unwrap_or(0.0);
        let looped = last_two(&mut rest);
        let (fade_out, fade_in) = (last(&mut rest, " out ").unwrap_or(0.0), last(&mut rest, " in ").unwrap_or(0.0));
        let (rest, to) = match rest.strip_suffix(" s to end") {
            Some(rest) => (rest, None),
            None => {
                let (rest, to) = rest.strip_suffix(" s")?.rsplit_once(" s to ")?;
                (rest, Some(to.parse().ok()?))
            }
        };
        let (file, from) = rest.rsplit_once(" from ")?;
        Some(Cut { file, trim: Trim { from: from.parse().ok()?, to, fade_in, fade_out, looped, seam } })
    }
}

/// Takes ` word 1.5 s` off the end of a name.
fn last(rest: &mut &str, word: &str) -> Option<f64> {
    let (before, seconds) = rest.strip_suffix(" s")?.rsplit_once(word)?;
    let seconds = seconds.parse().ok()?;
    *rest = before;
    Some(seconds)
}

/// Takes ` loop 1 s to 2 s` off the end of a name.
fn last_two(rest: &mut &str) -> Option<(f64, f64)> {
    let (before, end) = rest.strip_suffix(" s")?.rsplit_once(" s to ")?;
    let (before, begin) = before.rsplit_once(" loop ")?;
    let both = (begin.parse().ok()?, end.parse().ok()?);
    *rest = before;
    Some(both)
}

/// A take's name as people read it in a list: its file without folder, and from where to where it is played, if it is not all of it.
#[must_use]
pub fn take_words(name: &str) -> String {
    let short = |file: &str| file.rsplit('/').next().unwrap_or(file).to_owned();
    let Some(Cut { file, trim }) = Cut::read(name) else { return short(name) };
    match (trim.from > 0.0, trim.to) {
        (false, None) => short(file),
        (true, None) => format!("{} from {} s", short(file), exact_seconds(trim.from)),
        (_, Some(to)) => format!("{} {}..{} s", short(file), exact_seconds(trim.from), exact_seconds(to)),
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

    /// Any trim that can be.
    fn trims() -> impl Strategy<Value = Trim> {
        let time = || prop_oneof![Just(0.0), 0.001..2.0f64];
        let shares = (0.0..0.5f64, 0.5..1.0f64, 0.01..0.3f64, 0.6..0.99f64);
        (0.0..900.0f64, 1.0..100.0f64, any::<(bool, bool)>(), time(), time(), time(), shares).prop_map(
            |(from, length, (ends, loops), fade_in, fade_out, seam, shares)| {
                let (a, b) = (from + length * shares.2, from + length * shares.3);
                let to = (ends || !loops).then_some(from + length);
                Trim { from, to, fade_in, fade_out, looped: loops.then_some((a, b)), seam: if loops { seam } else { 0.0 } }
            },
        )
    }

    proptest! {
        #[test]
        fn a_name_says_what_is_cut(file in "audio/[a-z ]{1,9}( from )?[a-z]{0,3}\\.(wav|flac)", trim in trims()) {
            let cut = Cut { file: &file, trim };
            let name = cut.name();
            prop_assert_eq!(Cut::read(&name), Some(cut));
            prop_assert_eq!(Cut::read(&file), None);
            prop_assert_eq!((file_of(&name), file_of(&file)), (file.as_str(), file.as_str()));
            prop_assert!(trim.makes_a_piece() && trim.wrong().is_none());
        }
    }

    #[test]
    fn people_read_what_is_played_of_a_file() {
        let named = |trim| take_words(&Cut { file: "audio/step/plank.wav", trim }.name());
        let plain = Trim::default();
        assert_eq!(named(Trim { looped: Some((0.5, 1.0)), ..plain }), "plank.wav");
        assert_eq!(named(Trim { from: 0.25, fade_in: 0.1, ..plain }), "plank.wav from 0.25 s");
        assert_eq!(named(Trim { from: 0.25, to: Some(1.5), ..plain }), "plank.wav 0.25..1.5 s");
        assert_eq!((take_words("audio/a b.flac"), take_words("bell")), ("a b.flac".to_owned(), "bell".to_owned()));
    }

    #[test]
    fn what_cannot_be_is_told() {
        let plain = Trim::default();
        assert!(!plain.makes_a_piece() && !Trim { from: 2.0, ..plain }.makes_a_piece());
        let told = |trim: Trim| trim.wrong().map(|(what, _)| what);
        assert_eq!(told(Trim { from: 2.0, to: Some(2.0), ..plain }).unwrap(), "this take ends at 2 s, and begins at 2 s");
        assert_eq!(told(Trim { seam: 0.1, ..plain }).unwrap(), "a seam is that of a loop, and none is said");
        assert_eq!(told(Trim { looped: Some((1.0, 1.0005)), ..plain }).unwrap(), "a loop from 1 s to 1.0005 s is too short");
        for (from, to, inside) in [(0.5, Some(2.0), true), (0.6, None, false), (0.0, Some(1.9), false), (0.0, None, true)] {
            assert_eq!(told(Trim { from, to, looped: Some((0.5, 2.0)), ..plain }).is_none(), inside, "{from} {to:?}");
        }
        let all = Trim { from: 0.5, to: Some(3.0), fade_in: 0.005, fade_out: 0.03, looped: Some((1.0, 2.000_021)), seam: 0.02 };
        assert_eq!(all.options(), ["from 0.5 s", "to 3 s", "fade-in 0.005 s", "fade-out 0.03 s", "loop 1..2.000021 s", "seam 0.02 s"]);
        assert!(all.options().iter().zip(TRIM_WORDS).all(|(option, word)| option.split(' ').next() == Some(word)));
    }
}
