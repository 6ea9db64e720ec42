//! Audio that is ready to sound: in memory, or the head of it with the rest in pages.

use super::names::NameKey;
use super::pages::HEAD;

/// An audio file ready to sound: at the project's rate, one or two channels.
#[derive(Debug)]
pub struct Clip {
    /// Its path in the project.
    pub name: String,
    /// The key of its path.
    pub key: NameKey,
    /// The samples of each channel, all of one length: all of them, or the head of what is streamed.
    pub channels: Vec<Samples>,
    /// Where the rest comes from, if this is only the head.
    pub streamed: Option<Streamed>,
    /// The hash of what it was made of, where its own samples do not tell: it is streamed, or came back otherwise than it was.
    pub content: Option<u128>,
    /// First frame of the loop and the one after its last, if the file says so.
    pub loop_points: Option<(usize, usize)>,
    /// Mean level in dB below full scale (RMS over the file and all channels).
    pub level_db: f32,
}

/// What a sample of 16 bits is times, as a number from −1 to 1.
const SIXTEEN: f32 = 32_768.0;

/// The samples of one channel, as 16 bits where that is all that they are: half the memory, and the same to the bit.
#[derive(Debug, Clone, PartialEq)]
pub enum Samples {
    /// In steps of 1/32,768.
    Sixteen(Box<[i16]>),
    /// As they are.
    Float(Box<[f32]>),
}

impl Samples {
    /// Keeps samples, each to the bit.
    #[must_use]
    pub fn of(samples: Vec<f32>) -> Samples {
        // Nothing times a negative number is one that 16 bits do not know: it stays as it is.
        let sixteen = |s: &f32| (s * SIXTEEN) as i16;
        if samples.iter().all(|s| (f32::from(sixteen(s)) / SIXTEEN).to_bits() == s.to_bits()) {
            return Samples::Sixteen(samples.iter().map(sixteen).collect());
        }
        Samples::Float(samples.into_boxed_slice())
    }

    /// How many there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.all().len()
    }

    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// All of them, to be read.
    #[must_use]
    pub fn all(&self) -> Span<'_> {
        match self {
            Samples::Sixteen(samples) => Span::Sixteen(samples),
            Samples::Float(samples) => Span::Float(samples),
        }
    }

    /// One by one.
    pub fn iter(&self) -> impl Iterator<Item = f32> + '_ {
        let (sixteen, float): (&[i16], &[f32]) = match self {
            Samples::Sixteen(samples) => (samples, &[]),
            Samples::Float(samples) => (&[], samples),
        };
        sixteen.iter().map(|s| f32::from(*s) / SIXTEEN).chain(float.iter().copied())
    }

    /// All of them as floats.
    #[must_use]
    pub fn to_vec(&self) -> Vec<f32> {
        let mut all = vec![0.0; self.len()];
        self.all().copy_to(&mut all);
        all
    }

    /// Those of a stretch as floats.
    ///
    /// # Panics
    /// When it reaches beyond them.
    #[must_use]
    pub fn stretch(&self, from: usize, to: usize) -> Vec<f32> {
        let mut some = vec![0.0; to - from];
        self.all().from(from, to).copy_to(&mut some);
        some
    }

    /// The bytes that each takes in memory.
    #[must_use]
    pub fn bytes_each(&self) -> usize {
        match self {
            Samples::Sixteen(_) => size_of::<i16>(),
            Samples::Float(_) => size_of::<f32>(),
        }
    }

    /// The bytes that all of them take.
    #[must_use]
    pub fn bytes(&self) -> usize {
        self.len() * self.bytes_each()
    }
}

/// Samples that lie together, to be read.
#[derive(Debug, Clone, Copy)]
pub enum Span<'a> {
    /// In steps of 1/32,768.
    Sixteen(&'a [i16]),
    /// As they are.
    Float(&'a [f32]),
}

impl Span<'_> {
    /// How many there are.
    #[must_use]
    pub fn len(&self) -> usize {
        match self {
            Span::Sixteen(samples) => samples.len(),
            Span::Float(samples) => samples.len(),
        }
    }

    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// One of them, if there are so many.
    #[must_use]
    pub fn get(&self, at: usize) -> Option<f32> {
        match self {
            Span::Sixteen(samples) => samples.get(at).map(|s| f32::from(*s) / SIXTEEN),
            Span::Float(samples) => samples.get(at).copied(),
        }
    }

    /// Those from `from` to before `to`.
    ///
    /// # Panics
    /// When there are not so many.
    #[must_use]
    #[inline]
    pub fn from(self, from: usize, to: usize) -> Self {
        match self {
            Span::Sixteen(samples) => Span::Sixteen(&samples[from..to]),
            Span::Float(samples) => Span::Float(&samples[from..to]),
        }
    }

    /// Copies them to the beginning of `to`, which has room for all.
    #[inline]
    pub fn copy_to(&self, to: &mut [f32]) {
        match self {
            Span::Sixteen(samples) => to.iter_mut().zip(*samples).for_each(|(to, s)| *to = f32::from(*s) / SIXTEEN),
            Span::Float(samples) => to[..samples.len()].copy_from_slice(samples),
        }
    }

    /// Adds them to the beginning of `to`, which has room for all.
    #[inline]
    pub fn add_to(&self, to: &mut [f32]) {
        match self {
            Span::Sixteen(samples) => to.iter_mut().zip(*samples).for_each(|(to, s)| *to += f32::from(*s) / SIXTEEN),
            Span::Float(samples) => to.iter_mut().zip(*samples).for_each(|(to, s)| *to += s),
        }
    }
}

/// The sum of the squares of all samples.
fn power(channels: &[Samples]) -> f64 {
    // Squares of 16 bits add up exactly in floats of 64 bits for minutes, and as whole numbers several times as fast.
    let whole = |samples: &Samples| match samples {
        Samples::Sixteen(samples) => Some(samples.iter().map(|s| u64::from((i32::from(*s) * i32::from(*s)) as u32)).sum::<u64>()),
        Samples::Float(_) => None,
    };
    match channels.iter().map(whole).sum::<Option<u64>>() {
        Some(sum) => sum as f64 / f64::from(SIXTEEN).powi(2),
        None => channels.iter().flat_map(Samples::iter).map(|s| f64::from(s).powi(2)).sum(),
    }
}

/// What of a clip is not in memory.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Streamed {
    /// The number by which its pages are asked for.
    pub stream: u32,
    /// How many frames it has in all.
    pub frames: usize,
}

impl Clip {
    /// A clip of given samples, for tests and synthetic sources.
    ///
    /// Without a channel it is a silent one; longer channels are cut to the shortest, more than two are left out.
    #[must_use]
    pub fn new(name: &str, channels: Vec<Vec<f32>>, loop_points: Option<(usize, usize)>) -> Clip {
        let frames = channels.iter().map(Vec::len).min().unwrap_or(0);
        let even = channels.into_iter().take(2).map(|mut c| {
            c.truncate(frames);
            Samples::of(c)
        });
        Clip::of_samples(name, even.collect(), loop_points)
    }

    /// As [`Clip::new`], of one or two channels of equal length.
    #[must_use]
    pub fn of_samples(name: &str, mut channels: Vec<Samples>, loop_points: Option<(usize, usize)>) -> Clip {
        if channels.is_empty() {
            channels.push(Samples::Float(Box::default()));
        }
        let frames = channels[0].len();
        let power = power(&channels) / (frames * channels.len()).max(1) as f64;
        let loop_points = loop_points.filter(|(start, end)| start < end && *end <= frames);
        let key = NameKey::of(name);
        Clip { name: name.to_owned(), key, channels, streamed: None, content: None, loop_points, level_db: (10.0 * power.log10()) as f32 }
    }

    /// A clip of which only the head is here. One that is no longer than its head is whole. Its mean level is that of its head.
    #[must_use]
    pub fn streamed(name: &str, head: Vec<Samples>, streamed: Streamed, loop_points: Option<(usize, usize)>) -> Clip {
        let clip = Clip::of_samples(name, head, None);
        let rest = (clip.frames() == HEAD && streamed.frames > HEAD).then_some(streamed);
        let frames = rest.map_or(clip.frames(), |s| s.frames);
        Clip { streamed: rest, loop_points: loop_points.filter(|(start, end)| start < end && *end <= frames), ..clip }
    }

    /// How many frames it has.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.streamed.map_or_else(|| self.channels.first().map_or(0, Samples::len), |s| s.frames)
    }
}

/// How a clip is written in a bundle: by its name alone. Its audio stands beside the program.
#[cfg(feature = "bundle")]
mod written {
    use super::Clip;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    impl Serialize for Clip {
        fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
            serializer.serialize_str(&self.name)
        }
    }

    impl<'de> Deserialize<'de> for Clip {
        /// A clip without audio, until [`Program::fill_clips`](crate::program::Program::fill_clips) puts the right one in its place.
        fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Clip, D::Error> {
            Ok(Clip::new(&String::deserialize(deserializer)?, Vec::new(), None))
        }
    }
}

/// Whether all samples are finite numbers.
#[must_use]
pub fn all_finite(samples: &[f32]) -> bool {
    samples.iter().all(|s| s.is_finite())
}

/// Copies samples as far as both go; what is not a finite number is silence.
pub fn copy_finite(to: &mut [f32], from: &[f32]) {
    for (to, from) in to.iter_mut().zip(from) {
        *to = if from.is_finite() { *from } else { 0.0 };
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn samples_come_back_to_the_bit_and_take_half_where_they_are_of_sixteen_bits(
            steps in prop::collection::vec(any::<i16>(), 1..300), other in -1.5f32..1.5, at in any::<prop::sample::Index>(), cut in any::<prop::sample::Index>()
        ) {
            let sixteen: Vec<f32> = steps.iter().map(|s| f32::from(*s) / SIXTEEN).collect();
            let mut float = sixteen.clone();
            float[at.index(steps.len())] = other;
            for (all, each) in [(sixteen, Some(2)), (float, None)] {
                let samples = Samples::of(all.clone());
                prop_assert!(each.is_none_or(|each| samples.bytes_each() == each));
                prop_assert_eq!(samples.bytes(), samples.bytes_each() * all.len());
                let bits = |of: &[f32]| of.iter().map(|s| s.to_bits()).collect::<Vec<_>>();
                prop_assert_eq!(bits(&samples.to_vec()), bits(&all));
                prop_assert_eq!(bits(&samples.iter().collect::<Vec<_>>()), bits(&all));
                let from = cut.index(all.len());
                prop_assert_eq!(bits(&samples.stretch(from, all.len())), bits(&all[from..]));
                prop_assert_eq!(samples.all().get(from), Some(all[from]));
                let mut sum = vec![0.25f32; all.len()];
                samples.all().add_to(&mut sum);
                prop_assert!(sum.iter().zip(&all).all(|(sum, s)| *sum == 0.25 + s));
            }
        }
    }

    #[test]
    fn the_level_of_whole_numbers_is_that_of_floats() {
        let sixteen: Vec<f32> = (0..90_001u32).map(|n| f32::from((n.wrapping_mul(2_654_435_761) >> 16) as u16 as i16) / SIXTEEN).collect();
        let power = sixteen.iter().map(|s| f64::from(*s).powi(2)).sum::<f64>() / sixteen.len() as f64;
        let clip = Clip::new("a", vec![sixteen.clone()], None);
        assert!(matches!(clip.channels[0], Samples::Sixteen(_)) && clip.level_db.to_bits() == ((10.0 * power.log10()) as f32).to_bits());
        let mixed = Clip::new("a", vec![sixteen, vec![0.3; 90_001]], None);
        let both = (power + f64::from(0.3f32).powi(2)) / 2.0;
        assert!((f64::from(mixed.level_db) - 10.0 * both.log10()).abs() < 1e-5, "{}", mixed.level_db);
    }

    #[test]
    fn what_sixteen_bits_do_not_have_stays_a_float() {
        for odd in [-0.0, 1.0, 0.5 / SIXTEEN, f32::NAN, -1.1] {
            let kept = Samples::of(vec![0.5, odd]);
            assert!(matches!(kept, Samples::Float(_)) && kept.to_vec()[1].to_bits() == odd.to_bits(), "{odd}");
        }
        assert!(matches!(Samples::of(vec![-1.0, 32_767.0 / SIXTEEN]), Samples::Sixteen(_)));
    }

    #[test]
    fn what_is_not_a_number_is_copied_as_silence() {
        let mut to = [9.0; 5];
        copy_finite(&mut to, &[0.5, f32::NAN, f32::INFINITY, -1.0]);
        assert_eq!(to, [0.5, 0.0, 0.0, -1.0, 9.0]);
        assert!(all_finite(&to) && all_finite(&[]) && !all_finite(&[0.0, f32::NEG_INFINITY]));
    }
}
