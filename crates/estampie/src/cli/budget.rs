//! `estampie stock PROJECT budget`: what the audio costs, against what it may cost.

use super::material::heard;
use super::output::out;
use crate::failure::Failure;
use crate::folders;
use crate::packing::Packing;
use crate::project::{self, Loaded};
use estampie_engine::program::Program;
use estampie_project::compile::compile;
use estampie_project::document::Document;
use estampie_project::progress::{Bar, Budget, Limited, budget, over, said};
use estampie_proof::cores::on_all_cores;
use estampie_proof::offline;
use serde_json::json;
use std::sync::Arc;

/// How many lines of each list are told.
const LINES: usize = 12;

pub(super) fn run(loaded: &Loaded, listen: bool, as_json: bool) -> Result<(), Failure> {
    let document = loaded.workspace.document();
    let assets = project::audio_of(&loaded.workspace, true);
    let heard = heard(loaded, as_json);
    let mut packing = Packing::read(loaded.workspace.root(), folders::cache().as_deref());
    let packed = packing.pack_all(document, &assets, usize::MAX, || true);
    let voices = listen.then(|| most_voices(document, &Arc::new(compile(document, &assets).0)));
    let all = budget(document, &heard, &packed, voices);
    if as_json {
        out!("{}", serde_json::to_string_pretty(&as_value(&all)).map_err(|e| Failure::Fault(e.to_string()))?);
    } else {
        print(&all);
    }
    let over = over(&all, &document.manifest);
    if over.is_empty() { Ok(()) } else { Err(Failure::Fault(over.join("; "))) }
}

fn line(bar: &Bar) -> String {
    let is = bar.is.map_or_else(|| "not measured".to_owned(), |is| said(bar.of, is));
    match bar.may {
        Some(may) => format!("{:10} {is} of {}{}", bar.name, said(bar.of, may), if bar.over() { ": too much" } else { "" }),
        None => format!("{:10} {is}", bar.name),
    }
}

fn print(all: &Budget) {
    let bytes = |amount: u64| said(Limited::Memory, amount);
    all.bars.iter().for_each(|bar| out!("{}", line(bar)));
    out!("shared     {} more if each sound had its own audio", bytes(all.shared));
    let list = |title: &str, rows: Vec<(String, String)>| {
        if !rows.is_empty() {
            out!("{title}");
            rows.iter().take(LINES).for_each(|(name, amount)| out!("  {amount:>20}  {name}"));
            if rows.len() > LINES {
                out!("  and {} more", rows.len() - LINES);
            }
        }
    };
    let both = |memory: u64, bundle: u64| format!("{} / {}", bytes(memory), bytes(bundle));
    list("by sound: memory / bundle", all.sounds.iter().map(|(name, m, b)| (name.clone(), both(*m, *b))).collect());
    list("by bus", all.buses.iter().map(|(name, m, b)| (name.clone(), both(*m, *b))).collect());
    list("by file", all.costs.iter().map(|c| (c.name.clone(), both(c.memory, c.bundle.unwrap_or(0)))).collect());
    list("what would be saved", all.savings.iter().map(|s| (format!("{}: {}", s.name, s.by), both(s.memory, s.bundle))).collect());
}

fn as_value(all: &Budget) -> serde_json::Value {
    let share = |list: &[(String, u64, u64)]| list.iter().map(|(name, m, b)| json!({ "name": name, "memory": m, "bundle": b })).collect::<Vec<_>>();
    json!({
        "bars": all.bars.iter().map(|b| json!({ "name": b.name, "is": b.is, "may": b.may, "over": b.over() })).collect::<Vec<_>>(),
        "files": all.costs.iter().map(|c| json!({ "name": c.name, "seconds": c.seconds, "channels": c.channels, "memory": c.memory, "bundle": c.bundle, "streamed": c.streamed, "users": c.users })).collect::<Vec<_>>(),
        "sounds": share(&all.sounds),
        "buses": share(&all.buses),
        "savings": all.savings.iter().map(|s| json!({ "name": s.name, "by": s.by, "memory": s.memory, "bundle": s.bundle })).collect::<Vec<_>>(),
        "shared": all.shared,
    })
}

/// The most voices that sound at once in any playthrough.
pub(super) fn most_voices(document: &Document, program: &Arc<Program>) -> u64 {
    let most = on_all_cores(&document.playthroughs, |(_, playthrough)| offline::most_voices(program, playthrough) as u64, |_| true);
    most.into_iter().max().unwrap_or(0)
}
