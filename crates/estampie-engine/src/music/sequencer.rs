//! Where a piece is, what it waits for, and what happens next.
//!
//! A [`Sequencer`] is a value without sound: it can be copied, and the copy run ahead. [`Sequencer::ask`] says where the
//! piece should go; [`Sequencer::advance`] gives all that happens up to a frame, in order, as [`Happens`].
//!
//! The rules:
//! - A change leaves on the first moment that its rule allows after it was asked for. A moment counts if its frame is
//!   not before the asking.
//! - A later ask replaces the one that waits. Asking for what already waits changes nothing. Asking for what plays
//!   cancels what waits.
//! - Once the pick-up of what comes is heard, the change is settled. What is asked then is asked again on arrival.
//! - While a bridge or ending plays, asking changes where it leads.

use super::exact::{Beats, Frames, frames, narrow, nearest, settle, wide};
use super::map::Point;
use super::timeline::Timeline;
use crate::ground::curve::Shape;
use crate::ground::index::SectionIndex;
use crate::ground::names::NameKey;
use crate::ground::vocabulary::{Answer, Arrival, MOST_SECTIONS, Step};
use crate::music::spec::{ArriveAt, Long, Next, Piece, Ramp, Rule, Section, When};

/// A section that plays.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Pass {
    /// Which.
    pub section: SectionIndex,
    /// When its positions are.
    pub line: Timeline,
    /// Where it was entered.
    pub from: Beats,
    /// A number that no other pass of the piece has.
    pub number: u64,
    /// How often it has gone round before this pass.
    pub round: u32,
}

/// What a piece waits for.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Ask {
    /// Where it should go; `None` is silence.
    pub to: Option<SectionIndex>,
    /// When, if not as the rule says.
    pub leave: Option<When>,
    /// How it rises, if not as the rule says, in frames.
    pub rise: Option<u64>,
    /// What asked: a reaction, a state, a parameter, a playlist, or no one but a hand.
    pub by: NameKey,
    /// On which frame.
    pub asked: u64,
    /// The position at which it leaves, if this pass has one.
    pub(crate) at: Option<Frames>,
}

/// What is played in between.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Between {
    /// What was left.
    pub from: Option<SectionIndex>,
    /// Where it goes.
    pub to: Option<SectionIndex>,
    /// Who asked.
    pub by: NameKey,
    rise: Option<u64>,
    /// The bar that the old one would reach at its end, and quarter notes into it.
    would: (u32, Beats),
}

/// A pass that begins to sound: `skip` frames into its audio, on `frame`.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct PassBegins {
    /// Its number.
    pub number: u64,
    /// Its section.
    pub section: SectionIndex,
    /// The frame of its first sample.
    pub frame: u64,
    /// Frames into the audio (which begins with the pick-up).
    pub skip: u64,
    /// When its positions are.
    pub line: Timeline,
    /// Where it is entered.
    pub from: Beats,
    /// Frames of its rise, and the curve.
    pub rise: (u64, Shape),
    /// Whether it goes round from the pass before.
    pub round: bool,
}

/// A pass that is left: it goes on for `after` frames, then falls in `over`.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct PassFalls {
    /// Its number.
    pub number: u64,
    /// On which frame it is left.
    pub frame: u64,
    /// Frames before it falls.
    pub after: u64,
    /// Frames and curve of its fall; `None` lets it ring.
    pub over: Option<(u64, Shape)>,
    /// Whether the next pass of the same section takes over.
    pub round: bool,
}

/// What happens. Frames are exact to the nearest.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Happens {
    /// A pass begins to sound.
    Begin(PassBegins),
    /// A pass is left.
    Fall(PassFalls),
    /// A section is there: its bar begins.
    Enter {
        /// Which.
        section: SectionIndex,
        /// What was before.
        before: Option<SectionIndex>,
        /// The frame.
        frame: u64,
        /// Where it was entered.
        from: Beats,
        /// Why.
        cause: Arrival,
        /// Who asked.
        by: NameKey,
        /// The number of the pass.
        number: u64,
    },
    /// It comes to rest.
    Silence {
        /// What was before.
        before: Option<SectionIndex>,
        /// The frame.
        frame: u64,
        /// Who asked, or none: it ended.
        by: NameKey,
    },
    /// A beat or marker is reached.
    Point {
        /// Where.
        point: Point,
        /// Of which section.
        section: SectionIndex,
        /// The frame.
        frame: u64,
    },
}

impl Happens {
    /// The frame on which it happens.
    #[must_use]
    pub fn frame(&self) -> u64 {
        match self {
            Happens::Begin(PassBegins { frame, .. })
            | Happens::Fall(PassFalls { frame, .. })
            | Happens::Enter { frame, .. }
            | Happens::Silence { frame, .. }
            | Happens::Point { frame, .. } => *frame,
        }
    }
}

/// What comes after the present pass.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
struct Entry {
    to: Option<SectionIndex>,
    /// The position at which the present pass is left.
    at: Frames,
    moment: Frames,
    /// Where the new one is entered.
    from: Beats,
    rise: (u64, Shape),
    cause: Arrival,
    by: NameKey,
    /// The number given when its pick-up began.
    number: Option<u64>,
}

/// A piece under way. See the module's page.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Sequencer {
    pass: Option<Pass>,
    ask: Option<Ask>,
    between: Option<Between>,
    /// What comes next, once its pick-up sounds.
    settled: Option<Entry>,
    /// Asked while all was settled.
    later: Option<Ask>,
    /// Where each section was left.
    #[cfg_attr(feature = "bundle", serde(with = "super::written"))]
    left: [Beats; MOST_SECTIONS],
    numbers: u64,
    point: u32,
    /// The factor of the tempo that is wanted.
    factor: Frames,
    /// Nothing happens before this frame; 0 if it has yet to be worked out.
    quiet: u64,
}

impl Default for Sequencer {
    fn default() -> Self {
        let zero = Beats::from_integer(0);
        Sequencer {
            pass: None,
            ask: None,
            between: None,
            settled: None,
            later: None,
            left: [zero; MOST_SECTIONS],
            numbers: 0,
            point: 0,
            factor: Frames::from_integer(1),
            quiet: 0,
        }
    }
}

/// A fall of 30 ms keeps what is cut from clicking.
fn shortest_fall(rate: u32) -> u64 {
    u64::from(rate) * 30 / 1000
}

impl Sequencer {
    /// What plays.
    #[must_use]
    pub fn pass(&self) -> Option<&Pass> {
        self.pass.as_ref()
    }

    /// What it waits for.
    #[must_use]
    pub fn waits(&self) -> Option<&Ask> {
        self.ask.as_ref()
    }

    /// What is played in between, if anything is.
    #[must_use]
    pub fn between(&self) -> Option<&Between> {
        self.between.as_ref()
    }

    /// The factor of the tempo now.
    #[must_use]
    pub fn factor(&self) -> Frames {
        self.pass.map_or(self.factor, |p| p.line.factor)
    }

    /// Bar, beat (both from 0) and quarter notes into the beat at a frame.
    #[must_use]
    pub fn position(&self, piece: &Piece, frame: u64) -> Option<(u32, u32, Beats)> {
        let pass = self.pass?;
        let section = &piece.sections[pass.section];
        Some(section.map.bar_beat(narrow(pass.line.position(section, frames(frame)))))
    }

    /// Quarter notes in a second at a frame, if it plays.
    #[must_use]
    pub fn quarters_a_second(&self, piece: &Piece, frame: u64, rate: u32) -> Option<f32> {
        let pass = self.pass?;
        let section = &piece.sections[pass.section];
        let at = |frame: u64| narrow(pass.line.position(section, frames(frame)));
        let tenth = at(frame + u64::from(rate) / 10) - at(frame);
        Some((*tenth.numer() as f64 / *tenth.denom() as f64 * 10.0) as f32)
    }

    /// Where it leaves for what it waits for, in frames; only if this pass has such a moment.
    #[must_use]
    pub fn leaves(&self, piece: &Piece) -> Option<u64> {
        let pass = self.pass?;
        let at = self.ask?.at?;
        Some(nearest(pass.line.moment_of(&piece.sections[pass.section], at)))
    }

    /// Whether the present pass goes round at its end, as far as is known now.
    #[must_use]
    pub fn goes_round(&self, piece: &Piece) -> bool {
        self.entry(piece).is_some_and(|e| e.cause == Arrival::Round)
    }

    /// The same at rest, with all that is remembered beyond a rest.
    #[must_use]
    pub fn stopped(&self) -> Sequencer {
        Sequencer { left: self.left, numbers: self.numbers, factor: self.factor, ..Sequencer::default() }
    }

    /// Asks it to go somewhere, on a frame that is not before the last one it was advanced to.
    pub fn ask(&mut self, piece: &Piece, mut ask: Ask) -> Answer {
        self.quiet = 0;
        if self.settled.is_some_and(|s| s.cause != Arrival::Round) {
            self.later = Some(ask);
            return Answer::Waits;
        }
        if let Some(between) = &mut self.between {
            if between.to == ask.to {
                return Answer::Nothing;
            }
            if !piece.rule(between.from, ask.to).allowed {
                return Answer::NotAllowed;
            }
            let before = std::mem::replace(&mut between.to, ask.to);
            (between.by, between.rise) = (ask.by, ask.rise);
            return Answer::Replaces(before);
        }
        let here = self.pass.map(|p| p.section);
        if here == ask.to {
            return self.ask.take().map_or(Answer::Nothing, |a| Answer::Cancels(a.to));
        }
        if self.ask.is_some_and(|a| a.to == ask.to) {
            return Answer::Nothing;
        }
        if !piece.rule(here, ask.to).allowed {
            return Answer::NotAllowed;
        }
        let before = self.ask.map(|a| a.to);
        ask.at = None;
        self.ask = Some(ask);
        self.look_ahead(piece);
        before.map_or(Answer::Waits, Answer::Replaces)
    }

    /// An ask for [`Sequencer::ask`].
    #[must_use]
    pub fn want(to: Option<SectionIndex>, by: NameKey, frame: u64) -> Ask {
        Ask { to, leave: None, rise: None, by, asked: frame, at: None }
    }

    /// Finds where this pass is left for what is waited for.
    fn look_ahead(&mut self, piece: &Piece) {
        let (Some(pass), Some(ask)) = (self.pass, self.ask) else { return };
        let section = &piece.sections[pass.section];
        // With the pick-up of the next round under way, that round comes first.
        let going_round = self.settled.is_some();
        let when = ask.leave.unwrap_or(piece.rule(Some(pass.section), ask.to).leave);
        let asked = frames(ask.asked);
        let at = if when == When::AtOnce {
            // On the very frame of its start it is left there, and not a part of a frame later.
            let start = nearest(pass.line.moment(section, pass.from)) >= ask.asked;
            let here = if start { wide(pass.from) } else { pass.line.position(section, asked) };
            (here <= wide(section.map.length())).then_some(here)
        } else {
            section.next(when, wide(pass.from), |at| nearest(pass.line.moment(section, at)) >= ask.asked).map(wide)
        };
        if let Some(ask) = &mut self.ask {
            ask.at = at.filter(|at| !going_round || *at < wide(section.map.length()));
        }
    }

    /// Says how fast it should go against what is written. It takes effect as the piece's step says.
    pub fn set_factor(&mut self, factor: Frames) {
        if factor != self.factor {
            // A pick-up may begin earlier now.
            (self.factor, self.quiet) = (factor, 0);
        }
    }

    /// Takes the wanted factor from a frame on.
    pub fn take_factor(&mut self, piece: &Piece, frame: u64) {
        let Some(pass) = &mut self.pass else { return };
        if pass.line.factor == self.factor || self.settled.is_some() {
            return;
        }
        let section = &piece.sections[pass.section];
        let moment = frames(frame);
        let at = pass.line.position(section, moment);
        self.bend(piece, at, moment);
    }

    /// Lets the line go on from a position and moment with the wanted factor.
    fn bend(&mut self, piece: &Piece, at: Frames, moment: Frames) {
        self.quiet = 0;
        if let Some(pass) = &mut self.pass {
            let (at, moment) = if *at.denom() < 1 << 40 { (at, moment) } else { (wide(narrow(at)), moment) };
            pass.line = Timeline { at, moment: settle(moment), factor: self.factor };
        }
        self.look_ahead(piece);
    }

    /// Where a new section is entered, when the old one would have reached a bar and a place in it.
    fn arrival(&self, piece: &Piece, to: SectionIndex, arrive: ArriveAt, would: (u32, Beats)) -> Beats {
        let map = &piece.sections[to].map;
        let zero = Beats::from_integer(0);
        let at = match arrive {
            ArriveAt::Start => zero,
            ArriveAt::At(at) => at,
            ArriveAt::LeftOff => self.left[to.at()],
            ArriveAt::SameBar => map.bar_start(would.0 % map.bars()),
            ArriveAt::SameBeat => {
                let bar = would.0 % map.bars();
                let at = map.bar_start(bar) + would.1;
                if at < map.bar_start(bar + 1) { at } else { map.bar_start(bar) }
            }
        };
        if at < map.length() { at } else { zero }
    }

    /// What comes next: what was asked for, or what follows by itself.
    fn entry(&self, piece: &Piece) -> Option<Entry> {
        let pass = self.pass?;
        let section = &piece.sections[pass.section];
        let length = wide(section.map.length());
        if self.settled.is_some_and(|s| s.cause != Arrival::Round || self.ask.is_none_or(|a| a.at.is_none())) {
            return self.settled;
        }
        let still = (0, Shape::Straight);
        if let Some(ask) = self.ask
            && let Some(at) = ask.at
        {
            let rule = piece.rule(Some(pass.section), ask.to);
            let to = rule.way.or(ask.to);
            let from = if rule.way.is_some() { Beats::from_integer(0) } else { self.enters(piece, &pass, ask.to, rule, at) };
            let rise = if rule.way.is_some() { still } else { rise(piece, ask.to, ask.rise, rule.rises, from) };
            let cause = if rule.way.is_some() { Arrival::Between } else { Arrival::Asked };
            return Some(Entry { to, at, moment: pass.line.moment_of(section, at), from, rise, cause, by: ask.by, number: None });
        }
        let moment = pass.line.moment_of(section, length);
        if let Some(between) = self.between {
            let rule = piece.rule(between.from, between.to);
            let from = between.to.map_or(Beats::from_integer(0), |to| self.arrival(piece, to, rule.arrive, between.would));
            let rise = rise(piece, between.to, between.rise, rule.rises, from);
            return Some(Entry { to: between.to, at: length, moment, from, rise, cause: Arrival::Asked, by: between.by, number: None });
        }
        let (to, cause) = match section.next {
            Next::Loop => (Some(pass.section), Arrival::Round),
            Next::Section(next) => (Some(next), Arrival::Follows),
            Next::End => (None, Arrival::Follows),
        };
        Some(Entry { to, at: length, moment, from: Beats::from_integer(0), rise: still, cause, by: NameKey::NONE, number: None })
    }

    fn enters(&self, piece: &Piece, pass: &Pass, to: Option<SectionIndex>, rule: &Rule, at: Frames) -> Beats {
        let would = would(&piece.sections[pass.section], at);
        to.map_or(Beats::from_integer(0), |to| self.arrival(piece, to, rule.arrive, would))
    }

    /// Gives everything that happens before frame `until`, in order.
    pub fn advance(&mut self, piece: &Piece, rate: u32, until: u64, sink: &mut impl FnMut(Happens)) {
        if self.pass.is_none() {
            let Some(ask) = self.ask.filter(|a| a.asked < until) else { return };
            self.ask = None;
            self.out_of_silence(piece, ask, sink);
        }
        if until <= self.quiet {
            return;
        }
        // Every turn of the loop goes on by a point, an entry or a pick-up, so it ends.
        while let Some(pass) = self.pass {
            let section = &piece.sections[pass.section];
            let Some(entry) = self.entry(piece) else { return };
            let point = section.map.points().get(self.point as usize).copied();
            let pointed = point.filter(|p| wide(p.at) < entry.at).map(|p| (p, pass.line.moment(section, p.at)));
            let begins = entry.to.filter(|_| self.settled.is_none()).map(|to| entry.moment - lead(piece, to, entry.from, self.factor));
            // What is entered on this very moment comes before the points of what is left.
            if let Some(begin) = begins.filter(|b| *b < entry.moment && pointed.as_ref().is_none_or(|(_, m)| *b < *m)) {
                let early = nearest(begin);
                if early >= until {
                    self.quiet = early;
                    return;
                }
                self.begin_early(piece, entry, early, sink);
                continue;
            }
            if let Some((point, moment)) = pointed {
                let frame = nearest(moment);
                if frame >= until {
                    self.quiet = frame;
                    return;
                }
                self.point += 1;
                sink(Happens::Point { point, section: pass.section, frame });
                let step = match piece.step {
                    Step::Beat => point.on_beat,
                    Step::Bar => point.on_bar,
                    Step::Gliding => false,
                };
                if step && pass.line.factor != self.factor {
                    self.bend(piece, wide(point.at), moment);
                }
                continue;
            }
            if nearest(entry.moment) >= until {
                self.quiet = nearest(entry.moment);
                return;
            }
            self.enter(piece, rate, entry, sink);
        }
        if self.ask.is_some() {
            // It ended before its moment came: from silence nothing has to be waited for.
            self.advance(piece, rate, until, sink);
        }
    }

    fn out_of_silence(&mut self, piece: &Piece, ask: Ask, sink: &mut impl FnMut(Happens)) {
        let Some(wanted) = ask.to else { return };
        let rule = piece.rule(None, Some(wanted));
        let to = rule.way.unwrap_or(wanted);
        let from = if rule.way.is_some() { Beats::from_integer(0) } else { self.arrival(piece, wanted, rule.arrive, (0, Beats::from_integer(0))) };
        let rise = if rule.way.is_some() { (ask.rise.unwrap_or(0), Shape::Straight) } else { rise(piece, Some(to), ask.rise, rule.rises, from) };
        // Out of silence the pick-up comes first.
        let lead = lead(piece, to, from, self.factor);
        let moment = frames(ask.asked) + Frames::from_integer(i128::from(nearest(lead)));
        let cause = if rule.way.is_some() { Arrival::Between } else { Arrival::Asked };
        if rule.way.is_some() {
            self.between = Some(Between { from: None, to: ask.to, by: ask.by, rise: None, would: (0, Beats::from_integer(0)) });
        }
        let entry = Entry { to: Some(to), at: Frames::from_integer(0), moment, from, rise, cause, by: ask.by, number: None };
        let number = self.begin(piece, &entry, to, ask.asked, sink);
        self.there(piece, &entry, to, (number, 0), sink);
    }

    /// Begins the pick-up of what comes; from now on it is settled.
    fn begin_early(&mut self, piece: &Piece, mut entry: Entry, frame: u64, sink: &mut impl FnMut(Happens)) {
        let Some(to) = entry.to else { return };
        // Asked for late, it begins within its pick-up.
        let frame = frame.max(self.ask.map_or(0, |a| if entry.cause == Arrival::Round { 0 } else { a.asked }));
        entry.number = Some(self.begin(piece, &entry, to, frame, sink));
        self.settled = Some(entry);
    }

    fn begin(&mut self, piece: &Piece, entry: &Entry, to: SectionIndex, frame: u64, sink: &mut impl FnMut(Happens)) -> u64 {
        self.numbers += 1;
        let section = &piece.sections[to];
        let line = Timeline { at: wide(entry.from), moment: settle(entry.moment), factor: self.factor };
        // The audio begins with the pick-up; what lies before `frame` is left out.
        let into = section.pick_up_time() + section.map.time(entry.from);
        let skip = into - Frames::from_integer(i128::from(nearest(entry.moment)) - i128::from(frame));
        let late = skip > Frames::new(1, 2) && entry.from == Beats::from_integer(0) && section.pick_up > Beats::from_integer(0);
        let rise = if late { (entry.rise.0.max(256), entry.rise.1) } else { entry.rise };
        let round = entry.cause == Arrival::Round;
        let number = self.numbers;
        sink(Happens::Begin(PassBegins { number, section: to, frame, skip: nearest(skip), line, from: entry.from, rise, round }));
        number
    }

    /// Goes over: the present pass is left, and the new one is there.
    fn enter(&mut self, piece: &Piece, rate: u32, entry: Entry, sink: &mut impl FnMut(Happens)) {
        let Some(pass) = self.pass else { return };
        let section = &piece.sections[pass.section];
        let frame = nearest(entry.moment);
        let at = narrow(entry.at);
        let ended = at >= section.map.length();
        let natural = matches!(entry.cause, Arrival::Round | Arrival::Follows);
        let rule = match (self.between, self.ask) {
            // A bridge rings by itself.
            (Some(_), _) => None,
            (None, Some(ask)) if !natural => Some(piece.rule(Some(pass.section), ask.to)),
            _ => None,
        };
        let after = rule.map_or(0, |r| section.long(r.overlap, at));
        let over = match rule.and_then(|r| r.falls) {
            Some(ramp) => Some((section.long(ramp.over, at).max(if ended { 0 } else { u64::from(rate) / 500 }), ramp.curve)),
            None if ended => None,
            None => Some((shortest_fall(rate), Shape::Straight)),
        };
        self.left[pass.section.at()] = if ended { Beats::from_integer(0) } else { at };
        let number = match (entry.number, entry.to) {
            (Some(number), _) => number,
            (None, Some(to)) => self.begin(piece, &entry, to, frame, sink),
            (None, None) => 0,
        };
        sink(Happens::Fall(PassFalls { number: pass.number, frame, after, over, round: entry.cause == Arrival::Round }));
        if let Some(number) = self.settled.and_then(|s| s.number).filter(|n| entry.number != Some(*n)) {
            // A round whose pick-up had begun does not come.
            sink(Happens::Fall(PassFalls { number, frame, after: 0, over: Some((shortest_fall(rate), Shape::Straight)), round: false }));
        }
        if entry.cause == Arrival::Between
            && let Some(ask) = self.ask
        {
            let (bar, within) = would(section, entry.at);
            let bars = entry.to.map_or(0, |b| piece.sections[b].map.bars());
            self.between = Some(Between { from: Some(pass.section), to: ask.to, by: ask.by, rise: ask.rise, would: (bar + bars, within) });
        } else if !natural {
            self.between = None;
        }
        if !natural {
            self.ask = None;
        }
        self.settled = None;
        match entry.to {
            Some(to) => {
                let round = if entry.cause == Arrival::Round { pass.round + 1 } else { 0 };
                self.there(piece, &entry, to, (number, round), sink);
            }
            None => {
                self.pass = None;
                if let Some(ask) = &mut self.ask {
                    ask.asked = ask.asked.max(frame);
                }
                sink(Happens::Silence { before: Some(pass.section), frame, by: entry.by });
            }
        }
        if let Some(mut later) = self.later.take() {
            later.asked = later.asked.max(frame);
            self.ask(piece, later);
        }
    }

    /// A pass, by its number and its round, is there.
    fn there(&mut self, piece: &Piece, entry: &Entry, to: SectionIndex, (number, round): (u64, u32), sink: &mut impl FnMut(Happens)) {
        let before = self.pass.map(|pass| pass.section);
        let section = &piece.sections[to];
        let line = Timeline { at: wide(entry.from), moment: settle(entry.moment), factor: self.factor };
        self.pass = Some(Pass { section: to, line, from: entry.from, number, round });
        self.point = section.map.points().partition_point(|p| p.at < entry.from) as u32;
        sink(Happens::Enter { section: to, before, frame: nearest(entry.moment), from: entry.from, cause: entry.cause, by: entry.by, number });
        match self.ask {
            Some(ask) if ask.to == Some(to) && self.between.is_none() => self.ask = None,
            Some(_) => self.look_ahead(piece),
            None => {}
        }
    }

    /// Jumps within what plays, or into another section, at a frame; what waited is given up.
    pub fn jump(&mut self, piece: &Piece, rate: u32, to: SectionIndex, at: Beats, frame: u64, sink: &mut impl FnMut(Happens)) {
        (self.ask, self.between, self.settled, self.later, self.quiet) = (None, None, None, None, 0);
        let before = self.pass;
        let entry = Entry {
            to: Some(to),
            at: Frames::from_integer(0),
            moment: frames(frame),
            from: at,
            rise: (u64::from(rate) / 200, Shape::Straight),
            cause: Arrival::Asked,
            by: NameKey::NONE,
            number: None,
        };
        let number = self.begin(piece, &entry, to, frame, sink);
        if let Some(pass) = before {
            let over = Some((u64::from(rate) / 200, Shape::Straight));
            sink(Happens::Fall(PassFalls { number: pass.number, frame, after: 0, over, round: false }));
        }
        self.there(piece, &entry, to, (number, 0), sink);
    }

    /// Takes over where `old` is, when the piece has been edited: bar and beat stay. `section` finds sections again.
    pub fn take_over(&mut self, old: &Sequencer, old_piece: &Piece, piece: &Piece, frame: u64) {
        let same = |index: SectionIndex| piece.section(old_piece.sections[index].key);
        let moved = |to: Option<SectionIndex>| match to {
            None => Some(None),
            Some(section) => same(section).map(Some),
        };
        *self = Sequencer { numbers: old.numbers, factor: old.factor, ..Sequencer::default() };
        for (index, left) in old_piece.sections.places().zip(&old.left) {
            if let Some(new) = same(index) {
                self.left[new.at()] = *left;
            }
        }
        let Some(pass) = old.pass else { return };
        let Some(section) = same(pass.section) else { return };
        let old_section = &old_piece.sections[pass.section];
        let new_section = &piece.sections[section];
        let now = frames(frame);
        let at = pass.line.position(old_section, now);
        let keeps =
            (0..=new_section.map.bars()).all(|b| old_section.map.time(new_section.map.bar_start(b)) == new_section.map.time(new_section.map.bar_start(b)));
        let line = if keeps { pass.line } else { Timeline { at, moment: now, factor: pass.line.factor } };
        let from = if keeps { pass.from } else { narrow(at).max(pass.from) };
        self.pass = Some(Pass { section, line, from: from.min(new_section.map.length()), ..pass });
        self.point = new_section.map.points().partition_point(|p| nearest(line.moment(new_section, p.at)) < frame) as u32;
        self.between = old.between.and_then(|b| Some(Between { from: moved(b.from)?, to: moved(b.to)?, ..b }));
        self.settled = old.settled.and_then(|s| Some(Entry { to: moved(s.to)?, ..s })).filter(|_| keeps);
        self.later = old.later.and_then(|a| Some(Ask { to: moved(a.to)?, ..a }));
        self.ask = old.ask.and_then(|a| Some(Ask { to: moved(a.to)?, ..a }));
        if self.settled.is_none() {
            if let Some(ask) = &mut self.ask {
                ask.asked = ask.asked.max(frame);
            }
            self.look_ahead(piece);
        }
    }
}

/// Bar and quarter notes into it that a section would reach at a position; its end is its start again.
fn would(section: &Section, at: Frames) -> (u32, Beats) {
    let at = narrow(at);
    if at >= section.map.length() {
        return (section.map.bars(), Beats::from_integer(0));
    }
    let (bar, ..) = section.map.bar_beat(at);
    (bar, at - section.map.bar_start(bar))
}

/// How long the pick-up of a section sounds before it is entered.
fn lead(piece: &Piece, to: SectionIndex, from: Beats, factor: Frames) -> Frames {
    let section = &piece.sections[to];
    if from == Beats::from_integer(0) { section.pick_up_time() / factor } else { Frames::from_integer(0) }
}

fn rise(piece: &Piece, to: Option<SectionIndex>, own: Option<u64>, ramp: Ramp, from: Beats) -> (u64, Shape) {
    let over = own.map_or(ramp.over, Long::Frames);
    (to.map_or(0, |to| piece.sections[to].long(over, from)), ramp.curve)
}
