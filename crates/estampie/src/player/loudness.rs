//! Loudness of the output and of one bus, measured aside from what plays.

use estampie_core::measure::{Meter, Reading};
use rtrb::Consumer;
use std::collections::VecDeque;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::Receiver;
use std::time::{Duration, Instant};

/// Tenths of a second that the history holds.
pub(crate) const HISTORY: usize = 300;

/// What was measured last.
#[derive(Debug, Clone, Default)]
pub(crate) struct Loudness {
    /// Of the output, as it leaves the engine.
    pub(crate) output: Reading,
    /// Short-term loudness of the output, ten times a second, of the last 30 s.
    pub(crate) history: VecDeque<f32>,
    /// Of the bus that is listened to, since it was chosen.
    pub(crate) bus: Reading,
}

/// What the one who measures is told.
pub(crate) enum Order {
    /// The ring of a new engine: the output begins anew.
    Engine(Consumer<f32>),
    /// Another bus comes through the ring from now on.
    Bus,
}

/// Frames of the bus before come for so long: they were on their way.
const ON_THEIR_WAY: Duration = Duration::from_millis(60);

/// Measures until told to quit.
pub(super) fn run(quit: &AtomicBool, out: &Mutex<Loudness>, mut tap: Consumer<f32>, orders: &Receiver<Order>, rate: u32) {
    let Ok(mut output) = Meter::new(2, rate) else { return };
    let Ok(mut bus) = Meter::new(2, rate) else { return };
    let mut ring: Option<Consumer<f32>> = None;
    // Since when another bus comes: what is on its way of the one before still goes into its own meter.
    let mut begun: Option<Instant> = None;
    let mut samples = Vec::with_capacity(rate as usize);
    while !quit.load(Ordering::Relaxed) {
        for order in orders.try_iter() {
            if let Order::Engine(new) = order {
                ring = Some(new);
                output = Meter::new(2, rate).unwrap_or(output);
            }
            begun = Some(Instant::now());
        }
        drain(Some(&mut tap), &mut samples);
        let tenths = output.add(&samples);
        drain(ring.as_mut(), &mut samples);
        if begun.is_some_and(|b| b.elapsed() >= ON_THEIR_WAY) {
            begun = None;
            bus = Meter::new(2, rate).unwrap_or(bus);
        } else if bus.add(&samples) + tenths > 0
            && let Ok(mut now) = out.lock()
        {
            (now.output, now.bus) = (output.reading(), bus.reading());
            let short = now.output.short_term as f32;
            for _ in 0..tenths {
                now.history.push_back(short);
            }
            while now.history.len() > HISTORY {
                now.history.pop_front();
            }
        }
        std::thread::sleep(Duration::from_millis(15));
    }
}

/// All that waits in a ring, in place of what was in `samples`.
fn drain(ring: Option<&mut Consumer<f32>>, samples: &mut Vec<f32>) {
    samples.clear();
    let Some(ring) = ring else { return };
    // Whole frames only.
    let count = ring.slots() / 2 * 2;
    if let Ok(chunk) = ring.read_chunk(count) {
        samples.extend(chunk);
    }
}
