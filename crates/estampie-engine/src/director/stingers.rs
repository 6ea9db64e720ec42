//! Stingers and playlists: what waits for a musical moment, and what comes after what.

use super::music::{PieceState, Wanted, WantedAt, approach};
use super::{By, Directing};
use crate::ground::index::{PieceIndex, SectionIndex};
use crate::ground::names::NameKey;
use crate::ground::random::Stream;
use crate::ground::telemetry::{Reason, What};
use crate::ground::time::BLOCK;
use crate::mixer::voice::Leaving;
use crate::music::Point;
use crate::music::spec::{Next, Playlist, When};

/// The most playings of a stinger that are kept in mind.
const MOST_PLAYINGS: usize = 16;
/// The most pieces of a playlist that are not drawn again.
const MOST_RECENT: usize = 32;
/// The most stingers that wait.
pub(crate) const MOST_WAITING: usize = 64;

/// A stinger that waits for its moment.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Waiting {
    pub(crate) stinger: u16,
    pub(crate) piece: PieceIndex,
    pub(crate) on: When,
    pub(crate) asked: u64,
    pub(crate) by: By,
}

/// What a playing of a stinger holds down, if its stinger does.
#[derive(Debug, Clone, Copy, PartialEq)]
enum HoldsDown {
    All,
    Piece(PieceIndex),
    /// Its piece is gone.
    Nothing,
}

/// A stinger in the engine.
#[derive(Debug, Clone, Copy)]
pub(crate) struct StingerState {
    /// When it last sounded.
    pub(crate) last: Option<u64>,
    /// Its latest playings, and what each holds down.
    playings: [(u64, HoldsDown); MOST_PLAYINGS],
    next: usize,
}

impl Default for StingerState {
    fn default() -> Self {
        StingerState { last: None, playings: [(0, HoldsDown::All); MOST_PLAYINGS], next: 0 }
    }
}

impl StingerState {
    /// The same after an edit, by which pieces may stand elsewhere: what held down one that is gone holds down nothing.
    pub(crate) fn moved(mut self, piece: impl Fn(PieceIndex) -> Option<PieceIndex>) -> StingerState {
        for (_, holds) in &mut self.playings {
            if let HoldsDown::Piece(old) = *holds {
                *holds = piece(old).map_or(HoldsDown::Nothing, HoldsDown::Piece);
            }
        }
        self
    }
}

/// A playlist in the engine.
#[derive(Debug, Clone)]
pub(crate) struct PlaylistState {
    pub(crate) on: bool,
    /// The piece that plays.
    pub(crate) piece: Option<PieceIndex>,
    /// When the next one begins.
    pub(crate) next: u64,
    first: bool,
    recent: Vec<PieceIndex>,
    stream: Stream,
}

impl PlaylistState {
    pub(crate) fn new(list: &Playlist, seed: u64) -> PlaylistState {
        PlaylistState { on: false, piece: None, next: 0, first: true, recent: Vec::with_capacity(MOST_RECENT), stream: Stream::new(seed, list.key, 6) }
    }

    pub(crate) fn take_over(&mut self, old: &mut PlaylistState, piece: impl Fn(PieceIndex) -> Option<PieceIndex>) {
        (self.on, self.next, self.first) = (old.on, old.next, old.first);
        self.piece = old.piece.and_then(&piece);
        self.recent.extend(old.recent.iter().filter_map(|p| piece(*p)).take(MOST_RECENT));
        std::mem::swap(&mut self.stream, &mut old.stream);
    }

    /// The next piece, never one of the last.
    fn draw(&mut self, list: &Playlist) -> PieceIndex {
        let index = match list.not_last {
            None => self.recent.last().and_then(|last| list.pieces.iter().position(|p| p == last)).map_or(0, |at| (at + 1) % list.pieces.len()),
            Some(not_last) => {
                let barred = &self.recent[self.recent.len().saturating_sub(not_last as usize)..];
                let free = list.pieces.iter().filter(|p| !barred.contains(p)).count();
                let drawn = self.stream.below(free.max(1));
                list.pieces.iter().enumerate().filter(|(_, p)| !barred.contains(p)).nth(drawn).map_or(0, |(at, _)| at)
            }
        };
        let piece = list.pieces[index];
        if self.recent.len() == MOST_RECENT {
            self.recent.remove(0);
        }
        self.recent.push(piece);
        piece
    }
}

impl Directing<'_> {
    /// The piece by whose clock a stinger goes: its own, or the first that plays and is not held down.
    pub(super) fn clock_of(&self, stinger: u16) -> Option<PieceIndex> {
        let program = self.program;
        let pieces = &self.state.pieces;
        match program.music.stingers[usize::from(stinger)].piece {
            Some(piece) => pieces[piece].plays().then_some(piece),
            // One that another piece holds down is not what one hears.
            None => {
                let heard = pieces.find(|p| p.plays() && p.held > -1.0);
                heard.or_else(|| pieces.find(PieceState::plays))
            }
        }
    }

    /// Stingers that wait for music that has ended.
    pub(super) fn drop_stingers(&mut self) {
        let end = self.frame + BLOCK as u64;
        let mut at = 0;
        while let Some(waiting) = self.director.waiting.get(at).copied() {
            if self.state.pieces[waiting.piece].plays() {
                at += 1;
                continue;
            }
            self.director.waiting.remove(at);
            self.ask_sting(waiting.stinger, Some(waiting.on), None, end - 1, waiting.by);
        }
    }

    /// Answers those stingers of this block for which no music plays.
    pub(crate) fn sting_without_music(&mut self) {
        for at in 0..self.director.wanted.len() {
            let WantedAt { frame, what, by } = self.director.wanted[at];
            if let Wanted::Sting(stinger, on) = what
                && self.clock_of(stinger).is_none()
            {
                self.ask_sting(stinger, on, None, frame, by);
                // It is answered; should a piece begin in this block, it is not asked again.
                self.director.wanted[at].what = Wanted::Answered;
            }
        }
    }

    pub(super) fn ask_sting(&mut self, stinger: u16, on: Option<When>, piece: Option<PieceIndex>, frame: u64, by: By) {
        let program = self.program;
        let spec = &program.music.stingers[usize::from(stinger)];
        let refuse = |engine: &mut Directing<'_>, reason| {
            engine.outlets.tell(frame, What::Refused { sound: spec.key, emitter: by.emitter, reason, by: by.reaction });
        };
        let sounding = self.state.stingers[usize::from(stinger)];
        let now = sounding.playings.iter().filter(|(id, _)| *id != 0 && self.sounds(*id)).count();
        let waiting = self.director.waiting.iter().filter(|w| w.stinger == stinger).count();
        // One that waits will sound: asked for again it would only sound twice at once.
        if waiting > 0 || now >= spec.limit as usize {
            return refuse(self, Reason::Stingers { limit: spec.limit });
        }
        let wait = (spec.again_after as f64 * f64::from(self.director.rehearsed.waits)) as u64;
        if let Some(last) = sounding.last.filter(|last| frame < last + wait) {
            return refuse(self, Reason::AgainAfter { left: (last + wait - frame) as f32 / program.rate as f32 });
        }
        let on = on.unwrap_or(spec.on);
        match piece {
            None if spec.anyway => self.sting(stinger, None, frame, by),
            None => refuse(self, Reason::NoMusic),
            Some(piece) if on == When::AtOnce => {
                let at = self.state.pieces[piece].sequencer.position(&program.music.pieces[piece], frame);
                let section = self.state.pieces[piece].sequencer.pass().map_or(program.music.pieces[piece].first, |p| p.section);
                let (bar, beat, _) = at.unwrap_or_default();
                let map = &program.music.pieces[piece].sections[section].map;
                let place = map.position(bar, crate::music::exact::Beats::from_integer(i64::from(beat)));
                let point = Point { at: place, bar, beat, on_beat: true, on_bar: beat == 0 };
                self.sting(stinger, Some((piece, section, point)), frame, by);
            }
            Some(piece) if self.director.waiting.len() < MOST_WAITING => {
                self.director.waiting.push(Waiting { stinger, piece, on, asked: frame, by });
                self.outlets.tell(frame, What::Waits { stinger: spec.key, by: by.reaction });
            }
            Some(_) => refuse(self, Reason::Queue { limit: MOST_WAITING as u32 }),
        }
    }

    pub(super) fn sting(&mut self, stinger: u16, place: Option<(PieceIndex, SectionIndex, Point)>, frame: u64, by: By) {
        let program = self.program;
        let spec = &program.music.stingers[usize::from(stinger)];
        let section = place.map(|(piece, section, _)| &program.music.pieces[piece].sections[section]);
        let fits = |key: Option<NameKey>| key.and_then(|key| spec.by.iter().find(|(k, _)| *k == key)).map(|(_, sound)| *sound);
        let chord = place.and_then(|(.., point)| section.and_then(|s| s.chord(self.line_of(s), point.at)));
        let sound = fits(chord).or_else(|| fits(section.map(|s| s.key))).or(spec.sound);
        let piece = place.map(|(piece, ..)| piece);
        let key = piece.map_or(NameKey::NONE, |p| program.music.pieces[p].key);
        let Some(sound) = sound else {
            self.outlets.tell(frame, What::Refused { sound: spec.key, emitter: by.emitter, reason: Reason::Nothing, by: by.reaction });
            return;
        };
        let at = place.map_or((0, 0), |(.., point)| (point.bar, point.beat));
        self.outlets.tell(frame, What::Sting { stinger: spec.key, piece: key, at, by: by.reaction });
        let id = self.director.next_instance + 1;
        if let Err(reason) = self.start(sound, frame.saturating_sub(self.frame), by) {
            self.refuse(sound, frame.saturating_sub(self.frame), by, reason);
            return;
        }
        let state = &mut self.state.stingers[usize::from(stinger)];
        state.last = Some(frame);
        let next = state.next % MOST_PLAYINGS;
        state.playings[next] = (id, piece.map_or(HoldsDown::All, HoldsDown::Piece));
        state.next = next + 1;
    }

    /// Whether any voice of a playing sounds.
    fn sounds(&self, instance: u64) -> bool {
        let mut voices = self.mixer.voices.sounding();
        voices.any(|voice| !voice.ended && voice.leaving == Leaving::No && voice.route.instances[0] == instance)
    }

    /// Lets stingers hold pieces down, while they sound.
    pub(super) fn duck(&mut self) {
        let program = self.program;
        // Playings that have ended are forgotten, so that most blocks ask for no voice at all.
        for at in 0..program.music.stingers.len() {
            for playing in 0..MOST_PLAYINGS {
                let (id, _) = self.state.stingers[at].playings[playing];
                if id != 0 && !self.sounds(id) {
                    self.state.stingers[at].playings[playing].0 = 0;
                }
            }
        }
        for piece in program.music.pieces.places() {
            let mut deepest: Option<(f32, f32, NameKey)> = None;
            let mut release = 1.0;
            for (at, spec) in program.music.stingers.iter().enumerate() {
                let Some((by, attack, back)) = spec.duck else { continue };
                let state = self.state.stingers[at];
                if self.state.pieces[piece].ducked_by == spec.key {
                    release = back;
                }
                let holds = state.playings.iter().any(|(id, whose)| *id != 0 && (*whose == HoldsDown::All || *whose == HoldsDown::Piece(piece)));
                if holds && deepest.is_none_or(|(d, ..)| by < d) {
                    deepest = Some((by, attack, spec.key));
                }
            }
            let now = &mut self.state.pieces[piece];
            let (target, share) = deepest.map_or((0.0, release), |(by, attack, _)| (by, attack));
            now.ducked_by = deepest.map_or(now.ducked_by, |(.., key)| key);
            approach(&mut now.ducked, target, share);
        }
    }

    pub(super) fn turn_list(&mut self, list: u16, on: bool, wanted: WantedAt) {
        let program = self.program;
        let spec = &program.music.lists[usize::from(list)];
        let state = &mut self.state.playlists[usize::from(list)];
        if on == state.on {
            return;
        }
        state.on = on;
        if on {
            (state.first, state.next, state.piece) = (true, wanted.frame + spec.start, None);
        } else {
            let piece = state.piece.take();
            self.outlets.tell(wanted.frame, What::List { list: spec.key, piece: NameKey::NONE });
            if let Some(piece) = piece {
                self.want(wanted.frame, Wanted::Go(piece, None, None, None), wanted.by);
            }
        }
    }

    /// Lets playlists go on.
    pub(super) fn follow_lists(&mut self) {
        let program = self.program;
        for (index, list) in program.music.lists.iter().enumerate() {
            let state = &mut self.state.playlists[index];
            if !state.on {
                continue;
            }
            let by = By { reaction: list.key, emitter: NameKey::NONE };
            match state.piece {
                None if state.next < self.frame + BLOCK as u64 => {
                    let piece = state.draw(list);
                    state.piece = Some(piece);
                    let rise = std::mem::replace(&mut state.first, false).then_some(list.fade_in);
                    let (frame, spec) = (state.next.max(self.frame), &program.music.pieces[piece]);
                    self.outlets.tell(frame, What::List { list: list.key, piece: spec.key });
                    self.want(frame, Wanted::Go(piece, Some(spec.first), None, rise), by);
                }
                None => {}
                Some(piece) => {
                    let spec = &program.music.pieces[piece];
                    let sequencer = &self.state.pieces[piece].sequencer;
                    match sequencer.pass() {
                        None if sequencer.waits().is_none() => {
                            let seconds = state.stream.between(list.gap);
                            state.piece = None;
                            state.next = self.frame + (f64::from(seconds) * f64::from(program.rate)) as u64;
                        }
                        // The last round has begun: it is left at its end.
                        Some(pass)
                            if pass.round + 1 >= list.rounds
                                && spec.sections[pass.section].next == Next::Loop
                                && sequencer.waits().is_none()
                                && sequencer.between().is_none() =>
                        {
                            self.want(self.frame, Wanted::Go(piece, None, Some(When::End), None), by);
                        }
                        _ => {}
                    }
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_playing_whose_piece_is_gone_still_counts_and_holds_nothing_down() {
        let [first, second] = [0, 1].map(PieceIndex::new);
        let mut state = StingerState::default();
        state.playings[..3].copy_from_slice(&[(7, HoldsDown::Piece(first)), (8, HoldsDown::Piece(second)), (9, HoldsDown::All)]);
        let moved = state.moved(|piece| (piece == first).then_some(second));
        assert_eq!(moved.playings[..3], [(7, HoldsDown::Piece(second)), (8, HoldsDown::Nothing), (9, HoldsDown::All)]);
    }
}
