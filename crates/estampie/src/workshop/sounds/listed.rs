//! The takes of a sound as the view lists them.

use estampie_project::document::{SoundDoc, TakeDoc};

/// One take (or part of a chain) of a sound, as the view lists it.
#[derive(Debug, Clone)]
pub(crate) struct Listed {
    /// Its file or sound.
    pub(crate) name: String,
    pub(crate) file: bool,
    /// The value, range or point it is for, or how a part is played.
    pub(crate) aside: String,
    pub(crate) weight: f32,
    /// Group and place in it; `None` for parts of a chain.
    pub(crate) at: Option<(u16, u16)>,
}

/// The takes of a sound in order.
pub(crate) fn takes_of(doc: &SoundDoc) -> Vec<Listed> {
    use estampie_engine::vocabulary::Rounds;
    let mut list = Vec::new();
    for part in &doc.chain {
        let how = match part.rounds {
            Rounds::Loop => "loop".to_owned(),
            Rounds::Times(1, 1) => "once".to_owned(),
            Rounds::Times(low, high) if low == high => format!("{low} times"),
            Rounds::Times(low, high) => format!("{low}..{high} times"),
        };
        let how = match part.gap {
            g if g > 0.0 => format!("{how}, gap {:.0} ms", g * 1000.0),
            g if g < 0.0 => format!("{how}, overlap {:.0} ms", -g * 1000.0),
            _ => how,
        };
        list.extend(part.files.iter().map(|f| Listed { name: f.value.clone(), file: true, aside: how.clone(), weight: 1.0, at: None }));
    }
    if !doc.chain.is_empty() {
        return list;
    }
    for (group, (value, takes)) in doc.groups.iter().enumerate() {
        for (at, take) in takes.iter().enumerate() {
            let (name, file) = match &take.value.take {
                TakeDoc::File(file) => (file.clone(), true),
                TakeDoc::Sound(sound) => (sound.clone(), false),
                TakeDoc::Generator(name) => (format!("generator {name}"), false),
            };
            let aside = value.as_ref().map_or_else(String::new, |v| v.value.clone());
            list.push(Listed { name, file, aside, weight: take.value.weight, at: Some((group as u16, at as u16)) });
        }
    }
    list
}
