//! The stand-in's second door: it plays a bundle by the runtime inside it, as a real game does.

use crate::failure::Failure;
use crate::player::{Maker, Output, Playing};
use estampie_link::Said;
use estampie_link::stand_in::PACE;
use estampie_runtime::{Control, NOW, Player, load};
use rtrb::{Consumer, Producer, RingBuffer};
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::JoinHandle;
use std::time::Duration;

/// How the bundle is played.
#[derive(Debug, Clone)]
pub(crate) struct Inside {
    /// The bundle.
    pub(crate) bundle: PathBuf,
    /// The sound device; "none" is the silent clock.
    pub(crate) device: Option<String>,
    /// Where a workshop may join, if it may.
    pub(crate) live: Option<SocketAddr>,
    /// Where what is heard is written.
    pub(crate) record: Option<PathBuf>,
}

/// What sounds.
pub(super) struct Sound {
    control: Control,
    playing: Option<Playing>,
    live: Option<SocketAddr>,
    writing: Option<Writing>,
    /// The last notice of the runtime, and how many there were.
    pub(super) notice: Option<String>,
    pub(super) notices: u64,
}

/// The thread that writes what is heard, and what ends it.
type Writing = (Arc<AtomicBool>, JoinHandle<Result<(), hound::Error>>);

/// The runtime on the player's thread.
struct Rendered {
    player: Player,
    samples: Vec<f32>,
    record: Option<Producer<f32>>,
}

impl Maker for Rendered {
    fn make(&mut self, count: usize) -> &[f32] {
        let out = &mut self.samples[..count * 2];
        self.player.render(out);
        if let Some(record) = &mut self.record {
            for sample in &*out {
                let _ = record.push(*sample);
            }
        }
        out
    }
}

/// Writes what comes until it is over, as 32-bit floats.
fn write(path: &Path, rate: u32, mut from: Consumer<f32>, over: &AtomicBool) -> Result<(), hound::Error> {
    let spec = hound::WavSpec { channels: 2, sample_rate: rate, bits_per_sample: 32, sample_format: hound::SampleFormat::Float };
    let mut writer = hound::WavWriter::create(path, spec)?;
    loop {
        // Looked at first: what was rendered before it was over is still taken.
        let last = over.load(Ordering::Relaxed);
        while let Ok(sample) = from.pop() {
            writer.write_sample(sample)?;
        }
        if last {
            return writer.finalize();
        }
        std::thread::sleep(Duration::from_millis(20));
    }
}

impl Sound {
    pub(super) fn start(inside: &Inside) -> Result<Sound, Failure> {
        let fault = |why: String| Failure::Fault(why);
        let (player, mut control) =
            load(&inside.bundle, &estampie_runtime::Options::default()).map_err(|e| fault(format!("{}: {e}", inside.bundle.display())))?;
        let live = inside.live.map(|address| control.listen(address)).transpose().map_err(|e| fault(e.to_string()))?;
        let rate = control.rate();
        let (mut record, mut writing) = (None, None);
        if let Some(path) = inside.record.clone() {
            if path.exists() {
                return Err(Failure::Use(format!("{} is there already; name another file", path.display())));
            }
            let (ring, from) = RingBuffer::new(rate as usize * 4);
            let over = Arc::new(AtomicBool::new(false));
            let ends = Arc::clone(&over);
            (record, writing) = (Some(ring), Some((over, std::thread::spawn(move || write(&path, rate, from, &ends)))));
        }
        let rendered = Rendered { player, samples: vec![0.0; 2 * 1024], record };
        let playing = Some(Playing::start(rendered, rate, inside.device.clone(), 30));
        Ok(Sound { control, playing, live, writing, notice: None, notices: 0 })
    }

    /// Says what was told in one step of the game.
    pub(super) fn tell(&mut self, all: &[Said]) {
        let control = &mut self.control;
        // From one step of the game to the next is one movement.
        let step = u64::from(control.rate() / PACE);
        for said in all {
            let key = |control: &mut Control, name: &Option<String>| name.as_ref().map(|name| control.key(name));
            // What has no room is told by the runtime.
            let _ = match said {
                Said::Event { name, emitter } => {
                    let (event, emitter) = (control.key(name), key(control, emitter));
                    control.event(NOW, event, emitter)
                }
                Said::Parameter { name, value, emitter } => {
                    let (parameter, emitter) = (control.key(name), key(control, emitter));
                    control.parameter(NOW, parameter, *value, emitter)
                }
                Said::State { name, value, .. } => {
                    let (state, value) = (control.key(name), control.key(value));
                    control.state(NOW, state, value)
                }
                Said::Emitter { id, kind, at, yaw } => {
                    let (id, kind) = (control.key(id), (!kind.is_empty()).then(|| control.key(kind)));
                    control.emitter(NOW, id, kind, *at, *yaw, step)
                }
                Said::Listener { at, yaw } => control.listener(NOW, *at, *yaw, step),
                Said::Remove { id } => {
                    let id = control.key(id);
                    control.remove(NOW, id)
                }
                Said::Hello { .. } => Ok(()),
            };
        }
        while let Some(notice) = self.control.poll() {
            self.notices += 1;
            self.notice = Some(notice);
        }
    }

    /// What it plays through, and who may join, in words.
    pub(super) fn words(&self) -> (String, String) {
        let of = self.control.bundle();
        let bundle = format!("{} {}", of.project, of.sources.get(..8).unwrap_or(&of.sources));
        let sound = match self.playing.as_ref().map(Playing::output) {
            Some(Output::Device(name)) => name,
            Some(Output::Silent(why)) => format!("silent clock ({why})"),
            None => "over".into(),
        };
        let token = self.control.live_token().map_or_else(String::new, |token| format!(" {token}"));
        let join = self.live.map_or_else(|| "no workshop may join".into(), |address| format!("a workshop joins at {address}{token}"));
        let join = format!("bundle {bundle}; {join}");
        (sound, join)
    }

    /// Ends, and writes to its end what was heard.
    pub(super) fn end(mut self) -> Result<(), Failure> {
        self.playing = None;
        if let Some((over, thread)) = self.writing.take() {
            over.store(true, Ordering::Relaxed);
            match thread.join() {
                Ok(done) => done.map_err(|e| Failure::Fault(format!("the recording cannot be written: {e}")))?,
                Err(broke) => std::panic::resume_unwind(broke),
            }
        }
        Ok(())
    }
}
