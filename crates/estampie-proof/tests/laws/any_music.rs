//! Any piece with any asks, against fractions worked out by other means: changes on allowed frames, what is shown as to come comes.

use crate::support::program_with;
use estampie_engine::index::{PieceIndex, SectionIndex};
use estampie_engine::music::exact::{Beats, Frames, nearest};
use estampie_engine::music::spec::{Piece, When};
use estampie_engine::music::{Happens, Sequencer, plan, wait};
use estampie_engine::names::NameKey;
use estampie_engine::vocabulary::Arrival as Cause;
use estampie_project::document::{Arrive, Moment};
use proptest::prelude::*;

fn any_piece() -> impl Strategy<Value = String> {
    let section = (1u32..5, 60i64..180, 1u32..3, 0u32..2, prop_oneof![Just("loop"), Just("end"), Just("s0")]);
    let leave = prop_oneof![Just(Moment::AtOnce), Just(Moment::Beat), Just(Moment::Bar), Just(Moment::Bars(2)), Just(Moment::Phrase), Just(Moment::End),];
    let arrive = prop_oneof![Just(Arrive::Start), Just(Arrive::SameBar), Just(Arrive::SameBeat), Just(Arrive::LeftOff)];
    let rule = (0usize..4, 0usize..4, leave, arrive, any::<bool>());
    (prop::collection::vec(section, 4), prop::collection::vec(rule, 0..8)).prop_map(|(sections, rules)| {
        let mut text = String::from("[piece.dance]\ntempo = \"100\"\n");
        for (at, (bars, tempo, phrase, pick_up, then)) in sections.iter().enumerate() {
            let phrase = (*phrase).min(*bars);
            let (tempo, further) = (format!("{tempo}.7"), tempo + 11);
            let tempo = if *bars > 1 { format!("[\"1: {tempo}\", \"2: {further}\"]") } else { format!("\"{tempo}\"") };
            text += &format!("[piece.dance.section.s{at}]\nbars = {bars}\nphrase = {phrase}\ntempo = {tempo}\npick-up = \"{pick_up} beats\"\nthen = \"{then}\"\n[piece.dance.section.s{at}.layer.x]\nfile = \"audio/level.wav\"\n");
        }
        let mut done = Vec::new();
        for (from, to, leave, arrive, bridge) in rules {
            if from != to && !done.contains(&(from, to)) {
                done.push((from, to));
                let bridge = if bridge && from != 3 && to != 3 { "by-way-of = \"s3\"\n" } else { "" };
                text += &format!("[[piece.dance.transition]]\nfrom = \"s{from}\"\nto = \"s{to}\"\nleave = \"{leave}\"\narrive = \"{arrive}\"\n{bridge}");
            }
        }
        text
    })
}

fn asks() -> impl Strategy<Value = Vec<(u64, u16)>> {
    prop::collection::vec((0u64..3_000_000, 0u16..5), 1..20).prop_map(|mut list| {
        list.sort_unstable();
        list
    })
}

/// Runs a sequencer through asks (4 is silence) and gives all that happens, cut into steps of `step` frames.
fn run(piece: &Piece, asks: &[(u64, u16)], step: u64, end: u64) -> Vec<Happens> {
    let mut sequencer = Sequencer::default();
    let mut all = Vec::new();
    let mut at = 0;
    let mut asks = asks.iter().peekable();
    while at < end {
        let next = at + step;
        while let Some((frame, to)) = asks.next_if(|(f, _)| *f < next) {
            sequencer.advance(piece, 48_000, *frame, &mut |h| all.push(h));
            sequencer.ask(piece, Sequencer::want((*to < 4).then(|| SectionIndex::new(usize::from(*to))), NameKey::NONE, *frame));
        }
        sequencer.advance(piece, 48_000, next, &mut |h| all.push(h));
        at = next;
    }
    all
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, ..ProptestConfig::default() })]

    #[test]
    fn every_change_is_on_a_frame_that_its_rule_allows(text in any_piece(), asks in asks()) {
        let program = program_with(&[("music/all.toml", text.as_str())]);
        let piece = &program.music.pieces[PieceIndex::new(0)];
        let all = run(piece, &asks, 6_400, 3_200_000);
        // The moment of the present pass's first bar, kept in exact fractions from one change to the next.
        let mut start: Option<(SectionIndex, Frames)> = None;
        let mut last = 0;
        for what in &all {
            prop_assert!(what.frame() + 200_000 >= last, "in order, but for pick-ups");
            match what {
                Happens::Enter { section, before, frame, from, cause, .. } => {
                    let new = &piece.sections[*section];
                    let moment = match (before, start) {
                        (Some(_), Some((old, at))) => {
                            let map = &piece.sections[old].map;
                            // Among all positions that the rule allows there must be one on this very frame.
                            let candidates: Vec<Beats> = map.points().iter().map(|p| p.at).chain([map.length()]).collect();
                            let here = candidates.iter().find(|p| nearest(at + map.time(**p)) == *frame);
                            match here {
                                Some(p) => {
                                    if *cause == Cause::Round || *cause == Cause::Follows {
                                        prop_assert_eq!(*p, map.length());
                                    } else if *cause == Cause::Asked || *cause == Cause::Between {
                                        let (bar, beat, within) = map.bar_beat(*p);
                                        let rule_ok = [When::Beat, When::AtOnce].iter().any(|_| within == Beats::from_integer(0)) || (bar, beat) == (0, 0);
                                        prop_assert!(rule_ok);
                                    }
                                    at + map.time(*p)
                                }
                                // Only what leaves at once may leave between beats.
                                None => {
                                    let any_once = piece.sections.places().any(|to| piece.rule(Some(old), Some(to)).leave == When::AtOnce);
                                    prop_assert!(any_once, "{what:?} is on no beat");
                                    Frames::from_integer(i128::from(*frame))
                                }
                            }
                        }
                        _ => Frames::from_integer(i128::from(*frame)),
                    };
                    prop_assert_eq!(nearest(moment), *frame);
                    start = Some((*section, moment - new.map.time(*from)));
                }
                Happens::Silence { .. } => start = None,
                Happens::Point { point, frame, section } => {
                    let Some((now, at)) = start else { return Err(TestCaseError::fail("a beat in silence")) };
                    prop_assert_eq!(now, *section);
                    prop_assert_eq!(nearest(at + piece.sections[now].map.time(point.at)), *frame, "no beat drifts");
                }
                _ => {}
            }
            last = last.max(what.frame());
        }
    }

    #[test]
    fn every_pass_that_is_left_falls_and_each_begins_before_it_is_there(text in any_piece(), asks in asks()) {
        let program = program_with(&[("music/all.toml", text.as_str())]);
        let piece = &program.music.pieces[PieceIndex::new(0)];
        let all = run(piece, &asks, 6_400, 3_200_000);
        let begun: Vec<u64> = all.iter().filter_map(|h| if let Happens::Begin(pass) = h { Some(pass.number) } else { None }).collect();
        let fallen: Vec<u64> = all.iter().filter_map(|h| if let Happens::Fall(pass) = h { Some(pass.number) } else { None }).collect();
        let mut sorted = begun.clone();
        sorted.sort_unstable();
        sorted.dedup();
        prop_assert_eq!(sorted.len(), begun.len(), "each begins once");
        for (at, what) in all.iter().enumerate() {
            if let Happens::Enter { number, .. } = what {
                let earlier = all[..at].iter().any(|h| matches!(h, Happens::Begin(pass) if pass.number == *number));
                prop_assert!(earlier);
            }
        }
        // Two may be under way at the end: the one that plays, and one whose pick-up sounds.
        prop_assert!(begun.len() - fallen.len() <= 2, "{} begun, {} left", begun.len(), fallen.len());
        prop_assert!(fallen.iter().all(|n| begun.contains(n)));
    }

    #[test]
    fn it_is_the_same_however_the_blocks_are_cut(text in any_piece(), asks in asks(), step in 1u64..300) {
        let program = program_with(&[("music/all.toml", text.as_str())]);
        let piece = &program.music.pieces[PieceIndex::new(0)];
        let until = |step: u64| run(piece, &asks, step, 64 * 30_000).into_iter().filter(|h| h.frame() < 64 * 29_000).collect::<Vec<_>>();
        prop_assert!(until(64 * step) == until(64));
    }

    #[test]
    fn the_next_eight_bars_are_what_then_comes(text in any_piece(), asks in asks(), at in 0u64..2_000_000) {
        let program = program_with(&[("music/all.toml", text.as_str())]);
        let piece = &program.music.pieces[PieceIndex::new(0)];
        let mut sequencer = Sequencer::default();
        for (frame, to) in asks.iter().filter(|(f, _)| *f < at) {
            sequencer.advance(piece, 48_000, *frame, &mut |_| ());
            sequencer.ask(piece, Sequencer::want((*to < 4).then(|| SectionIndex::new(usize::from(*to))), NameKey::NONE, *frame));
        }
        sequencer.advance(piece, 48_000, at, &mut |_| ());
        let planned = plan(piece, &sequencer, 48_000, at, 8);
        let mut bars = Vec::new();
        sequencer.advance(piece, 48_000, at + 48_000 * 60, &mut |h| {
            if let Happens::Point { point, section, frame } = h && point.on_bar {
                bars.push((section, point.bar, frame));
            }
        });
        let planned: Vec<_> = planned.iter().filter(|p| p.frame >= at).map(|p| (p.section, p.bar, p.frame)).collect();
        // A bar that is entered in its middle is planned too, but has no downbeat.
        let whole: Vec<_> = planned.iter().filter(|p| bars.contains(p)).copied().collect();
        prop_assert_eq!(&bars[..whole.len().min(bars.len())], &whole[..]);
        let last = planned.last().map_or(0, |p| p.2);
        prop_assert!(bars.iter().filter(|b| b.2 <= last).all(|b| planned.contains(b)), "none is left out");
    }

    #[test]
    fn waits_are_as_long_as_said(text in any_piece(), asked in 0u64..96_000 * 4) {
        let program = program_with(&[("music/all.toml", text.as_str())]);
        let piece = &program.music.pieces[PieceIndex::new(0)];
        let mut sequencer = Sequencer::default();
        sequencer.ask(piece, Sequencer::want(Some(SectionIndex::new(0)), NameKey::NONE, 0));
        sequencer.advance(piece, 48_000, asked, &mut |_| ());
        let playing = sequencer.pass().is_some_and(|p| p.section == SectionIndex::new(0) && nearest(p.line.moment(&piece.sections[SectionIndex::new(0)], Beats::from_integer(0))) <= asked);
        sequencer.ask(piece, Sequencer::want(Some(SectionIndex::new(1)), NameKey::NONE, asked));
        if let (true, Some(leaves)) = (playing, sequencer.leaves(piece)) {
            let said = wait(piece, SectionIndex::new(0), piece.rule(Some(SectionIndex::new(0)), Some(SectionIndex::new(1))).leave).unwrap();
            prop_assert!((leaves - asked) as f64 <= said.longest + 1.0, "{} against {}", leaves - asked, said.longest);
            prop_assert!(said.median <= said.longest / 1.99 + 1.0 || said.longest == 0.0 || said.median <= said.longest);
        }
    }
}

#[test]
fn a_section_that_is_left_while_its_pick_up_sounds_is_not_shown_as_to_come() {
    let text = r#"
        [piece.dance]
        tempo = "60"
        [piece.dance.section.call]
        bars = 1
        pick-up = "1 beats"
        then = "loop"
        [piece.dance.section.call.layer.x]
        file = "audio/level.wav"
        [piece.dance.section.answer]
        bars = 1
        then = "loop"
        [piece.dance.section.answer.layer.x]
        file = "audio/level.wav"
        [[piece.dance.transition]]
        from = "call"
        to = "answer"
        leave = "at once"
        arrive = "start"
    "#;
    let program = program_with(&[("music/all.toml", text)]);
    let piece = &program.music.pieces[PieceIndex::new(0)];
    let mut sequencer = Sequencer::default();
    // Asked for at 1000 its pick-up begins; asked away from at 2000, the other one is there where its own downbeat would have been.
    for (frame, to) in [(1_000, 0), (2_000, 1)] {
        sequencer.advance(piece, 48_000, frame, &mut |_| ());
        sequencer.ask(piece, Sequencer::want(Some(SectionIndex::new(to)), NameKey::NONE, frame));
    }
    sequencer.advance(piece, 48_000, 3_000, &mut |_| ());
    let planned: Vec<_> = plan(piece, &sequencer, 48_000, 3_000, 3).iter().map(|p| (p.section.at(), p.frame, p.new)).collect();
    assert_eq!(planned, [(1, 49_000, true), (1, 241_000, false), (1, 433_000, false)]);
}
