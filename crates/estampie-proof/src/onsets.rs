//! Where a layer has something to hear: the strength of its onsets, part by part of each beat, from its recording or its notes.

use crate::tempo::HEARD;
use estampie_engine::clip::{Clip, Samples};
use estampie_engine::music::Metre;
use estampie_engine::music::exact::{Beats, nearest};
use estampie_engine::music::spec::Layer;
use estampie_engine::program::{Program, TakeOf};
use std::sync::Arc;

/// How many parts a beat of a bar is divided into: three in metres such as 6/8, else two.
#[must_use]
pub fn parts_of_beat(metre: Metre) -> i64 {
    if *metre.beat().numer() == 3 { 3 } else { 2 }
}

/// The audio that a layer plays, if it plays a file.
#[must_use]
pub fn clip_of<'a>(program: &'a Program, layer: &Layer) -> Option<&'a Arc<Clip>> {
    program.sounds[layer.sound].groups.iter().flat_map(|g| &g.takes).find_map(|t| match &t.of {
        TakeOf::Recipe(recipe) => recipe.parts.first().and_then(|p| p.clips.first()).map(|(clip, _)| clip),
        TakeOf::Sound(_) => None,
    })
}

/// A hundredth of a second, in frames.
pub(crate) fn hop(rate: u32) -> usize {
    (rate / 100).max(1) as usize
}

/// How much the power of a clip rises from one `hop` to the next, summed over its channels; a fall is 0.
pub(crate) fn rises(clip: &Clip, hop: usize) -> Vec<f32> {
    // What lies before a stretch is not passed through again for each of them.
    let mut stretch = vec![0.0; hop];
    let mut power = |from: usize| {
        let to = (from + hop).min(clip.frames());
        let of_channel = |c: &Samples| {
            let stretch = &mut stretch[..to - from];
            c.all().from(from, to).copy_to(stretch);
            stretch.iter().map(|s| s * s).sum::<f32>()
        };
        clip.channels.iter().map(of_channel).sum::<f32>()
    };
    let powers: Vec<f32> = (0..clip.frames()).step_by(hop).map(&mut power).collect();
    powers.iter().scan(0.0, |before, power| Some((power - std::mem::replace(before, *power)).max(0.0))).collect()
}

/// What the strokes of a recorded layer are worked out from: the same for as long as they are the same. `None` for notes, whose
/// strokes cost nothing.
#[must_use]
pub fn strokes_from(program: &Program, layer: &Layer) -> Option<(usize, Vec<u64>)> {
    let clip = clip_of(program, layer)?;
    let section = &program.music.pieces[layer.piece].sections[layer.section];
    let beats = section.map.points().iter().filter(|p| p.on_beat).map(|p| nearest(section.map.time(p.at)));
    Some((Arc::as_ptr(clip) as usize, beats.chain([nearest(section.pick_up_time())]).collect()))
}

/// What is heard in a layer.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Heard {
    /// For each part of a beat of its section: 0 is nothing, 255 the strongest onset of the layer.
    pub strokes: Vec<u8>,
    /// How much the power of its recording rises in each hundredth of a second, for the first half minute; a fall is 0.
    pub rises: Vec<f32>,
}

/// Hears through a layer. Its recording is read where it is streamed, which takes a while.
#[must_use]
pub fn hear(program: &Program, layer: &Layer) -> Heard {
    let section = &program.music.pieces[layer.piece].sections[layer.section];
    let mut beats = Vec::new();
    for point in section.map.points().iter().filter(|p| p.on_beat) {
        let metre = section.map.metre(point.bar);
        let parts = parts_of_beat(metre);
        beats.extend((0..parts).map(|part| point.at + metre.beat() * Beats::new(part, parts)));
    }
    let ends = beats.iter().skip(1).copied().chain([section.map.length()]);
    if let Some(notes) = layer.notes.and_then(|n| program.music.notes.get(n as usize)) {
        let within = |from, to| notes.patterns.iter().flatten().filter(move |n| n.at >= from && n.at < to).map(|n| n.velocity).max().unwrap_or(0);
        let strokes = beats.iter().zip(ends).map(|(from, to)| within(*from, to).saturating_mul(2)).collect();
        return Heard { strokes, rises: Vec::new() };
    }
    let Some(Ok(clip)) = clip_of(program, layer).map(|clip| program.held(clip, usize::MAX)) else {
        return Heard { strokes: vec![0; beats.len()], rises: Vec::new() };
    };
    let hop = hop(program.rate);
    let mut rises = rises(&clip, hop);
    let lead = nearest(section.pick_up_time()) as usize;
    let frame = |at| nearest(section.map.time(at)) as usize + lead;
    let strongest: Vec<f32> = beats
        .iter()
        .zip(ends)
        .map(|(from, to)| {
            // A stroke a hundredth of a second early still belongs to its beat.
            let range = (frame(*from) / hop).saturating_sub(1)..(frame(to) / hop).saturating_sub(1).min(rises.len());
            rises.get(range).into_iter().flatten().copied().fold(0.0, f32::max)
        })
        .collect();
    let most = strongest.iter().copied().fold(1e-9, f32::max);
    // The square root of power is amplitude: softer strokes stay visible. What is far below the strongest is none.
    let strokes = strongest.iter().map(|s| (s / most).sqrt()).map(|share| if share < 0.06 { 0 } else { (share * 255.0) as u8 }).collect();
    rises.truncate(HEARD);
    Heard { strokes, rises }
}
