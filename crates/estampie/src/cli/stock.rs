//! `estampie stock PROJECT`: the list of all that the game will need, exchanged with a spreadsheet, and how far it is.

use super::output::{out, print_faults, tell};
use super::{budget, material};
use crate::aside::{Aside, put};
use crate::failure::Failure;
use crate::project::{self, Loaded};
use estampie_project::progress::{Done, Index, Stages, actions_in};
use estampie_project::stock::{self, COLUMNS, Column, Columns, Mark, Sheet, Wins, merge, text_of};
use serde_json::json;
use std::collections::BTreeMap;
use std::io::Write as _;
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
    /// What the audio costs: files, memory, the bundle, voices, against the budget; by sound, bus and part; and what would be saved
    Budget {
        /// Listen to all playthroughs for how many voices sound at once: that takes a while
        #[arg(long)]
        voices: bool,
    },
    /// Writes new versions of audio files beside them: without --do, all that material proposes
    Fix {
        /// The files, as audio/step/plank_01.wav, with * for any letters within a folder; all if none is named
        files: Vec<String>,
        /// What is done: dc, mono, trim, trim head, trim tail, length 1.5 s, rate 24 kHz, -20 LUFS, level -1 dB, fade 5 ms, round 50 ms, with commas between them
        #[arg(long = "do", value_name = "FIXES")]
        fixes: Option<String>,
        /// Says what would be done, and writes nothing
        #[arg(long)]
        dry: bool,
    },
    /// Gives audio files other names, and all that names them: without names, all those that the naming rule has others for
    Rename {
        /// The file as it is called now
        #[arg(requires = "to")]
        from: Option<String>,
        /// As it is to be called
        to: Option<String>,
        /// Says what would be done, and does nothing
        #[arg(long)]
        dry: bool,
    },
    /// Copies the audio files below a folder into the project, called as the naming rule has it
    Bring {
        /// The folder
        folder: PathBuf,
        /// What is done with files whose names others have
        #[arg(long, value_enum)]
        taken: Option<material::Taken>,
        /// Says what would become of each, and copies nothing
        #[arg(long)]
        dry: bool,
    },
    /// Cuts a recording at its marks: takes of the sounds that play it, or of a new one; the file stays as it is
    Cut {
        /// The file
        file: String,
    },
    /// Makes markers of the marks in a recording, in the sections of music that play it
    Markers {
        /// The file
        file: String,
    },
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
        Some(What::Material) => material::tell_all(&loaded, arguments.json),
        Some(What::Budget { voices }) => budget::run(&loaded, *voices, arguments.json),
        Some(What::Fix { files, fixes, dry }) => material::fix(&mut loaded, files, fixes.as_deref(), *dry),
        Some(What::Rename { from, to, dry }) => material::rename(&mut loaded, from.as_deref().zip(to.as_deref()), *dry),
        Some(What::Bring { folder, taken, dry }) => material::bring(&mut loaded, folder, *taken, *dry),
        Some(What::Cut { file }) => material::cut(&mut loaded, file),
        Some(What::Markers { file }) => material::markers(&mut loaded, file),
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
