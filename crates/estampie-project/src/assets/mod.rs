//! Audio files in: decoding, rate conversion, loop points, and facts about them.

mod circle;
mod decode;
mod error;
mod facts;
mod fix;
mod headers;
mod piece;
mod print;
mod reader;
mod riff;
mod streams;

pub use crate::guard::guarded;
pub use decode::{Decoded, decode};
pub use error::AudioError;
pub use facts::{Facts, Glance, Glancing, Measured, content, facts, glance, measure};
pub use fix::{Fix, FixError, Fixed, WORDS as FIXES, fix, made_from, sounding, version};
pub use piece::{around_seam, best_end};
pub use print::{Print, alike};
pub use riff::{Mark, Notes};
pub use streams::{LONG, Streams, hash_of_file};

use crate::door;
use crate::stock::{Cut, Placeholder, file_of};
use estampie_engine::clip::{Clip, Samples};
use estampie_engine::dsp::effects::Impulse;
use std::collections::{BTreeSet, HashMap};
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// Decodes a file of the project at `root` and converts it to `rate`.
///
/// # Errors
/// With the reason why the file cannot be played.
pub fn load(root: &Path, name: &str, rate: u32, goes: &Goes) -> Result<Clip, AudioError> {
    load_or_stream(root, name, rate, goes, None)
}

/// Decodes a file that nothing loops, like [`load`]; what is long is streamed by `streams`.
///
/// # Errors
/// With the reason why the file cannot be played.
pub fn load_long(root: &Path, name: &str, rate: u32, streams: &Streams) -> Result<Clip, AudioError> {
    load_or_stream(root, name, rate, &Goes::Once, Some(streams))
}

/// Like [`load`]; what is long is streamed if it may be.
fn load_or_stream(root: &Path, name: &str, rate: u32, goes: &Goes, streams: Option<&Streams>) -> Result<Clip, AudioError> {
    if let Some(placeholder) = Placeholder::read(name) {
        let (channels, loop_points) = placeholder.make(rate);
        return Ok(Clip::new(name, channels, loop_points));
    }
    let path = door::readable(root, file_of(name))?;
    // A piece is made of its file.
    if let Some(clip) = streams.filter(|_| file_of(name) == name).and_then(|streams| streams.clip(&path, name, rate, goes)) {
        return Ok(clip);
    }
    let mut decoded = decode(&path)?;
    if let Some(cut) = Cut::read(name) {
        piece::cut(&mut decoded, &cut.trim, *goes == Goes::Once)?;
    }
    if decoded.channels.len() > 2 {
        return Err(AudioError::Channels(decoded.channels.len()));
    }
    let decoded = decode::convert(decoded, rate, goes)?;
    Ok(Clip::new(name, decoded.channels, decoded.loop_points))
}

/// How a file is played, as far as it matters for its conversion to another rate.
#[derive(Debug, Clone, PartialEq)]
pub enum Goes {
    /// From its start to its end.
    Once,
    /// Round and round.
    Round,
    /// Round and round if it is as long as one of these (in seconds, within 2 ms), and else once: a layer of music.
    RoundIf(Vec<f64>),
}

impl Goes {
    /// Whether a file of so many seconds goes round.
    fn round(&self, seconds: f64) -> bool {
        match self {
            Goes::Once => false,
            Goes::Round => true,
            Goes::RoundIf(lengths) => lengths.iter().any(|l| (l - seconds).abs() <= 0.002),
        }
    }

    /// Whether it may go round.
    #[must_use]
    pub fn goes_round(&self) -> bool {
        !matches!(self, Goes::Once)
    }

    /// Both ways of playing one file together.
    #[must_use]
    pub fn and(self, other: Goes) -> Goes {
        match (self, other) {
            (Goes::Round, _) | (_, Goes::Round) => Goes::Round,
            (Goes::RoundIf(mut all), Goes::RoundIf(more)) => {
                all.extend(more);
                Goes::RoundIf(all)
            }
            (Goes::RoundIf(all), Goes::Once) | (Goes::Once, Goes::RoundIf(all)) => Goes::RoundIf(all),
            (Goes::Once, Goes::Once) => Goes::Once,
        }
    }
}

/// All audio of a project by path, each ready or with the reason why not.
#[derive(Debug, Default, Clone)]
pub struct Assets {
    /// Shared with whoever compiles meanwhile: a copy costs nothing until something comes in.
    clips: Arc<Clips>,
    /// Impulse responses made ready, each with the clip it is of, for all copies: an edit does not make them again.
    impulses: Arc<Mutex<Impulses>>,
    /// What of it is streamed.
    streams: Streams,
}

/// By path.
type Clips = HashMap<String, Result<Arc<Clip>, Arc<AudioError>>>;

/// By name and rate in Hz.
type Impulses = HashMap<(String, u32), (Arc<Clip>, Arc<Impulse>)>;

impl Assets {
    /// The clip of a path; `None` if it was not loaded (yet).
    #[must_use]
    pub fn get(&self, name: &str) -> Option<&Result<Arc<Clip>, Arc<AudioError>>> {
        self.clips.get(name)
    }

    /// A clip as an impulse response, at the project's rate in Hz; one of one channel is that of both.
    ///
    /// It is worked out once for each clip.
    #[must_use]
    pub fn impulse(&self, clip: &Arc<Clip>, rate: u32) -> Arc<Impulse> {
        // Nothing panics while it is held; what is in it would be whole even then.
        let mut impulses = self.impulses.lock().unwrap_or_else(PoisonError::into_inner);
        let name = (clip.name.clone(), rate);
        if let Some((of, impulse)) = impulses.get(&name)
            && Arc::ptr_eq(of, clip)
        {
            return Arc::clone(impulse);
        }
        let sides: Vec<Vec<f32>> = clip.channels.iter().map(Samples::to_vec).collect();
        let left = sides.first().map_or(&[][..], Vec::as_slice);
        let impulse = Arc::new(Impulse::new(left, sides.get(1).map_or(left, Vec::as_slice), rate));
        impulses.insert(name, (Arc::clone(clip), Arc::clone(&impulse)));
        impulse
    }

    /// Puts a file's content in, or the reason why there is none.
    pub fn insert(&mut self, name: &str, loaded: Result<Arc<Clip>, AudioError>) {
        Arc::make_mut(&mut self.clips).insert(name.to_owned(), loaded.map_err(Arc::new));
    }

    /// What of it is streamed, and what will be.
    #[must_use]
    pub fn streams(&self) -> &Streams {
        &self.streams
    }

    /// How many are in.
    #[must_use]
    pub fn len(&self) -> usize {
        self.clips.len()
    }

    /// Whether none is in.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.clips.is_empty()
    }

    /// Forgets the pieces of recordings that are not wanted any more: each one that was tried would stay in memory.
    pub fn forget_pieces(&mut self, wanted: impl Fn(&str) -> bool) {
        let unwanted = |name: &String| Cut::read(name).is_some() && !wanted(name);
        if self.clips.keys().any(unwanted) {
            Arc::make_mut(&mut self.clips).retain(|name, _| !unwanted(name));
        }
    }

    /// Bytes of samples held.
    #[must_use]
    pub fn bytes(&self) -> usize {
        self.clips.values().flatten().flat_map(|c| &c.channels).map(Samples::bytes).sum()
    }
}

/// What is long is streamed by these, but for some files.
#[derive(Debug, Clone, Copy)]
pub struct Long<'a> {
    /// Where it is read.
    pub streams: &'a Streams,
    /// What is loaded whole, however long it is.
    pub but: &'a BTreeSet<String>,
    /// It is read to its end at once, so that what is broken in it is found.
    pub thorough: bool,
}

/// Loads files on all cores; `each` is called for every file as it is ready, from several threads. Without `long` all of them are loaded whole.
pub fn load_each(root: &Path, names: &[(String, Goes)], rate: u32, long: Option<Long<'_>>, each: impl Fn(&str, Result<Arc<Clip>, AudioError>) + Sync) {
    let next = AtomicUsize::new(0);
    let workers = std::thread::available_parallelism().map_or(2, std::num::NonZero::get).min(names.len());
    std::thread::scope(|scope| {
        for _ in 0..workers {
            scope.spawn(|| {
                while let Some((name, goes)) = names.get(next.fetch_add(1, Ordering::Relaxed)) {
                    let streams = long.filter(|long| !long.but.contains(name)).map(|long| long.streams);
                    let thorough = streams.filter(|_| long.is_some_and(|long| long.thorough));
                    let read = |clip: Clip| thorough.map_or(Ok(()), |streams| streams.each_piece(&clip, usize::MAX, |_| {})).map(|()| Arc::new(clip));
                    each(name, load_or_stream(root, name, rate, goes, streams).and_then(read));
                }
            });
        }
    });
}

/// Loads files on all cores, each of them whole, and gives them all.
#[must_use]
pub fn load_all(root: &Path, names: &[(String, Goes)], rate: u32) -> Assets {
    load_into(Assets::default(), root, names, rate, None)
}

/// Loads files on all cores and gives them all; what is long is streamed, but for some. If it is `thorough` that is read to its end, so that what is broken
/// in it is found.
#[must_use]
pub fn load_to_play(root: &Path, names: &[(String, Goes)], rate: u32, whole: &BTreeSet<String>, thorough: bool) -> Assets {
    let (assets, streams) = (Assets::default(), Streams::default());
    load_into(Assets { streams: streams.clone(), ..assets }, root, names, rate, Some(Long { streams: &streams, but: whole, thorough }))
}

fn load_into(assets: Assets, root: &Path, names: &[(String, Goes)], rate: u32, long: Option<Long<'_>>) -> Assets {
    let assets = std::sync::Mutex::new(assets);
    load_each(root, names, rate, long, |name, clip| {
        if let Ok(mut assets) = assets.lock() {
            assets.insert(name, clip);
        }
    });
    assets.into_inner().unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_impulse_response_is_worked_out_once_for_a_clip() {
        let clip = |last: f32| Arc::new(Clip::new("audio/hall.wav", vec![vec![1.0, 0.5, last]], None));
        let (assets, hall) = (Assets::default(), clip(0.25));
        let first = assets.impulse(&hall, 48_000);
        assert!(Arc::ptr_eq(&first, &assets.clone().impulse(&hall, 48_000)), "a copy knows it too");
        assert!(!Arc::ptr_eq(&first, &assets.impulse(&hall, 44_100)), "not at another rate");
        // Loaded anew: made anew, and the same only if the samples are.
        let (same, other) = (assets.impulse(&clip(0.25), 48_000), assets.impulse(&clip(0.75), 48_000));
        assert!(!Arc::ptr_eq(&first, &same) && first.key == same.key && first.key != other.key);
    }
}
