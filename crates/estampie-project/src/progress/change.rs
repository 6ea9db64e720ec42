//! Changing the stock, and making of its items what plays them.

use super::Index;
use crate::document::{NewValue, Refusal, Workspace, appended, quoted};
use crate::language::lex::is_name;
use crate::stock::{self, Column, Item, Kind, Sheet};
use std::collections::BTreeMap;

impl Workspace {
    fn stock_text(&self) -> &str {
        self.sources().get(stock::FILE).map_or("", |text| text)
    }

    fn item(&self, name: &str) -> Result<&Item, Refusal> {
        self.document().stock.items.iter().find(|item| item.name == name).ok_or_else(|| Refusal::missing("item of the stock", name))
    }

    /// Sets a column of items, as one edit; an empty text takes it out.
    ///
    /// # Errors
    /// When the column cannot hold it, or there is no such item.
    pub fn set_items(&mut self, names: &[String], column: Column, value: &str) -> Result<(), Refusal> {
        let said = self.document().manifest.stock_columns.clone();
        let mut text = self.stock_text().to_owned();
        for name in names {
            self.item(name)?;
            text = stock::with(&text, &said, name, &[(column, value)])?;
        }
        let of = if let [name] = names { name.clone() } else { format!("{} items", names.len()) };
        self.replace(&format!("{} of {of}", column.spec().word), stock::FILE, &text);
        Ok(())
    }

    /// Makes an item, as one edit.
    ///
    /// # Errors
    /// When the name cannot be one, or there is such an item.
    pub fn new_item(&mut self, name: &str, cells: &[(Column, &str)]) -> Result<(), Refusal> {
        if self.item(name).is_ok() {
            return Err(format!("there is an item {name} already").into());
        }
        stock::check(Column::Name, name).map_err(|(what, fix)| Refusal::from(format!("{what}; {fix}")))?;
        let text = stock::with(self.stock_text(), &self.document().manifest.stock_columns, name, cells)?;
        self.replace(&format!("new item {name}"), stock::FILE, &text);
        Ok(())
    }

    /// Gives an item another name, as one edit. Its files are not renamed.
    ///
    /// # Errors
    /// When the name cannot be one, or there is such an item.
    pub fn rename_item(&mut self, old: &str, new: &str) -> Result<(), Refusal> {
        if self.item(new).is_ok() {
            return Err(format!("there is an item {new} already").into());
        }
        self.set_items(&[old.to_owned()], Column::Name, new)
    }

    /// Copies an item without its mark, as one edit, and gives the copy's name.
    ///
    /// # Errors
    /// When there is no such item.
    pub fn duplicate_item(&mut self, name: &str) -> Result<String, Refusal> {
        let item = self.item(name)?.clone();
        let copy = (2..).map(|n| format!("{name}-{n}")).find(|name| self.item(name).is_err()).unwrap_or_default();
        let own = |column: &Column| matches!(column, Column::Name | Column::Mark | Column::MarkNote);
        let cells: Vec<(Column, &str)> = item.texts.iter().filter(|(column, _)| !own(column)).map(|(column, text)| (*column, text.as_str())).collect();
        self.new_item(&copy, &cells)?;
        Ok(copy)
    }

    /// Takes items out, as one edit.
    ///
    /// # Errors
    /// When the table cannot be read.
    pub fn delete_items(&mut self, names: &[String]) -> Result<(), Refusal> {
        let all: Vec<&str> = names.iter().map(String::as_str).collect();
        let text = stock::without(self.stock_text(), &self.document().manifest.stock_columns, &all)?;
        let of = if let [name] = names { name.clone() } else { format!("{} items", names.len()) };
        self.replace(&format!("{of} taken out of the stock"), stock::FILE, &text);
        Ok(())
    }

    /// Makes of items what plays them, as one edit: of each a sound, unless one plays it, its event, and the reaction between them. An event is called like
    /// its item with `.` for `/` unless it is said beside the name; of what goes on, a second one ends it. Gives the sounds.
    ///
    /// # Errors
    /// When an item belongs to music, or an event's name cannot be one.
    pub fn build_items(&mut self, wanted: &[(String, Option<String>)]) -> Result<Vec<String>, Refusal> {
        let index = Index::new(self.document(), self.audio());
        let (mut events, mut reactions, mut sounds): (Vec<String>, String, Vec<String>) = (Vec::new(), String::new(), Vec::new());
        let (mut files, mut made): (BTreeMap<String, String>, BTreeMap<String, String>) = Default::default();
        for (name, event) in wanted {
            let item = self.item(name)?.clone();
            if matches!(item.kind, Kind::Layer | Kind::Stinger) {
                return Err(format!("{name} is a {}: it belongs into a piece, which 4 shows", item.kind.word()).into());
            }
            let event = event.clone().unwrap_or_else(|| name.replace('/', "."));
            if !is_name(&event) || event.contains('/') {
                return Err(format!("\"{event}\" cannot be the name of an event; write small letters, - and .").into());
            }
            let player = index.players(name).find(|player| self.document().sounds.iter().any(|s| s.name == **player)).map(str::to_owned);
            // Several events may ask for one item.
            let sound = match player.or_else(|| made.get(name).cloned()) {
                Some(player) => player,
                None => {
                    let sound = if self.document().sounds.iter().any(|s| s.name == *name) { self.free_name(name) } else { name.clone() };
                    let file = self.file_for(&sound);
                    let before = files.remove(&file).unwrap_or_else(|| self.sources().get(&file).map_or(String::new(), ToString::to_string));
                    files.insert(file, appended(&before, &sound_of(&sound, &item)));
                    made.insert(name.clone(), sound.clone());
                    sound
                }
            };
            let lasts = matches!(item.kind, Kind::Loop | Kind::Bed);
            let begin = if lasts { format!("{event}.begin") } else { event.clone() };
            let does = if item.kind == Kind::Lines { format!("say {sound}") } else { format!("play {sound} at the emitter") };
            reactions = appended(&reactions, &format!("When {begin}\n  {does}\n"));
            events.push(begin);
            if lasts {
                let end = format!("{event}.end");
                reactions = appended(&reactions, &format!("When {end}\n  stop {sound} over 1 s\n"));
                events.push(end);
            }
            sounds.push(sound);
        }
        let known = |event: &String| self.document().events.iter().any(|e| e.name == *event);
        let values: Vec<(&str, Vec<&str>, NewValue)> =
            events.iter().filter(|e| !known(e)).map(|e| ("game.toml", vec!["events", e.as_str()], NewValue::Text("sent by the game".into()))).collect();
        let mut changed = self.with_values(&values)?;
        let before = self.sources().get("reactions.est").map_or(String::new(), ToString::to_string);
        changed.push(("reactions.est".into(), Some(appended(&before, &reactions))));
        changed.extend(files.into_iter().map(|(file, text)| (file, Some(text))));
        let of = if let [(name, _)] = wanted { name.clone() } else { format!("{} items", wanted.len()) };
        self.change_if_read(&format!("{of} built and wired"), changed)?;
        Ok(sounds)
    }
}

/// What a table of the game's actions says: the item of each event. Its columns are found by what they are called: event or action, and item, sound or name.
///
/// # Errors
/// When it has no such columns, or a row has only one of them, with its line.
pub fn actions_in(text: &str) -> Result<Vec<(String, Option<String>)>, Refusal> {
    let sheet = Sheet::parse(text)?;
    let heads: Vec<String> = sheet.rows.first().into_iter().flatten().map(|head| head.trim().to_lowercase()).collect();
    let find = |words: &[&str]| heads.iter().position(|head| words.contains(&head.as_str()));
    let (Some(event), Some(item)) = (find(&["event", "action", "events", "actions"]), find(&["item", "sound", "name", "items", "sounds"])) else {
        return Err(format!("a table of actions has a column event and a column item; it has {}", heads.join(", ")).into());
    };
    let mut list = Vec::new();
    for row in 1..sheet.rows.len() {
        match (sheet.cell(row, event).trim(), sheet.cell(row, item).trim()) {
            ("", "") => {}
            ("", _) | (_, "") => return Err(format!("line {}: it has no event or no item", sheet.lines[row]).into()),
            (event, item) => list.push((item.to_owned(), Some(event.to_owned()))),
        }
    }
    Ok(list)
}

/// A sound of an item, as text. Its takes are whatever files the item has, or what stands in for them.
fn sound_of(name: &str, item: &Item) -> String {
    let takes = if item.variations > 1 { format!("audio/{}_*", item.name) } else { format!("audio/{}.*", item.name) };
    let mut text = format!("[{}]\ntakes = [\"{takes}\"]\n", quoted(name));
    match item.kind {
        Kind::Loop | Kind::Bed => text.push_str("loop  = true\nfade-in = \"200 ms\"\nfade-out = \"1 s\"\nlimit = { in-all = 1, when-full = \"refuse\" }\n"),
        Kind::Lines => text.push_str("lines = { gap = \"0.5..1.5 s\" }\n"),
        _ if item.variations > 2 => text.push_str("pick  = \"shuffle, not the last 1\"\n"),
        _ => {}
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    fn workspace(stock: &str) -> (tempfile::TempDir, Workspace) {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
        std::fs::write(folder.path().join("stock.csv"), stock).unwrap();
        let workspace = Workspace::open(folder.path()).unwrap();
        (folder, workspace)
    }

    #[test]
    fn items_become_sounds_with_their_events_and_reactions_by_one_edit() {
        let (_folder, mut workspace) = workspace("name,kind,variations\nstep/plank,one-shot,4\nquay/bed,bed,\nguide/hello,lines,3\nmusic/drum,layer,\n");
        let names = ["step/plank", "quay/bed", "guide/hello"].map(str::to_owned);
        assert_eq!(workspace.build_items(&names.clone().map(|name| (name, None))).unwrap(), names);
        assert_eq!(workspace.faults().iter().map(ToString::to_string).collect::<Vec<_>>(), Vec::<String>::new());
        let text = workspace.sources().get("reactions.est").unwrap().to_string();
        for line in
            ["When step.plank\n  play step/plank at the emitter\n", "When quay.bed.end\n  stop quay/bed over 1 s\n", "When guide.hello\n  say guide/hello\n"]
        {
            assert!(text.contains(line), "{text}");
        }
        let events: Vec<&str> = workspace.document().events.iter().map(|e| e.name.as_str()).collect();
        assert_eq!(events, ["step.plank", "quay.bed.begin", "quay.bed.end", "guide.hello"]);
        let index = Index::new(workspace.document(), workspace.audio());
        let stages: Vec<_> = workspace.document().stock.items.iter().map(|item| index.stages(item).all().map(|(_, e)| e.done)).collect();
        use crate::progress::Done::{No, Yes};
        assert_eq!(stages, [[No, Yes, Yes], [No, Yes, Yes], [No, Yes, Yes], [No, No, No]]);
        assert!(workspace.build_items(&[("music/drum".to_owned(), None)]).unwrap_err().to_string().contains("belongs into a piece"));
        // One step back takes all of it out.
        workspace.undo().unwrap();
        assert!(workspace.document().sounds.is_empty() && workspace.document().events.is_empty() && workspace.sources().get("reactions.est").is_none());
    }

    #[test]
    fn what_stands_in_gives_way_to_the_first_file_and_names_follow() {
        let (folder, mut workspace) = workspace("name,kind,variations,length\nstep/plank,one-shot,3,0.2 s\n");
        workspace.build_items(&[("step/plank".to_owned(), Some("step".to_owned()))]).unwrap();
        let takes = |workspace: &Workspace| crate::compile::wanted_audio(workspace.document()).into_keys().collect::<Vec<_>>();
        assert_eq!(takes(&workspace).len(), 3);
        assert!(takes(&workspace)[0] == "audio/step/plank_01.placeholder (one-shot, 0.2 s, -23 LUFS, mono)", "{:?}", takes(&workspace));
        std::fs::create_dir_all(folder.path().join("audio/step")).unwrap();
        std::fs::write(folder.path().join("audio/step/plank_01.wav"), b"").unwrap();
        workspace.look_outside();
        assert_eq!(takes(&workspace), ["audio/step/plank_01.wav"]);
        // The stock itself: set, copied, renamed, taken out, each by one edit.
        workspace.set_items(&["step/plank".to_owned()], Column::Person, "Ada").unwrap();
        assert_eq!(workspace.duplicate_item("step/plank").unwrap(), "step/plank-2");
        workspace.rename_item("step/plank-2", "step/silt").unwrap();
        assert!(workspace.rename_item("step/silt", "step/plank").is_err() && workspace.rename_item("step/silt", "Step").is_err());
        let names =
            |workspace: &Workspace| workspace.document().stock.items.iter().map(|i| format!("{} {}", i.name, i.text(Column::Person))).collect::<Vec<_>>();
        assert_eq!(names(&workspace), ["step/plank Ada", "step/silt Ada"]);
        workspace.delete_items(&["step/plank".to_owned()]).unwrap();
        assert_eq!(names(&workspace), ["step/silt Ada"]);
        assert_eq!(workspace.undo().unwrap().as_deref(), Some("step/plank taken out of the stock"));
        assert_eq!(names(&workspace).len(), 2);
    }

    #[test]
    fn what_stands_in_for_a_layer_is_as_long_as_its_section() {
        let (folder, _) = workspace("name,kind\nmusic/low,layer\n");
        std::fs::create_dir_all(folder.path().join("music")).unwrap();
        for (piece, section, seconds) in [
            ("tempo = \"92\"", "bars = 8", 8.0 * 4.0 * 60.0 / 92.0),
            ("tempo = \"90\"\nmetre = \"6/8\"", "bars = 4", 4.0 * 2.0 * 60.0 / 90.0),
            ("tempo = \"120\"", "bars = 4\ntempo = [\"1: 120\", \"3: 60\"]\nmetre = [\"1: 4/4\", \"4: 3/4\"]", 2.0 * 2.0 + 4.0 + 3.0),
        ] {
            let text = format!("[piece.p]\n{piece}\n[piece.p.section.a]\n{section}\n[piece.p.section.a.layer.l]\nfile = \"audio/music/low.flac\"\n");
            std::fs::write(folder.path().join("music/p.toml"), text).unwrap();
            let workspace = Workspace::open(folder.path()).unwrap();
            assert!(workspace.faults().is_empty(), "{:?}", workspace.faults());
            let wanted = crate::compile::wanted_audio(workspace.document());
            let (name, goes) = wanted.first_key_value().unwrap();
            let said: f64 = name.split(", ").find_map(|part| part.strip_suffix(" s")).unwrap().parse().unwrap();
            assert!((said - seconds).abs() < 1e-6, "{name}: {said}, not {seconds}");
            // As the compiler has it: it is closed into a round.
            assert!(matches!(goes, crate::assets::Goes::RoundIf(lengths) if (lengths[0] - said).abs() < 1e-4), "{name}: {goes:?}");
        }
    }

    #[test]
    fn a_table_of_actions_wires_each_to_its_item_by_one_edit() {
        let table = "Item;Action;who\nstep/plank;foot.down;x\n;;\nquay/bell;ring;\nstep/plank;foot.drag;\n";
        let list = actions_in(table).unwrap();
        assert_eq!(list[0], ("step/plank".to_owned(), Some("foot.down".to_owned())));
        assert!(actions_in("a,b\n").unwrap_err().to_string().contains("it has a, b"));
        assert!(actions_in("event,item\nx,\n").unwrap_err().to_string().starts_with("line 2: it has no event"));
        let (_folder, mut workspace) = workspace("name,variations\nstep/plank,2\nquay/bell,1\n");
        // An item that several actions ask for is one sound.
        assert_eq!(workspace.build_items(&list).unwrap(), ["step/plank", "quay/bell", "step/plank"]);
        assert!(workspace.faults().is_empty(), "{:?}", workspace.faults());
        let text = workspace.sources().get("reactions.est").unwrap().to_string();
        assert!(text.contains("When foot.drag\n  play step/plank at the emitter\n") && text.contains("When ring\n  play quay/bell"), "{text}");
        assert_eq!(workspace.document().sounds.len(), 2);
        workspace.undo().unwrap();
        assert!(workspace.document().sounds.is_empty());
    }
}
