//! What two traces differ in: before and after an edit, of two seeds, of last week's bundle and today's project, of a rehearsal and its rendering.
//!
//! What was said to the engine comes in both, if perhaps at other times: each thing that was heard is looked at from the last input before it that both
//! have. So a play that begins later, or waits longer in its midst, is not all otherwise.

use estampie_project::stock::take_words;
use serde_json::Value;
use std::collections::HashMap;

/// Two beginnings within so many seconds of each other are the same.
const SAME: f64 = 2.0;
/// A beginning so many seconds earlier or later is told.
const MOVED: f64 = 0.01;
/// A level that differs by so many dB is told; a pitch by so many semitones.
const LEVEL: f64 = 0.5;
const PITCH: f64 = 0.05;

/// A trace, as [`super::to_json`] writes it, line by line.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Trace {
    /// Frames a second.
    pub rate: f64,
    /// What happened.
    pub lines: Vec<Value>,
}

/// Something that differs.
#[derive(Debug, Clone, PartialEq)]
pub struct Difference {
    /// How much it counts: what is heard in one alone before what is louder, later, or another take.
    pub weight: f64,
    /// When in the one and in the other, in seconds.
    pub at: (Option<f64>, Option<f64>),
    /// What it is about: a sound, a piece, a stinger, a snapshot.
    pub about: String,
    /// What differs, in words.
    pub words: String,
}

/// What it is, of what, and what else has to be the same.
type Kind = (String, String, String);

/// Something that came of what was said.
#[derive(Debug, Clone, PartialEq)]
struct Came {
    /// What it is, and of what: what is the same in both has the same.
    kind: Kind,
    seconds: f64,
    /// From the last input that both have.
    since: f64,
    level: Option<f64>,
    pitch: Option<f64>,
    take: String,
    reason: String,
}

fn text<'a>(line: &'a Value, field: &str) -> &'a str {
    line[field].as_str().unwrap_or_default()
}

/// Of what the game said: what it was, without when.
fn input(line: &Value) -> Option<String> {
    let said = matches!(text(line, "what"), "event" | "parameter" | "state" | "place" | "walk" | "remove") && line["by"].is_null();
    let what = |field: &str| line.get(field).map(|v| format!("{field} {v}")).unwrap_or_default();
    said.then(|| ["what", "event", "parameter", "value", "to", "state", "emitter", "at"].map(what).join(" "))
}

impl Trace {
    /// Reads a trace file: JSON Lines.
    ///
    /// # Errors
    /// With the line that is none.
    pub fn read(text: &str, rate: f64) -> Result<Trace, String> {
        let mut lines = Vec::new();
        for (at, row) in text.lines().enumerate().filter(|(_, row)| !row.trim().is_empty()) {
            let line: Value = serde_json::from_str(row).map_err(|e| format!("line {}: {e}", at + 1))?;
            if line["frame"].as_u64().is_none() || line["what"].as_str().is_none() {
                return Err(format!("line {} has no frame, or does not say what", at + 1));
            }
            lines.push(line);
        }
        Ok(Trace { rate, lines })
    }

    fn seconds(&self, line: &Value) -> f64 {
        line["frame"].as_u64().unwrap_or(0) as f64 / self.rate
    }

    /// The inputs, in order.
    fn inputs(&self) -> Vec<(usize, String)> {
        self.lines.iter().enumerate().filter_map(|(at, line)| Some((at, input(line)?))).collect()
    }

    /// What came of what was said, given which inputs both have.
    fn came(&self, anchors: &[usize]) -> Vec<(usize, Came)> {
        let (mut anchor, mut since) = (0, 0.0);
        let mut next = anchors.iter().enumerate().peekable();
        let mut found = Vec::new();
        for (at, line) in self.lines.iter().enumerate() {
            while let Some((number, _)) = next.next_if(|(_, place)| **place <= at) {
                (anchor, since) = (number + 1, self.seconds(&self.lines[anchors[number]]));
            }
            let what = text(line, "what");
            let name = match what {
                "voice-start" | "refused" | "line" => "sound",
                // What does not sound is not let go.
                "stop" | "finish" if line["count"] != 0 => "sound",
                "music" | "music-asked" => "piece",
                "stinger" => "stinger",
                "snapshot" => "snapshot",
                "layer" => "layer",
                "playlist" => "playlist",
                "reaction" => "reaction",
                _ => continue,
            };
            let about = text(line, name).to_owned();
            // Layers of pieces follow from their section.
            if what == "voice-start" && about.contains(' ') {
                continue;
            }
            let of = match what {
                "voice-start" | "refused" => text(line, "emitter").to_owned(),
                "music" => text(line, "section").to_owned(),
                "music-asked" => format!("{} {}", text(line, "to"), text(line, "answer")),
                "snapshot" => line["up"].to_string(),
                "layer" => line["in"].to_string(),
                "playlist" => text(line, "piece").to_owned(),
                _ => String::new(),
            };
            let seconds = self.seconds(line);
            found.push((
                anchor,
                Came {
                    kind: (what.to_owned(), about, of),
                    seconds,
                    since: seconds - since,
                    level: line["level"].as_f64(),
                    pitch: line["pitch"].as_f64(),
                    take: text(line, "take").to_owned(),
                    reason: text(line, "reason").to_owned(),
                },
            ));
        }
        found
    }
}

/// The places of inputs that two traces have in one order: the longest common part (Myers' difference of the two lists).
fn common(one: &[(usize, String)], other: &[(usize, String)]) -> (Vec<usize>, Vec<usize>) {
    let (a, b): (Vec<&String>, Vec<&String>) = (one.iter().map(|i| &i.1).collect(), other.iter().map(|i| &i.1).collect());
    let (mut first, mut second) = (Vec::new(), Vec::new());
    for op in similar::capture_diff_slices(similar::Algorithm::Myers, &a, &b) {
        if let similar::DiffOp::Equal { old_index, new_index, len } = op {
            first.extend((0..len).map(|i| one[old_index + i].0));
            second.extend((0..len).map(|i| other[new_index + i].0));
        }
    }
    (first, second)
}

/// What is said of something that one alone has.
fn alone(came: &Came, where_it_is: &str) -> (f64, String) {
    match came.kind.0.as_str() {
        "voice-start" => (100.0 + came.level.unwrap_or(0.0).clamp(-60.0, 24.0), format!("is heard {where_it_is} alone")),
        "refused" => (40.0, format!("is refused {where_it_is} alone: {}", came.reason)),
        "music" => (90.0, format!("goes to {} {where_it_is} alone", came.kind.2)),
        "music-asked" => (20.0, format!("is asked to go to {} {where_it_is} alone", came.kind.2)),
        "stinger" => (90.0, format!("sounds {where_it_is} alone")),
        "snapshot" => (60.0, format!("{} {where_it_is} alone", if came.kind.2 == "true" { "rises" } else { "falls" })),
        "layer" => (50.0, format!("{} {where_it_is} alone", if came.kind.2 == "true" { "comes in" } else { "goes out" })),
        "stop" | "finish" => (15.0, format!("is let go {where_it_is} alone")),
        "reaction" => (5.0, format!("acts {where_it_is} alone")),
        _ => (10.0, format!("comes {where_it_is} alone")),
    }
}

/// What two traces differ in, what counts most first.
#[must_use]
pub fn differences(one: &Trace, other: &Trace) -> Vec<Difference> {
    let (inputs, others) = (one.inputs(), other.inputs());
    let (first, second) = common(&inputs, &others);
    let mut found = Vec::new();
    for (list, kept, trace, where_it_is) in [(&inputs, &first, one, "in the first"), (&others, &second, other, "in the second")] {
        for (at, _) in list.iter().filter(|(at, _)| !kept.contains(at)) {
            let line = &trace.lines[*at];
            let name = ["event", "parameter", "state", "emitter"].map(|f| text(line, f)).into_iter().find(|n| !n.is_empty()).unwrap_or("the listener");
            let seconds = trace.seconds(line);
            let at = if where_it_is == "in the first" { (Some(seconds), None) } else { (None, Some(seconds)) };
            found.push(Difference { weight: 30.0, at, about: name.to_owned(), words: format!("is said {where_it_is} alone ({})", text(line, "what")) });
        }
    }
    let mut by_kind: HashMap<Kind, [Vec<(usize, Came)>; 2]> = HashMap::new();
    for (anchor, came) in one.came(&first) {
        by_kind.entry(came.kind.clone()).or_default()[0].push((anchor, came));
    }
    for (anchor, came) in other.came(&second) {
        by_kind.entry(came.kind.clone()).or_default()[1].push((anchor, came));
    }
    for [ours, theirs] in by_kind.into_values() {
        let mut theirs: Vec<Option<(usize, Came)>> = theirs.into_iter().map(Some).collect();
        for (anchor, came) in ours {
            // The nearest of those that follow from the same input; one that came shortly before or after the next input may follow from either.
            let apart = |other: &(usize, Came)| if other.0 == anchor { (other.1.since - came.since).abs() } else { (other.1.seconds - came.seconds).abs() };
            let near = |other: &(usize, Came)| other.0.abs_diff(anchor) <= 1 && apart(other) <= SAME;
            let nearest = theirs
                .iter()
                .enumerate()
                .filter_map(|(at, other)| other.as_ref().filter(|o| near(o)).map(|o| (at, apart(o))))
                .min_by(|a, b| a.1.total_cmp(&b.1))
                .map(|(at, _)| at);
            match nearest.and_then(|at| theirs[at].take()) {
                Some((other_anchor, other)) => found.extend(between(&came, &other, other_anchor == anchor)),
                None => {
                    let (weight, words) = alone(&came, "in the first");
                    found.push(Difference { weight, at: (Some(came.seconds), None), about: came.kind.1, words });
                }
            }
        }
        for (_, came) in theirs.into_iter().flatten() {
            let (weight, words) = alone(&came, "in the second");
            found.push(Difference { weight, at: (None, Some(came.seconds)), about: came.kind.1, words });
        }
    }
    let when = |d: &Difference| d.at.0.or(d.at.1).unwrap_or(0.0);
    found.sort_by(|a, b| b.weight.total_cmp(&a.weight).then(when(a).total_cmp(&when(b))).then_with(|| (&a.about, &a.words).cmp(&(&b.about, &b.words))));
    found
}

/// What differs between two of the same.
fn between(one: &Came, other: &Came, same_input: bool) -> Vec<Difference> {
    let mut found = Vec::new();
    let mut add =
        |weight: f64, words: String| found.push(Difference { weight, at: (Some(one.seconds), Some(other.seconds)), about: one.kind.1.clone(), words });
    // Of a reaction only whether it acts counts.
    if one.kind.0 == "reaction" {
        return found;
    }
    let later = if same_input { other.since - one.since } else { other.seconds - one.seconds };
    if later.abs() > MOVED {
        let word = if later > 0.0 { "later" } else { "earlier" };
        add(8.0 + (later.abs() * 10.0).min(20.0), format!("comes {:.3} s {word}", later.abs()));
    }
    let apart = |a: Option<f64>, b: Option<f64>| a.zip(b).map(|(a, b)| b - a);
    if let Some(louder) = apart(one.level, other.level).filter(|d| d.abs() > LEVEL) {
        add(10.0 + louder.abs().min(40.0), format!("is {:.1} dB {}", louder.abs(), if louder > 0.0 { "louder" } else { "softer" }));
    }
    if let Some(higher) = apart(one.pitch, other.pitch).filter(|d| d.abs() > PITCH) {
        add(4.0 + higher.abs().min(24.0), format!("is {:.2} st {}", higher.abs(), if higher > 0.0 { "higher" } else { "lower" }));
    }
    if one.take != other.take {
        add(2.0, format!("plays {} instead of {}", take_words(&other.take), take_words(&one.take)));
    }
    if one.reason != other.reason {
        add(1.0, format!("is refused otherwise: {}; before: {}", other.reason, one.reason));
    }
    found
}
