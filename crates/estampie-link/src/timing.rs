//! From moments to frames: a steady stream of messages keeps its spacing, however a sound device asks for its samples.

use std::time::Instant;

/// How much slower than the machine's clock a sound device's may run: so fast is a lead given up that is not confirmed.
const DRIFT: f64 = 2e-4;
/// What is given beyond the longest lead that was seen, in seconds: as long as whoever renders sleeps between two looks, so that a longer one, which
/// comes to light when the rhythms of device and looks meet so, need not be made up for at once.
const MARGIN: f64 = 0.002;
/// So fast a lead grows that was too short, but long enough: a hundredth of the spacing of what comes.
const GROWS: f64 = 0.01;

/// When frames fall so far behind the longest lead, in seconds, they have stood still: the lead is found anew at once.
const STOOD: f64 = 0.25;
/// So long, in seconds, a lead that has become shorter is waited for to come back: longer than it takes until the rhythms of device and looks meet.
const WINDOW: f64 = 3.0;
/// So much shorter, in seconds, it is not by that rhythm: frames have been lost.
const LOST: f64 = 0.02;

/// Knows which frame belongs to a moment.
///
/// Whoever renders tells with [`Timing::made`] when it began to make frames and up to which. Devices ask for their samples in bursts, so
/// the frame made last runs before the clock now more and now less. What counts is how far it ever runs before: a message that came at
/// a moment sounds that far after it, and a little, which is never in the past of what is made, and always equally far.
#[derive(Debug, Clone)]
pub struct Timing {
    rate: f64,
    zero: Instant,
    lead: Option<Lead>,
}

/// How far frames run before moments, in seconds.
#[derive(Debug, Clone, Copy)]
struct Lead {
    /// When that was so.
    when: f64,
    /// The longest that was seen lately.
    peak: f64,
    /// What messages are given.
    given: f64,
    /// Since when the longest of the present window is kept, that one, and that of the window before.
    window: (f64, f64, f64),
}

impl Lead {
    /// Found anew.
    fn new(when: f64, seen: f64) -> Lead {
        Lead { when, peak: seen, given: seen + MARGIN, window: (when, seen, f64::INFINITY) }
    }

    /// The longest that was seen within the last window, or more; endless as long as there was none.
    fn look(&mut self, when: f64, seen: f64) -> f64 {
        let (since, now, _) = self.window;
        self.window = if when - since > WINDOW { (when, seen, now) } else { (since, now.max(seen), self.window.2) };
        self.window.1.max(self.window.2)
    }
}

impl Timing {
    /// For so many frames a second.
    #[must_use]
    pub fn new(rate: u32) -> Timing {
        Timing { rate: f64::from(rate), zero: Instant::now(), lead: None }
    }

    /// Frames begin anew, or have stood still.
    pub fn anew(&mut self) {
        self.lead = None;
    }

    fn seconds(&self, at: Instant) -> f64 {
        // Moments before the first are of messages that waited meanwhile.
        at.checked_duration_since(self.zero).map_or_else(|| -self.zero.duration_since(at).as_secs_f64(), |d| d.as_secs_f64())
    }

    /// Frames up to `frame` have been made, and the last look for messages before that was at `looked`.
    pub fn made(&mut self, looked: Instant, frame: u64) {
        let when = self.seconds(looked);
        let seen = frame as f64 / self.rate - when;
        let mut lead = self.lead.unwrap_or(Lead::new(when, seen));
        let passed = (when - lead.when).max(0.0);
        let recent = lead.look(when, seen);
        if seen < lead.peak - STOOD || recent < lead.peak - LOST {
            // Frames stood still or were lost: what comes would wait as long as that was. What is seen now, and lately, counts.
            let found = Lead::new(when, if seen < lead.peak - STOOD { seen } else { recent });
            self.lead = Some(found);
            return;
        }
        lead.when = when;
        lead.peak = (lead.peak - passed * DRIFT).max(seen);
        // Late is worse than uneven.
        lead.given = (lead.peak + MARGIN).clamp(lead.given - passed * DRIFT, lead.given + passed * GROWS).max(seen);
        self.lead = Some(lead);
    }

    /// The frame of what came, or is meant, at a moment; 0 (that is, now) as long as nothing has been made.
    #[must_use]
    pub fn frame(&self, at: Instant) -> u64 {
        self.lead.map_or(0, |lead| ((self.seconds(at) + lead.given) * self.rate).round().max(0.0) as u64)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::time::Duration;

    /// A machine's clock in which a device asks for `burst` frames at a time, at a rate that differs by `drift`, and a thread looks for
    /// messages before each 128. Gives the frames that steady messages got, and the least that was made when each was taken.
    fn play(burst: u64, drift: f64, every: f64, seconds: f64) -> Vec<(u64, u64)> {
        let rate = 48_000.0;
        let zero = Instant::now();
        let at = |seconds: f64| zero + Duration::from_secs_f64(seconds);
        let mut timing = Timing::new(48_000);
        let (mut now, mut made, mut came, mut given) = (0.0f64, 0u64, 0u32, Vec::new());
        let mut first = true;
        while now < seconds {
            // The device has emptied a burst: it is filled again, each part in a tenth of its time.
            let wanted = ((now * rate * (1.0 + drift)) as u64 / burst + 2) * burst;
            while made < wanted {
                let looked = now;
                while f64::from(came) * every <= now {
                    if !first {
                        given.push((timing.frame(at(f64::from(came) * every)), made));
                    }
                    came += 1;
                }
                made += 128;
                now += 128.0 / rate / 10.0;
                timing.made(at(looked), made);
                first = false;
            }
            now += 0.002;
        }
        given
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(crate::cases(400)))]
        #[test]
        fn steady_messages_are_as_far_apart_in_frames_and_never_late(burst in 128u64..2048, drift in -1e-4f64..1e-4, every in 0.004f64..0.05) {
            let given = play(burst, drift, every, 8.0);
            for (frame, made) in &given {
                prop_assert!(frame >= made, "{} is past: {} are made", frame, made);
                prop_assert!(*frame < made + 2 * burst + 1024, "{} is far ahead of {}", frame, made);
            }
            // Once the device's rhythm is known: a block of 64 at most besides what the message's own spacing is.
            let settled: Vec<u64> = given.iter().skip(given.len() / 4).map(|g| g.0).collect();
            for pair in settled.windows(2) {
                let apart = pair[1] as f64 - pair[0] as f64 - every * 48_000.0;
                prop_assert!(apart.abs() <= 64.0, "{} frames off", apart);
            }
        }
    }

    /// A clock that makes 128 frames when they are due, up to a moment, and loses or catches up what it slept through.
    fn goes(timing: &mut Timing, zero: Instant, (from, to): (f64, f64), frame: &mut u64, lost: f64) {
        let mut now = from;
        while now < to {
            let due = ((now - lost) * 48_000.0) as u64;
            let looked = zero + Duration::from_secs_f64(now);
            while *frame + 128 <= due {
                *frame += 128;
                timing.made(looked, *frame);
            }
            now += 0.002;
        }
    }

    #[test]
    fn after_frames_stood_still_what_comes_does_not_wait_as_long_as_that_was() {
        for stood in [0.03, 0.2, 0.5, 11.0] {
            let (zero, mut frame) = (Instant::now(), 0);
            let mut timing = Timing::new(48_000);
            goes(&mut timing, zero, (0.0, 10.0), &mut frame, 0.0);
            let ahead = |timing: &Timing, now: f64, frame: u64| timing.frame(zero + Duration::from_secs_f64(now)) as f64 - frame as f64;
            assert!(ahead(&timing, 10.0, frame) < 480.0);
            // The frames of that time are lost.
            let end = 10.0 + stood + if stood > 0.25 { 0.1 } else { 2.0 * WINDOW + 0.1 };
            goes(&mut timing, zero, (10.0 + stood, end), &mut frame, stood);
            let late = ahead(&timing, end, frame);
            assert!((0.0..480.0).contains(&late), "after {stood} s what comes is {late} frames ahead");
            // They are caught up.
            let mut timing = Timing::new(48_000);
            let mut frame = 0;
            goes(&mut timing, zero, (0.0, 10.0), &mut frame, 0.0);
            goes(&mut timing, zero, (10.0 + stood, 10.1 + stood), &mut frame, 0.0);
            let late = ahead(&timing, 10.1 + stood, frame);
            assert!((0.0..480.0).contains(&late), "caught up after {stood} s it is {late} frames ahead");
        }
    }

    #[test]
    fn before_anything_is_made_it_is_now_and_a_later_moment_is_a_later_frame() {
        let mut timing = Timing::new(48_000);
        let now = Instant::now();
        assert_eq!(timing.frame(now), 0);
        timing.made(now, 480);
        assert_eq!((timing.frame(now), timing.frame(now + Duration::from_millis(10))), (480 + 96, 960 + 96), "and a little");
        timing.anew();
        assert_eq!(timing.frame(now), 0);
    }
}
