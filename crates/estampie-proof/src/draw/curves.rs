//! What there is to draw of a project's curves.

use estampie_engine::program::{Program, Target};
use estampie_engine::property::{Property, Unit};
use estampie_project::document::{Document, Setting as _};

/// One curve with its axes.
#[derive(Debug, Clone, PartialEq)]
pub struct Panel {
    /// What it shows.
    pub title: String,
    /// The ends of the horizontal axis.
    pub x: (f64, f64),
    /// The ends of the vertical axis.
    pub y: (f64, f64),
    /// What the horizontal axis counts.
    pub x_label: String,
    /// What the vertical axis counts.
    pub y_label: String,
    /// The curve, finely.
    pub line: Vec<(f64, f64)>,
    /// Its points.
    pub points: Vec<(f64, f64)>,
    /// Further lines, each with what it is.
    pub further: Vec<(Ink, Vec<(f64, f64)>)>,
}

/// What a further line is, and so its colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ink {
    /// What is left.
    Old,
    /// What comes.
    New,
    /// A bar line.
    Bar,
    /// Where it is left, and where it arrives.
    Seam,
}

fn unit_of(property: Property) -> &'static str {
    match property {
        Property::Level => "dB",
        Property::Pitch | Property::Transposition => "semitones",
        Property::LowPass | Property::HighPass => "octaves",
        Property::Pan => "pan",
        Property::Every => "s",
        Property::Chance | Property::Sweep | Property::Tempo | Property::Density => "share of 1",
        Property::Each | Property::All => "playings",
        Property::Amount | Property::Width => "share of 1",
        Property::Control(_, _, true) => "octaves",
        Property::Setting(unit) | Property::Control(_, unit, false) => match unit {
            Unit::Decibels => "dB",
            Unit::Hertz => "Hz",
            Unit::Seconds => "s",
            Unit::Share => "share of 1",
            Unit::Semitones => "semitones",
            Unit::Number | Unit::Choice(_) => "its own unit",
        },
    }
}

fn panel(title: String, curve: &estampie_engine::curve::Curve, x: (f64, f64), x_label: String, property: Property) -> Panel {
    const STEPS: u32 = 200;
    let mut places: Vec<f64> = (0..=STEPS).map(|step| x.0 + (x.1 - x.0) * f64::from(step) / f64::from(STEPS)).collect();
    // Each point, and the moment before it: what is held until then falls straight.
    places.extend(curve.points().iter().flat_map(|p| [f64::from(p.x.next_down()), f64::from(p.x)]).filter(|at| *at >= x.0 && *at <= x.1));
    places.sort_by(f64::total_cmp);
    let line: Vec<(f64, f64)> = places.into_iter().map(|at| (at, f64::from(curve.at(at as f32)))).collect();
    let low = line.iter().map(|p| p.1).fold(f64::INFINITY, f64::min);
    let high = line.iter().map(|p| p.1).fold(f64::NEG_INFINITY, f64::max);
    let air = ((high - low) * 0.08).max(0.5);
    let points = curve.points().iter().map(|p| (f64::from(p.x), f64::from(p.y))).filter(|p| p.0 >= x.0 && p.0 <= x.1).collect();
    Panel { title, x, y: (low - air, high + air), x_label, y_label: format!("{} in {}", property.word(), unit_of(property)), line, points, further: Vec::new() }
}

/// All curves of a project: its modulations, and its falloffs.
#[must_use]
pub fn curves(document: &Document, program: &Program) -> Vec<Panel> {
    let mut list = Vec::new();
    for modulation in &program.modulations {
        let doc = &document.parameters[modulation.parameter];
        let points = modulation.curve.points();
        let (first, last) = (points.first().map_or(0.0, |p| p.x), points.last().map_or(1.0, |p| p.x));
        // A formula without a range has that of its points.
        let whole = doc.high - doc.low < 1e5;
        let (low, high) = if whole { (doc.low, doc.high) } else { (first, if last > first { last } else { first + 1.0 }) };
        let unit = if doc.unit.is_empty() { String::new() } else { format!(" in {}", doc.unit) };
        let word = modulation.property.word();
        let target = match modulation.target {
            Target::Cell(cell) => program.names.get(program.mix.cells[cell].key).to_owned(),
            Target::Snapshot(snapshot) => format!("snapshot {} {word}", program.names.get(program.mix.snapshots[snapshot].key)),
            Target::Sound(sound) => format!("{} {word}", program.names.get(program.sounds[sound].key)),
            Target::Piece(piece) => format!("piece {} {word}", program.names.get(program.music.pieces[piece].key)),
            Target::Bus(bus) => format!("bus {} {word}", program.names.get(program.mix.buses[bus].key)),
        };
        let title = format!("{} moves {target}", doc.name);
        list.push(panel(title, &modulation.curve, (f64::from(low), f64::from(high)), format!("{}{unit}", doc.name), modulation.property));
    }
    let shared = document.shared.falloff.iter().map(|n| (format!("shared falloff {}", n.name), n.setting.clone()));
    let own =
        document.sounds.iter().filter(|s| s.falloff.said().iter().any(|(_, t)| t.is_some())).map(|s| (format!("falloff of {}", s.name), s.falloff.clone()));
    for (name, falloff) in shared.chain(own) {
        for curve in [&falloff.level, &falloff.low_pass, &falloff.high_pass, &falloff.width, &falloff.send].into_iter().flatten() {
            let last = curve.0.points().last().map_or(1.0, |p| f64::from(p.x)).max(1.0);
            list.push(panel(name.clone(), &curve.0, (0.0, last * 1.1), "distance in m".into(), curve.1));
        }
    }
    list
}
