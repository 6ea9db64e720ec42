//! Loudness of the output and of one bus, measured aside from what plays.

use estampie_proof::measure::{Meter, Reading};
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
pub(crate) enum MeterOrder {
    /// The ring of a new engine: the output begins anew.
    Engine(Consumer<f32>),
    /// The output of an engine elsewhere comes through a ring: it begins anew, and what is played here is not measured.
    Output(Consumer<f32>),
    /// Another bus comes through the ring from now on.
    Bus,
}

/// Frames of the bus before come for so long: they were on their way.
const ON_THEIR_WAY: Duration = Duration::from_millis(60);

/// Measures until told to quit.
pub(super) fn run(quit: &AtomicBool, out: &Mutex<Loudness>, mut tap: Consumer<f32>, orders: &Receiver<MeterOrder>, rate: u32) {
    let Ok(mut output) = Meter::new(2, rate) else { return };
    let Ok(mut bus) = Meter::new(2, rate) else { return };
    let (mut ring, mut elsewhere): (Option<Consumer<f32>>, Option<Consumer<f32>>) = (None, None);
    // Since when another bus comes: what is on its way of the one before still goes into its own meter.
    let mut begun: Option<Instant> = None;
    let mut samples = Vec::with_capacity(rate as usize);
    while !quit.load(Ordering::Relaxed) {
        for order in orders.try_iter() {
            match order {
                MeterOrder::Engine(new) => {
                    (ring, elsewhere) = (Some(new), None);
                    output = Meter::new(2, rate).unwrap_or(output);
                }
                MeterOrder::Output(new) => {
                    elsewhere = Some(new);
                    output = Meter::new(2, rate).unwrap_or(output);
                    // It may be long until something comes: what was measured here is not what is heard there.
                    if let Ok(mut now) = out.lock() {
                        *now = Loudness { output: output.reading(), bus: bus.reading(), ..Loudness::default() };
                    }
                }
                MeterOrder::Bus => {}
            }
            begun = Some(Instant::now());
        }
        drain(Some(&mut tap), &mut samples);
        if let Some(elsewhere) = &mut elsewhere {
            drain(Some(elsewhere), &mut samples);
        }
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

#[cfg(test)]
mod tests {
    use super::*;
    use rtrb::{Producer, RingBuffer};
    use std::sync::mpsc::channel;

    /// So much of a second of a constant-level square of 1 kHz.
    fn put(ring: &mut Producer<f32>, gain: f32, frames: usize) {
        for i in 0..frames {
            let value = if i / 24 % 2 == 0 { gain } else { -gain };
            ring.push(value).and_then(|()| ring.push(value)).unwrap();
        }
    }

    fn until(out: &Mutex<Loudness>, what: &str, mut holds: impl FnMut(&Loudness) -> bool) {
        let begun = Instant::now();
        loop {
            let now = out.lock().unwrap().clone();
            if holds(&now) {
                return;
            }
            assert!(begun.elapsed() < Duration::from_secs(20), "waited in vain until {what}: {now:?}");
            std::thread::sleep(Duration::from_millis(5));
        }
    }

    /// Lets the one who measures quit, also when a test fails.
    struct Quit<'a>(&'a AtomicBool);

    impl Drop for Quit<'_> {
        fn drop(&mut self) {
            self.0.store(true, Ordering::Relaxed);
        }
    }

    #[test]
    fn output_and_bus_are_measured_apart_and_each_begins_anew_when_it_is_another() {
        let (mut tap, tap_out) = RingBuffer::new(192_000);
        let (mut first, first_out) = RingBuffer::new(192_000);
        let (orders, taken) = channel();
        let (quit, out) = (AtomicBool::new(false), Mutex::new(Loudness::default()));
        let (stop, place) = (&quit, &out);
        std::thread::scope(|scope| {
            let _ends = Quit(stop);
            scope.spawn(move || run(stop, place, tap_out, &taken, 48_000));
            orders.send(MeterOrder::Engine(first_out)).unwrap();
            std::thread::sleep(ON_THEIR_WAY * 4);
            put(&mut tap, 0.1, 48_000);
            put(&mut first, 0.5, 48_000);
            until(&out, "both are measured", |l| l.history.len() == 10 && l.bus.sample_peak > -7.0);
            {
                let now = out.lock().unwrap();
                assert!((now.output.sample_peak + 20.0).abs() < 0.01 && (now.bus.sample_peak + 6.02).abs() < 0.01, "{now:?}");
                // A square of 0.5 in both channels has −6 dB; loudness is weighed and a little apart.
                assert!((now.bus.rms + 6.02).abs() < 0.05 && (now.bus.integrated - now.output.integrated - 13.98).abs() < 0.2, "{now:?}");
            }
            // Another bus: what was measured of the one before is gone, the output goes on.
            orders.send(MeterOrder::Bus).unwrap();
            std::thread::sleep(ON_THEIR_WAY * 4);
            put(&mut first, 0.25, 24_000);
            put(&mut tap, 0.1, 24_000);
            until(&out, "the other bus is measured", |l| l.history.len() == 15 && (l.bus.sample_peak + 12.04).abs() < 0.01);
            let now = out.lock().unwrap().clone();
            assert!((now.bus.greatest - now.output.greatest - 7.96).abs() < 0.3, "nothing of the first bus is left: {now:?}");
            // Another engine: the output begins anew as well.
            let (mut second, second_out) = RingBuffer::new(96_000);
            orders.send(MeterOrder::Engine(second_out)).unwrap();
            std::thread::sleep(ON_THEIR_WAY * 4);
            put(&mut tap, 0.01, 24_000);
            put(&mut second, 0.01, 24_000);
            until(&out, "all is anew", |l| l.history.len() == 20 && (l.output.greatest + 40.0).abs() < 3.0 && (l.bus.sample_peak + 40.0).abs() < 0.01);
        });
    }

    #[test]
    fn the_history_is_as_long_as_it_is_and_no_longer() {
        let (mut tap, tap_out) = RingBuffer::new(4_000_000);
        let (orders, taken) = channel();
        let (quit, out) = (AtomicBool::new(false), Mutex::new(Loudness::default()));
        put(&mut tap, 0.1, 48_000 * 35);
        let (stop, place) = (&quit, &out);
        std::thread::scope(|scope| {
            let _ends = Quit(stop);
            scope.spawn(move || run(stop, place, tap_out, &taken, 48_000));
            until(&out, "all is measured", |l| l.history.len() == HISTORY);
        });
        drop(orders);
        assert_eq!(out.lock().unwrap().history.len(), HISTORY);
    }
}
