//! `estampie report PROJECT -o OUT.pdf`: a few pages for the team.

use super::output::{out, print_faults};
use crate::aside::Aside;
use crate::failure::Failure;
use crate::project;
use estampie_engine::clip::Samples;
use estampie_project::document::did_you_mean;
use estampie_proof::check;
use estampie_proof::draw::{self, Drawing, Page};
use estampie_proof::explore::{FOUND, known};
use std::io::Write as _;
use std::path::PathBuf;
use std::sync::atomic::Ordering;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    project: PathBuf,
    /// The PDF file to write
    #[arg(short, long, value_name = "OUT.pdf")]
    out: PathBuf,
    /// A playthrough that is drawn over time; may be said several times, and all are if unsaid
    #[arg(short, long, value_name = "NAME")]
    playthrough: Vec<String>,
}

/// A number with its word.
fn count(n: usize, one: &str, many: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {many}") }
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let loaded = project::load(&arguments.project)?;
    print_faults(&loaded.faults);
    let (program, document) = (&loaded.program, loaded.workspace.document());
    let known_names: Vec<&str> = document.playthroughs.iter().map(|(name, _)| name.as_str()).collect();
    for name in &arguments.playthrough {
        if !known_names.contains(&name.as_str()) {
            return Err(Failure::Use(format!("there is no playthrough {name}; {}", did_you_mean(name, known_names.iter().copied(), "name one that there is"))));
        }
    }
    let stopped = super::stopped()?;
    let go_on = || if stopped.load(Ordering::Relaxed) { Err(Failure::Fault("stopped; nothing was written".into())) } else { Ok(()) };
    let broken = check::hold_all(program, document, |_| !stopped.load(Ordering::Relaxed));
    go_on()?;
    let transitions = check::transitions(program, |_| !stopped.load(Ordering::Relaxed));
    go_on()?;
    let coverage = check::coverage(program, document, |_| !stopped.load(Ordering::Relaxed));
    go_on()?;
    let loudness = draw::loudness(program, document);
    let expected: usize = document.playthroughs.iter().map(|(_, p)| check::count(document, p)).sum();
    let (accepted, open): (Vec<_>, Vec<_>) = transitions.iter().partition(|t| t.accepted.is_some());
    let found = known(document);
    let bytes: usize = {
        let mut all = 0;
        program.each_clip(|clip| all += clip.channels.iter().map(Samples::bytes).sum::<usize>());
        all
    };
    let mut parts: Vec<(String, Vec<String>)> = vec![
        ("How it should feel".into(), if document.manifest.direction.is_empty() { Vec::new() } else { vec![document.manifest.direction.join(", ")] }),
        (
            "What there is".into(),
            vec![
                format!(
                    "{}, {}; {}, {}, {}",
                    count(document.sounds.len(), "sound", "sounds"),
                    count(loaded.assets.len(), "audio file", "audio files"),
                    count(document.reactions.len(), "reaction", "reactions"),
                    count(document.modulations.len(), "modulation", "modulations"),
                    count(document.snapshots.len(), "snapshot", "snapshots"),
                ),
                format!(
                    "{} with {}, {}",
                    count(document.music.pieces.len(), "piece", "pieces"),
                    count(document.music.pieces.iter().map(|p| p.sections.len()).sum(), "section", "sections"),
                    count(document.music.stingers.len(), "stinger", "stingers"),
                ),
                format!(
                    "{}, {}",
                    count(document.world.zones.len(), "zone", "zones"),
                    count(document.world.emitters.len(), "placed emitter", "placed emitters")
                ),
                format!("{} of audio in memory, as 32-bit samples", size(bytes)),
            ],
        ),
    ];
    let budgets = document.manifest.parts.iter().map(|part| {
        let budget = part.budget.as_ref().map_or_else(|| "no budget".to_owned(), |b| size(b.value as usize));
        format!("{}: {budget}; holds {}", part.name, part.holds.iter().map(|h| h.value.as_str()).collect::<Vec<_>>().join(", "))
    });
    parts.push(("Parts of the bundle".into(), budgets.collect()));
    parts.push(("Faults".into(), loaded.faults.iter().map(ToString::to_string).collect()));
    parts.push((
        format!("Expectations: {} of {expected} are kept", expected - broken.len().min(expected)),
        if broken.is_empty() { vec!["all of them".into()] } else { broken.iter().map(ToString::to_string).collect() },
    ));
    let clean = "nothing was found".to_owned();
    parts.push((
        format!("Transitions: {}", count(open.len(), "problem", "problems")),
        if open.is_empty() { vec![clean.clone()] } else { open.iter().map(ToString::to_string).collect() },
    ));
    parts.push(("Transitions: accepted".into(), accepted.iter().map(ToString::to_string).collect()));
    parts.push(("Found by exploring, and still open".into(), found.iter().map(|(what, name)| format!("{what} (playthroughs/{name}.play)")).collect()));
    parts.push(("Found by exploring, and accepted".into(), document.explore.accepted.iter().map(|a| format!("{} ({})", a.problem.value, a.reason)).collect()));
    let never: Vec<String> = coverage
        .kinds
        .iter()
        .filter_map(|(word, _)| {
            let (all, never) = coverage.never(word);
            (!never.is_empty()).then(|| {
                format!("{} of {all} {word}: {}", never.len(), never.iter().map(|n| n.lines().next().unwrap_or_default()).collect::<Vec<_>>().join("; "))
            })
        })
        .collect();
    parts.push(("Never come by in any playthrough".into(), never));
    let name = &document.manifest.name;
    let mut pages = vec![
        Page::Text(format!("{name}: report"), parts),
        Page::Drawing(format!("{name}: routing"), Drawing::Routing(draw::routing(document, program))),
        Page::Drawing(format!("{name}: map"), Drawing::Map(Box::new(draw::map(&document.world).unwrap_or_default()))),
        Page::Drawing(format!("{name}: all transitions"), Drawing::Panels(draw::seams(program))),
        Page::Drawing(format!("{name}: loudness of every playthrough"), Drawing::Panels(loudness)),
        Page::Drawing(format!("{name}: coverage by the playthroughs"), Drawing::Coverage(Box::new(coverage))),
    ];
    for (own, playthrough) in &document.playthroughs {
        let wanted = arguments.playthrough.is_empty() && !own.starts_with(FOUND) || arguments.playthrough.contains(own);
        if wanted {
            go_on()?;
            pages.push(Page::Drawing(format!("{name}: {own}"), Drawing::Timeline(Box::new(draw::timeline(program, playthrough)))));
        }
    }
    let bytes = draw::report(&pages).map_err(|e| Failure::Fault(e.to_string()))?;
    let mut file = Aside::create(&arguments.out, &["pdf"], Some(&arguments.project), false)?;
    file.write_all(&bytes)?;
    file.finish()?;
    out!("{}: {}", arguments.out.display(), count(pages.len(), "part", "parts"));
    Ok(())
}

fn size(bytes: usize) -> String {
    format!("{:.1} MB", bytes as f64 / 1e6)
}
