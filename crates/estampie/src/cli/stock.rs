//! `estampie stock PROJECT`: the list of all that the game will need, exchanged with a spreadsheet, and how far it is.

use super::output::{out, print_faults, tell};
use crate::aside::{Aside, put};
use crate::failure::Failure;
use crate::project::{self, Loaded};
use estampie_project::assets::{decode, facts};
use estampie_project::door;
use estampie_project::progress::{Done, Index, Measured, Stages, actions_in};
use estampie_project::stock::{self, COLUMNS, Column, Columns, Mark, Sheet, Wins, merge, text_of};
use estampie_proof::cores::on_all_cores;
use indicatif::ProgressBar;
use serde_json::json;
use std::collections::BTreeMap;
use std::hash::Hasher as _;
use std::io::{IsTerminal as _, Write as _};
use std::path::{Path, PathBuf};

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    project: PathBuf,
    #[command(subcommand)]
    what: Option<What>,
    /// How far it is as JSON, every item with its evidence
    #[arg(long, global = true)]
    json: bool,
}

#[derive(clap::Subcommand)]
enum What {
    /// How far it is: made, built, hooked, by kind and by person
    Status,
    /// Takes a spreadsheet's table (CSV) into the stock: what both have changed since the last exchange is put together
    Import {
        /// The table: with commas, semicolons or tabs, UTF-8 or Latin-1
        file: PathBuf,
        /// What a column of the table is called, like "Sound name=name"; it is remembered in estampie.toml
        #[arg(long, value_name = "HEAD=COLUMN", value_parser = pair)]
        column: Vec<(String, String)>,
        /// Where both have changed the same, the stock wins
        #[arg(long, conflicts_with = "theirs")]
        ours: bool,
        /// Where both have changed the same, the table wins
        #[arg(long)]
        theirs: bool,
        /// Says what would come of it, and writes nothing
        #[arg(long)]
        dry: bool,
    },
    /// What is wrong with the audio files: against what is wanted, against the naming rule, and by how they are recorded
    Material,
    /// Makes what plays each item for a table of the game's actions, with columns event and item: sounds, events, reactions
    Wire {
        /// The table
        file: PathBuf,
    },
    /// Writes the stock into a spreadsheet's table; the columns and the order of one that is there stay
    Export {
        /// The table
        file: PathBuf,
    },
}

fn pair(text: &str) -> Result<(String, String), String> {
    let (head, word) = text.rsplit_once('=').ok_or("write HEAD=COLUMN, like \"Sound name=name\"")?;
    let word = word.trim();
    if Column::of(word).is_none() {
        return Err(format!("there is no column {word}; write one of {}", COLUMNS.iter().map(|c| c.word).collect::<Vec<_>>().join(", ")));
    }
    Ok((head.trim().to_owned(), word.to_owned()))
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let mut loaded = project::read(&arguments.project)?;
    match &arguments.what {
        None | Some(What::Status) => status(&loaded, arguments.json),
        Some(What::Import { file, column, ours, theirs, dry }) => {
            let wins = if *ours { Some(Wins::Ours) } else { theirs.then_some(Wins::Theirs) };
            import(&mut loaded, file, column, wins, *dry)
        }
        Some(What::Material) => material_of(&loaded, arguments.json),
        Some(What::Wire { file }) => wire(&mut loaded, file),
        Some(What::Export { file }) => export(&loaded, file),
    }
}

fn text_in(path: &Path) -> Result<String, Failure> {
    std::fs::read(path).map(|bytes| text_of(&bytes)).map_err(|e| Failure::Use(format!("{} cannot be read: {e}", path.display())))
}

fn sheet_in(path: &Path, text: &str) -> Result<Sheet, Failure> {
    Sheet::parse(text).map_err(|e| Failure::Fault(format!("{} is no table: {e}", path.display())))
}

/// The stock as a table, and as it was when it was last exchanged.
fn ours(loaded: &Loaded) -> Result<(Sheet, Option<Sheet>), Failure> {
    let root = loaded.workspace.root();
    let text = loaded.workspace.sources().get(stock::FILE).map_or("", |text| text);
    let last = std::fs::read(root.join(stock::LAST)).ok().map(|bytes| text_of(&bytes));
    let last = last.map(|text| sheet_in(Path::new(stock::LAST), &text)).transpose()?;
    Ok((sheet_in(Path::new(stock::FILE), text)?, last))
}

fn import(loaded: &mut Loaded, file: &Path, column: &[(String, String)], wins: Option<Wins>, dry: bool) -> Result<(), Failure> {
    let text = text_in(file)?;
    let theirs = sheet_in(file, &text)?;
    let mut said = loaded.workspace.document().manifest.stock_columns.clone();
    said.extend(column.iter().cloned());
    let heads = theirs.rows.first().cloned().unwrap_or_default();
    if let Some((head, _)) = column.iter().find(|(head, _)| !heads.iter().any(|h| h.trim() == head)) {
        return Err(Failure::Use(format!("{} has no column {head}; it has {}", file.display(), heads.join(", "))));
    }
    let columns = Columns::of(&heads, &said);
    if columns.at(Column::Name).is_none() {
        let what = format!("{} has no column with the names of items; it has {}", file.display(), heads.join(", "));
        return Err(Failure::Use(format!("{what}; say which it is: --column \"HEAD=name\"")));
    }
    let known: Vec<String> = COLUMNS
        .iter()
        .filter_map(|c| Some((c, columns.at(c.column)?)))
        .filter(|(c, at)| heads[*at] != c.word)
        .map(|(c, at)| format!("{} is {}", heads[at], c.word))
        .collect();
    if !known.is_empty() {
        out!("{}", known.join(", "));
    }
    let foreign: Vec<&str> = columns.foreign(&heads).collect();
    if !foreign.is_empty() {
        out!("kept as they are: {}", foreign.join(", "));
    }
    let (ours, last) = ours(loaded)?;
    let merged = merge(last.as_ref(), &ours, &theirs, &said, wins);
    for conflict in &merged.conflicts {
        let column = conflict.column.map_or(String::new(), |c| format!(", {c}"));
        tell(&format!("{}{column}: here \"{}\", there \"{}\"", conflict.item, conflict.ours, conflict.theirs));
    }
    if !merged.conflicts.is_empty() && wins.is_none() {
        let count = if merged.conflicts.len() == 1 { "one cell has".to_owned() } else { format!("{} cells have", merged.conflicts.len()) };
        return Err(Failure::Fault(format!("{count} been changed on both sides; nothing was written: say --ours or --theirs")));
    }
    let text = merged.sheet.text();
    let (read, faults) = stock::read(&text, &said);
    print_faults(&faults);
    out!("{} new, {} changed, {} gone: {} items", merged.new, merged.changed, merged.gone, read.items.len());
    if dry {
        out!("nothing was written");
        return Ok(());
    }
    let workspace = &mut loaded.workspace;
    workspace.replace("stock brought in", stock::FILE, &text);
    for (head, word) in column {
        let value = estampie_project::document::NewValue::Text(word.clone());
        workspace.set_values("a column of the stock", &[("estampie.toml", vec!["stock-columns", head], value)]).map_err(|e| Failure::Fault(e.to_string()))?;
    }
    workspace.save(false).map_err(|e| Failure::Fault(e.to_string()))?;
    put(&workspace.root().join(stock::LAST), text.as_bytes()).map_err(|e| Failure::Fault(format!("{} cannot be written: {e}", stock::LAST)))?;
    if faults.is_empty() {
        Ok(())
    } else {
        Err(Failure::Fault(format!("{} of its cells hold what they cannot: they are kept, and count as empty", faults.len())))
    }
}

fn wire(loaded: &mut Loaded, file: &Path) -> Result<(), Failure> {
    let list = actions_in(&text_in(file)?).map_err(|e| Failure::Fault(format!("{}: {e}", file.display())))?;
    let workspace = &mut loaded.workspace;
    let sounds = workspace.build_items(&list).map_err(|e| Failure::Fault(format!("nothing was written: {e}")))?;
    workspace.save(false).map_err(|e| Failure::Fault(e.to_string()))?;
    for ((_, event), sound) in list.iter().zip(&sounds) {
        out!("{} plays {sound}", event.as_deref().unwrap_or_default());
    }
    Ok(())
}

fn export(loaded: &Loaded, file: &Path) -> Result<(), Failure> {
    let (ours, _) = ours(loaded)?;
    if ours.rows.is_empty() {
        return Err(Failure::Fault("the project has no stock yet".into()));
    }
    let said = &loaded.workspace.document().manifest.stock_columns;
    let theirs = if file.exists() { sheet_in(file, &text_in(file)?)? } else { ours.clone() };
    if file.exists() && Columns::of(theirs.rows.first().map_or(&[], Vec::as_slice), said).at(Column::Name).is_none() {
        return Err(Failure::Use(format!("{} is there and has no column with the names of items; name another file", file.display())));
    }
    let text = stock::exported(&ours, &theirs, said).text();
    // It is the team's table, and written over as such: what is no table of items was refused.
    let mut aside = Aside::create(file, &["csv"], Some(loaded.workspace.root()), true)?;
    aside.write_all(text.as_bytes())?;
    aside.finish()?;
    put(&loaded.workspace.root().join(stock::LAST), ours.text().as_bytes()).map_err(|e| Failure::Fault(format!("{} cannot be written: {e}", stock::LAST)))?;
    out!("{}: {} items", file.display(), loaded.workspace.document().stock.items.len());
    Ok(())
}

/// Measures all audio files on all cores, and tells what is wrong with them.
fn material_of(loaded: &Loaded, as_json: bool) -> Result<(), Failure> {
    let workspace = &loaded.workspace;
    let files: Vec<&String> = workspace.audio().iter().collect();
    let root = workspace.root();
    let bar = if std::io::stderr().is_terminal() && !as_json { ProgressBar::new(files.len() as u64) } else { ProgressBar::hidden() };
    let measure = |file: &str| -> Result<Measured, String> {
        let path = door::readable(root, file).map_err(|e| e.to_string())?;
        let decoded = decode(&path).map_err(|e| e.to_string())?;
        let mut content = std::hash::DefaultHasher::new();
        decoded.channels.iter().flatten().for_each(|sample| content.write_u32(sample.to_bits()));
        content.write_usize(decoded.channels.len());
        Ok(Measured { facts: facts(&decoded), content: content.finish() })
    };
    let heard = on_all_cores(
        &files,
        |file| ((*file).clone(), measure(file)),
        |_| {
            bar.inc(1);
            true
        },
    );
    bar.finish_and_clear();
    let found = estampie_project::progress::material(workspace.document(), workspace.audio(), &heard.into_iter().collect());
    if as_json {
        let rows: Vec<_> = found.iter().map(|f| json!({ "file": f.file, "what": f.what, "fix": f.fix, "weight": f.weight })).collect();
        out!("{}", serde_json::to_string_pretty(&rows).map_err(|e| Failure::Fault(e.to_string()))?);
        return Ok(());
    }
    for finding in &found {
        out!("{}: {}; {}", finding.file, finding.what, finding.fix);
    }
    out!("{} files, {} findings", files.len(), found.len());
    Ok(())
}

/// How many items are so far: made, built, hooked; approved, to be retaken; all.
#[derive(Default, Clone, Copy)]
struct Count([usize; 3], [usize; 2], usize);

impl Count {
    fn add(&mut self, stages: &Stages, mark: Option<Mark>) {
        for (count, (_, stage)) in self.0.iter_mut().zip(stages.all()) {
            *count += usize::from(stage.done == Done::Yes);
        }
        self.1[0] += usize::from(mark == Some(Mark::Approved));
        self.1[1] += usize::from(mark == Some(Mark::Retake));
        self.2 += 1;
    }

    fn line(&self) -> String {
        let Count([made, built, hooked], [approved, retake], all) = self;
        let marks = if approved + retake > 0 { format!(", {approved} approved, {retake} to be made again") } else { String::new() };
        format!("{all}: {made} made, {built} built, {hooked} hooked{marks}")
    }
}

fn status(loaded: &Loaded, as_json: bool) -> Result<(), Failure> {
    let workspace = &loaded.workspace;
    let (document, audio) = (workspace.document(), workspace.audio());
    let index = Index::new(document, audio);
    let all: Vec<_> = document.stock.items.iter().map(|item| (item, index.stages(item))).collect();
    if as_json {
        let word = |done: Done| ["no", "partly", "yes"][done as usize];
        let row = |(item, stages): &(&stock::Item, Stages)| {
            let of: serde_json::Map<_, _> = stages.all().iter().map(|(stage, e)| ((*stage).to_owned(), json!({ "done": word(e.done), "by": e.by }))).collect();
            let texts: serde_json::Map<_, _> = item.texts.iter().map(|(column, text)| (column.spec().word.to_owned(), json!(text))).collect();
            json!({ "name": item.name, "kind": item.kind.word(), "variations": item.variations, "columns": texts, "stages": of })
        };
        out!("{}", serde_json::to_string_pretty(&all.iter().map(row).collect::<Vec<_>>()).map_err(|e| Failure::Fault(e.to_string()))?);
        return Ok(());
    }
    print_faults(&loaded.faults);
    if all.is_empty() {
        out!("the stock is empty: estampie stock {} import TABLE.csv, or n in the view Stock", workspace.root().display());
        return Ok(());
    }
    let mut whole = Count::default();
    let (mut kinds, mut people): (BTreeMap<&str, Count>, BTreeMap<&str, Count>) = (BTreeMap::new(), BTreeMap::new());
    for (item, stages) in &all {
        whole.add(stages, item.mark);
        kinds.entry(item.kind.word()).or_default().add(stages, item.mark);
        let person = item.text(Column::Person);
        people.entry(if person.is_empty() { "nobody yet" } else { person }).or_default().add(stages, item.mark);
    }
    if !document.manifest.direction.is_empty() {
        out!("{}", document.manifest.direction.join(" · "));
    }
    out!("{}", whole.line());
    for (of, counts) in [("by kind", &kinds), ("by person", &people)] {
        out!("{of}");
        counts.iter().for_each(|(name, count)| out!("  {name:12} {}", count.line()));
    }
    let missing: Vec<String> = all
        .iter()
        .filter(|(_, stages)| stages.made.done != Done::Yes)
        .map(|(item, stages)| if item.variations > 1 { format!("{} ({} of {})", item.name, stages.made.by.len(), item.variations) } else { item.name.clone() })
        .collect();
    if !missing.is_empty() {
        out!("not made yet: {}", missing.join(", "));
    }
    Ok(())
}
