//! The view *Stock*: every sound that the game will need, how far each is and by what that is known, and what plays them made of many at once; what is wrong with the
//! audio files, and what mends it; and what all of it costs.

mod costs;
mod draw;
mod draw_files;
mod files;
mod groups;
mod known;
mod prompts;

use super::app::{App, Mode};
use super::keys::{Binding, Do, key};
use super::painter::Painter;
use super::sounds;
use super::text_field::TextField;
use super::view::{Clicks, Face, Targets, View};
use costs::BudgetPage;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_project::document::Document;
use estampie_project::progress::{Done, Index, Stages};
use estampie_project::stock::{COLUMNS, Column, Item, Mark};
use files::{FilesPage, Shown};
use groups::{Group, Test};
use known::{Aside, Page};
use prompts::{FieldPrompt, FilterPrompt, NamePrompt, Names, WirePrompt};
use ratatui::layout::Rect;
use std::cell::{Ref, RefCell};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Its name.
pub(crate) const NAME: &str = "Stock";

/// The view.
pub(crate) struct StockList;

/// Which list has the keys.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
enum List {
    Groups,
    #[default]
    Items,
    Fields,
}

/// What the items are sorted by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
enum Sort {
    /// As they are written.
    #[default]
    Written,
    Name,
    /// What is least far first.
    Stage,
    Priority,
    Deadline,
    Person,
}

impl Sort {
    const ALL: [(Sort, &'static str); 6] = [
        (Sort::Written, "as written"),
        (Sort::Name, "by name"),
        (Sort::Stage, "least far first"),
        (Sort::Priority, "by priority"),
        (Sort::Deadline, "by deadline"),
        (Sort::Person, "by person"),
    ];

    fn words(self) -> &'static str {
        Sort::ALL.iter().find(|(sort, _)| *sort == self).map_or("", |(_, words)| words)
    }

    fn step(self, by: isize) -> Sort {
        let at = Sort::ALL.iter().position(|(sort, _)| *sort == self).unwrap_or(0);
        Sort::ALL[(at as isize + by).rem_euclid(Sort::ALL.len() as isize) as usize].0
    }
}

/// What is known of a state of the project.
#[derive(Debug)]
struct Read {
    document: Arc<Document>,
    stages: Vec<Stages>,
    groups: Vec<Group>,
    /// It was not looked yet.
    guessed: bool,
}

/// So many items (and four times as many files) are looked at while the screen waits: that takes about 2 ms.
const AT_ONCE: usize = 300;

impl Read {
    fn of(document: &Arc<Document>, audio: &BTreeSet<String>) -> Read {
        let index = Index::new(document, audio);
        let stages: Vec<Stages> = document.stock.items.iter().map(|item| index.stages(item)).collect();
        let groups = groups::groups(&document.stock.items, &stages);
        Read { document: Arc::clone(document), stages, groups, guessed: false }
    }
}

/// What the view remembers.
#[derive(Debug, Default)]
pub(crate) struct StockView {
    list: List,
    /// What the chosen group tests.
    group: Test,
    /// The name of the chosen item; the first if there is none of that name.
    chosen: String,
    field: usize,
    filter: String,
    sort: Sort,
    marked: BTreeSet<String>,
    read: RefCell<Option<Read>>,
    /// How far a large stock is, while that is worked out.
    looking: Option<std::sync::mpsc::Receiver<Read>>,
    page: Page,
    files: FilesPage,
    budget: BudgetPage,
    aside: Aside,
}

impl StockView {
    /// One that remembers what was measured in a folder of the cache.
    pub(super) fn within(cache: Option<&std::path::Path>) -> StockView {
        StockView { aside: Aside::within(cache), ..StockView::default() }
    }

    /// The letters by which what is shown is found.
    fn letters(&mut self) -> &mut String {
        if self.page == Page::Files { &mut self.files.filter } else { &mut self.filter }
    }
}

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "go to the sound that plays it; at the right, type the field", Some("its sound")),
    key(&["n"], Do::New, "n", "a new item", Some("new")),
    key(&["r"], Do::Rename, "r", "another name for the item", None),
    key(&["d"], Do::Duplicate, "d", "a copy of the item", None),
    key(&["D"], Do::Delete, "D", "out with the item, or with all that are marked", None),
    key(&["W"], Do::Wire, "W", "make its sound, its event and the reaction between them; of all that are marked at once", Some("wire")),
    key(&["p"], Do::HearItem, "p", "hear it: what plays it, with its placeholder if it is not made yet", Some("hear")),
    key(&["a"], Do::Approve, "a", "approved; again, neither", Some("approve")),
    key(&["t"], Do::Retake, "t", "to be made again, with a note; again, neither", Some("retake")),
    key(&["x"], Do::Mark, "x", "mark the item: edits are for all that are marked", Some("mark")),
    key(&["X"], Do::ClearMarks, "X", "mark none; if none is, all that are shown", None),
    key(&["/"], Do::Filter, "/", "show only items with these letters; esc shows all", Some("letters")),
    key(&["<"], Do::SortBack, "<", "sort otherwise", None),
    key(&[">"], Do::SortOn, ">", "sort otherwise: by name, how far, priority, deadline, person", Some("sort")),
    key(&["v"], Do::NextPage, "v", "the next page: items; files, with what is wrong with them; budget, what all costs", Some("page")),
    key(&["f"], Do::Mend, "f", "files: do what mends the chosen one: a new version beside it, or another name", None),
    key(&["F"], Do::MendAll, "F", "files: the same for all that are shown", None),
    key(&["o"], Do::OtherFix, "o", "files: a new version of the chosen one, with fixes that you type", None),
    key(&["i"], Do::BringIn, "i", "files: bring in a folder of recordings, after a look at what becomes of each", None),
    key(&["c"], Do::CutAtMarks, "c", "files: takes cut out at the marks in it, the file stays as it is", None),
    key(&["M"], Do::MarksToMarkers, "M", "files: markers of the music from the marks in it", None),
];

static FACE: Face = Face {
    name: NAME,
    key: '7',
    says: "every sound that the game will need, and how far each is",
    keys: KEYS,
    mouse: &["click a group or an item to choose it, a field again to type it"],
    widths: (26, 46),
};

impl View for StockList {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        draw::draw(app, painter, area, targets);
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        if does == Do::NextPage {
            app.stock.page = app.stock.page.next();
            if app.stock.list == List::Fields {
                app.stock.list = List::Items;
            }
            return true;
        }
        if app.stock.page != Page::Items {
            return on_other_page(app, does);
        }
        match does {
            Do::NextColumn => app.stock.list = [List::Items, List::Fields, List::Groups][app.stock.list as usize],
            Do::PreviousColumn => app.stock.list = [List::Fields, List::Groups, List::Items][app.stock.list as usize],
            Do::Left | Do::FineLeft => app.stock.list = if app.stock.list == List::Fields { List::Items } else { List::Groups },
            Do::Right | Do::FineRight => app.stock.list = if app.stock.list == List::Groups { List::Items } else { List::Fields },
            Do::Main if app.stock.list == List::Groups => app.stock.list = List::Items,
            Do::Main if app.stock.list == List::Fields => app.type_item_field(),
            Do::Main => app.go_to_sound_of_item(),
            Do::Edit if app.stock.list == List::Items => app.stock.list = List::Fields,
            Do::Edit => app.type_item_field(),
            Do::New => app.mode = Mode::typing(NamePrompt(Names::New), TextField::default()),
            Do::Rename => app.rename_item(),
            Do::Duplicate => app.duplicate_item(),
            Do::Delete => app.delete_items(),
            Do::Wire => app.wire_items(),
            Do::HearItem => app.hear_item(),
            Do::Approve => app.mark_items(Mark::Approved),
            Do::Retake => app.mark_items(Mark::Retake),
            Do::Mark => app.mark_item(),
            Do::ClearMarks => app.clear_item_marks(),
            Do::Filter => app.mode = Mode::typing(FilterPrompt, TextField::new(&app.stock.filter)),
            Do::SortBack => app.stock.sort = app.stock.sort.step(-1),
            Do::SortOn => app.stock.sort = app.stock.sort.step(1),
            Do::Back if !app.stock.filter.is_empty() => app.stock.filter.clear(),
            Do::Rest if app.stock.list == List::Fields => app.clear_item_field(),
            _ => return false,
        }
        true
    }

    fn go(&self, app: &mut App, by: isize) {
        match app.stock.page {
            Page::Items => {}
            Page::Files => return app.go_in_files(by),
            Page::Budget => return app.go_in_costs(by),
        }
        match app.stock.list {
            List::Groups => {
                let tests: Vec<Test> = app.stock_read().groups.iter().filter_map(|g| g.test.clone()).collect();
                let at = tests.iter().position(|test| *test == app.stock.group).unwrap_or(0);
                if let Some(test) = tests.get(at.saturating_add_signed(by).min(tests.len().saturating_sub(1))) {
                    app.stock.group = test.clone();
                }
            }
            List::Items => {
                let shown = app.items_shown();
                let at = app.place_of_item(&shown);
                if let Some(item) = shown.get(at.saturating_add_signed(by).min(shown.len().saturating_sub(1))) {
                    let name = app.stock_read().document.stock.items[*item].name.clone();
                    app.stock.chosen = name;
                }
            }
            List::Fields => app.stock.field = app.stock.field.saturating_add_signed(by).min(COLUMNS.len() - 1),
        }
    }

    fn last_line(&self, app: &App) -> Option<&'static [(&'static str, &'static str)]> {
        const FIELDS: &[(&str, &str)] = &[("enter", "type it"), ("0", "take it out"), ("←", "items"), ("u", "undo"), ("ctrl-s", "save"), ("?", "help")];
        const ITEMS: &[(&str, &str)] = &[
            ("→", "its fields"),
            ("enter", "its sound"),
            ("n", "new"),
            ("W", "wire"),
            ("p", "hear"),
            ("a", "approve"),
            ("t", "retake"),
            ("x", "mark"),
            ("/", "letters"),
            (">", "sort"),
            ("u", "undo"),
            ("ctrl-s", "save"),
            (":", "find"),
            ("?", "help"),
        ];
        const FILES: &[(&str, &str)] = &[
            ("v", "page"),
            ("f", "fix"),
            ("F", "fix all"),
            ("o", "other fixes"),
            ("r", "rename"),
            ("p", "hear"),
            ("enter", "its sound"),
            ("i", "bring in"),
            ("/", "letters"),
            ("u", "undo"),
            ("?", "help"),
        ];
        const COMING: &[(&str, &str)] = &[("enter", "copy them in"), ("esc", "leave them"), ("?", "help")];
        const BUDGET: &[(&str, &str)] = &[("v", "page"), ("< >", "list"), ("enter", "its sound"), ("ctrl-b", "bundle"), ("u", "undo"), ("?", "help")];
        Some(match (app.stock.page, app.stock.list) {
            (Page::Files, _) if app.stock.aside.incoming.is_some() => COMING,
            (Page::Files, _) => FILES,
            (Page::Budget, _) => BUDGET,
            (Page::Items, List::Fields) => FIELDS,
            (Page::Items, _) => ITEMS,
        })
    }
}

impl App {
    /// What is known of the stock: as the project is now, or, where working that out takes longer than a moment, as it was until that is done.
    fn stock_read(&self) -> Ref<'_, Read> {
        let document = self.workspace.document();
        let current = self.stock.read.borrow().as_ref().is_some_and(|read| Arc::ptr_eq(&read.document, document));
        if !current && document.stock.items.len() + self.workspace.audio().len() / 4 < AT_ONCE {
            *self.stock.read.borrow_mut() = Some(Read::of(document, self.workspace.audio()));
        } else if self.stock.read.borrow().is_none() {
            // Nothing is known yet: all is shown as not begun for as long as it takes to look.
            let stages = vec![Stages::default(); document.stock.items.len()];
            let groups = groups::groups(&document.stock.items, &stages);
            *self.stock.read.borrow_mut() = Some(Read { document: Arc::clone(document), stages, groups, guessed: true });
        }
        Ref::map(self.stock.read.borrow(), |read| read.as_ref().unwrap_or_else(|| unreachable!("it was just read")))
    }

    /// Whether what is shown of the stock is as the project is.
    #[cfg(test)]
    pub(super) fn stock_is_known(&self) -> bool {
        self.stock.read.borrow().as_ref().is_some_and(|read| Arc::ptr_eq(&read.document, self.workspace.document()) && !read.guessed)
    }

    /// Takes in how far a large stock is, and begins to look when that is outdated; true if there is something new to show.
    pub(super) fn poll_stock(&mut self) -> bool {
        if let Some(read) = self.stock.looking.as_ref().and_then(|looking| looking.try_recv().ok()) {
            self.stock.looking = None;
            *self.stock.read.borrow_mut() = Some(read);
            return true;
        }
        if !self.shows(NAME) || self.stock.looking.is_some() {
            return false;
        }
        let document = Arc::clone(self.workspace.document());
        if self.stock.read.borrow().as_ref().is_none_or(|read| Arc::ptr_eq(&read.document, &document) && !read.guessed) {
            return false;
        }
        let audio = self.workspace.audio().clone();
        let (tell, looking) = std::sync::mpsc::channel();
        std::thread::spawn(move || drop(tell.send(Read::of(&document, &audio))));
        self.stock.looking = Some(looking);
        false
    }

    /// The items of the chosen group with the letters of the filter, by their places, sorted.
    fn items_shown(&self) -> Vec<usize> {
        let read = self.stock_read();
        let items = &read.document.stock.items;
        let fits = |at: &usize| {
            let item = &items[*at];
            let letters = || item.name.contains(&self.stock.filter) || item.texts.values().any(|text| text.to_lowercase().contains(&self.stock.filter));
            self.stock.group.fits(item, &read.stages[*at]) && (self.stock.filter.is_empty() || letters())
        };
        let mut shown: Vec<usize> = (0..items.len()).filter(fits).collect();
        let text = |at: usize, column: Column| items[at].text(column).to_lowercase();
        // What says nothing comes last.
        let last = |text: String| (text.is_empty(), text);
        match self.stock.sort {
            Sort::Written => {}
            Sort::Name => shown.sort_by(|a, b| items[*a].name.cmp(&items[*b].name)),
            Sort::Stage => shown.sort_by_key(|at| read.stages[*at].all().map(|(_, e)| e.done as usize).iter().sum::<usize>()),
            Sort::Priority => shown.sort_by_key(|at| last(format!("{:0>8}", text(*at, Column::Priority)).trim_start_matches("00000000").to_owned())),
            Sort::Deadline => shown.sort_by_key(|at| estampie_project::stock::read_date(items[*at].text(Column::Deadline)).unwrap_or(u32::MAX)),
            Sort::Person => shown.sort_by_key(|at| last(text(*at, Column::Person))),
        }
        shown
    }

    fn place_of_item(&self, shown: &[usize]) -> usize {
        shown.iter().position(|at| self.stock_read().document.stock.items[*at].name == self.stock.chosen).unwrap_or(0)
    }

    /// The chosen item, and how far it is.
    fn item_chosen(&self) -> Option<(Item, Stages)> {
        let shown = self.items_shown();
        let at = *shown.get(self.place_of_item(&shown))?;
        let read = self.stock_read();
        Some((read.document.stock.items[at].clone(), read.stages[at].clone()))
    }

    /// The items that an edit is for: all that are marked, or the chosen one.
    fn items_meant(&self) -> Vec<String> {
        let marked: Vec<String> = self.document().stock.items.iter().map(|i| &i.name).filter(|name| self.stock.marked.contains(*name)).cloned().collect();
        if marked.is_empty() { self.item_chosen().map(|(item, _)| item.name).into_iter().collect() } else { marked }
    }

    fn set_items(&mut self, names: &[String], column: Column, value: &str) {
        match self.workspace.set_items(names, column, value) {
            Ok(()) => {
                self.recompile();
                let of = if let [name] = names { name.clone() } else { format!("{} items", names.len()) };
                let what = if value.is_empty() { "nothing".to_owned() } else { value.to_owned() };
                self.say(format!("{} of {of}: {what}", column.spec().word));
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    fn type_item_field(&mut self) {
        let names = self.items_meant();
        let Some((item, _)) = self.item_chosen() else { return self.say("there is no item here: n makes one") };
        let column = COLUMNS[self.stock.field].column;
        if column == Column::Name {
            return self.rename_item();
        }
        let text = item.text(column).to_owned();
        self.mode = Mode::typing(FieldPrompt { column, names }, TextField::new(&text));
    }

    fn clear_item_field(&mut self) {
        let column = COLUMNS[self.stock.field].column;
        if column == Column::Name {
            return self.say("an item has a name: r gives it another, D takes it out");
        }
        let names = self.items_meant();
        self.set_items(&names, column, "");
    }

    fn rename_item(&mut self) {
        if let Some((item, _)) = self.item_chosen() {
            self.mode = Mode::typing(NamePrompt(Names::Rename), TextField::new(&item.name));
        }
    }

    fn duplicate_item(&mut self) {
        let Some((item, _)) = self.item_chosen() else { return };
        match self.workspace.duplicate_item(&item.name) {
            Ok(copy) => {
                self.recompile();
                self.say(format!("{copy} is a copy of {}", item.name));
                self.stock.chosen = copy;
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    fn delete_items(&mut self) {
        let names = self.items_meant();
        if names.is_empty() {
            return;
        }
        let shown = self.items_shown();
        let next = shown.get(self.place_of_item(&shown) + 1).map(|at| self.stock_read().document.stock.items[*at].name.clone());
        self.workspace.begin_anew();
        match self.workspace.delete_items(&names) {
            Ok(()) => {
                self.recompile();
                self.stock.marked.clear();
                self.stock.chosen = next.unwrap_or_default();
                let of = if let [name] = names.as_slice() { name.clone() } else { format!("{} items", names.len()) };
                self.say(format!("out of the stock: {of}; files and sounds stay; u brings it back"));
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    /// The first sound that plays an item.
    fn sound_of_item(&self, stages: &Stages) -> Option<String> {
        stages.built.by.iter().find(|name| self.document().sounds.iter().any(|s| s.name == **name)).cloned()
    }

    /// How often the playthroughs hear what plays an item, while that is shown.
    fn heard_of_item(&self, stages: &Stages) -> Option<u64> {
        let covered = self.covered()?;
        let counts: Vec<u64> = stages.built.by.iter().filter_map(|sound| covered.coverage.count("sounds", sound)).collect();
        (!counts.is_empty()).then(|| counts.iter().sum())
    }

    fn go_to_sound_of_item(&mut self) {
        let Some((item, stages)) = self.item_chosen() else { return self.say("there is no item here: n makes one") };
        match self.sound_of_item(&stages) {
            Some(sound) => {
                self.show(sounds::NAME);
                self.sounds.selected = sound;
            }
            None if stages.built.done != Done::No => self.say(format!("{} is played by {}: 4 has it", item.name, stages.built.by.join(", "))),
            None => self.say(format!("nothing plays {} yet: W makes its sound, its event and its reaction", item.name)),
        }
    }

    fn wire_items(&mut self) {
        let names = self.items_meant();
        match names.as_slice() {
            [] => self.say("there is no item here: n makes one"),
            [name] => self.mode = Mode::typing(WirePrompt, TextField::offer(&name.replace('/', "."))),
            _ => self.build_items(&names, None).unwrap_or_else(|why| self.alarm(why)),
        }
    }

    fn build_items(&mut self, names: &[String], event: Option<&str>) -> Result<(), estampie_project::document::Refusal> {
        self.workspace.begin_anew();
        let sounds = self.workspace.build_items(&names.iter().map(|name| (name.clone(), event.map(str::to_owned))).collect::<Vec<_>>())?;
        self.recompile();
        let what = if let [sound] = sounds.as_slice() { format!("{sound} is wired") } else { format!("{} sounds are wired", sounds.len()) };
        self.say(format!("{what}: p hears it, 2 shows the reactions, u takes all of it back"));
        Ok(())
    }

    fn hear_item(&mut self) {
        let Some((item, stages)) = self.item_chosen() else { return };
        match self.sound_of_item(&stages) {
            Some(sound) => {
                self.rehearsal.say(InputKind::Play { sound: NameKey::of(&sound), emitter: NameKey::NONE });
                let made = if stages.made.done == Done::No { ": its placeholder" } else { "" };
                self.say(format!("hears {sound}{made}"));
            }
            None => self.say(format!("nothing plays {} yet: W makes its sound, its event and its reaction", item.name)),
        }
    }

    fn mark_items(&mut self, mark: Mark) {
        let names = self.items_meant();
        let marked = |app: &App, name: &String| app.document().stock.items.iter().any(|i| i.name == *name && i.mark == Some(mark));
        if names.iter().all(|name| marked(self, name)) {
            return self.set_items(&names, Column::Mark, "");
        }
        self.set_items(&names, Column::Mark, mark.word());
        if mark == Mark::Retake {
            self.mode = Mode::typing(FieldPrompt { column: Column::MarkNote, names }, TextField::default());
        }
    }

    fn mark_item(&mut self) {
        let Some((item, _)) = self.item_chosen() else { return };
        if !self.stock.marked.remove(&item.name) {
            self.stock.marked.insert(item.name);
        }
        StockList.go(self, 1);
    }

    fn clear_item_marks(&mut self) {
        if self.stock.marked.is_empty() {
            let shown = self.items_shown();
            self.stock.marked = shown.iter().map(|at| self.stock_read().document.stock.items[*at].name.clone()).collect();
        } else {
            self.stock.marked.clear();
        }
    }
}

/// What keys do on the pages *Files* and *Budget*; false if nothing.
fn on_other_page(app: &mut App, does: Do) -> bool {
    let files = app.stock.page == Page::Files;
    let coming = files && app.stock.aside.incoming.is_some();
    match does {
        Do::NextColumn | Do::PreviousColumn => app.stock.list = if app.stock.list == List::Groups { List::Items } else { List::Groups },
        Do::Left | Do::FineLeft => app.stock.list = List::Groups,
        Do::Right | Do::FineRight => app.stock.list = List::Items,
        Do::Main if coming => app.confirm_incoming(),
        Do::Back if coming => app.stock.aside.incoming = None,
        _ if coming => return false,
        Do::Main if app.stock.list == List::Groups => app.stock.list = List::Items,
        Do::Main if files => app.go_to_player_of_file(),
        Do::Main => app.go_to_cost(),
        Do::SortBack if !files => change_list(app, -1),
        Do::SortOn if !files => change_list(app, 1),
        Do::Back if files && !app.stock.files.filter.is_empty() => app.stock.files.filter.clear(),
        Do::Back => app.stock.page = Page::Items,
        _ if !files => return false,
        Do::HearItem | Do::Rename | Do::Mend | Do::MendAll | Do::OtherFix | Do::CutAtMarks | Do::MarksToMarkers if app.stock.aside.known.is_none() => {
            app.say("the files are still being measured: wait a moment");
        }
        Do::Filter => app.mode = Mode::typing(FilterPrompt, TextField::new(&app.stock.files.filter)),
        Do::HearItem => app.hear_file(),
        Do::Rename => app.ask_for_file_name(),
        Do::Mend => app.mend(false),
        Do::MendAll => app.mend(true),
        Do::OtherFix => app.ask_for_fixes(),
        Do::BringIn => app.ask_for_folder(),
        Do::CutAtMarks => app.use_marks(true),
        Do::MarksToMarkers => app.use_marks(false),
        _ => return false,
    }
    true
}

fn change_list(app: &mut App, by: isize) {
    let count = draw_files::LISTS.len() as isize;
    (app.stock.budget.list, app.stock.budget.at) = ((app.stock.budget.list as isize + by).rem_euclid(count) as usize, 0);
}

/// A page of the view.
#[derive(Debug)]
struct ClickPage(Page);

impl Clicks for ClickPage {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        (app.stock.page, app.stock.list) = (self.0, List::Items);
    }
}

/// A group of files.
#[derive(Debug)]
struct ClickShown(Shown);

impl Clicks for ClickShown {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        (app.stock.list, app.stock.files.shown, app.stock.files.at) = (List::Groups, self.0, 0);
    }
}

/// A row of the page *Files* or *Budget*.
#[derive(Debug)]
struct ClickFileRow(usize);

impl Clicks for ClickFileRow {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        app.stock.list = List::Items;
        if app.stock.page == Page::Budget { app.stock.budget.at = self.0 } else { app.stock.files.at = self.0 }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.stock.list = List::Items;
        false
    }
}

/// A list of the page *Budget*.
#[derive(Debug)]
struct ClickCosts(usize);

impl Clicks for ClickCosts {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        (app.stock.list, app.stock.budget.list, app.stock.budget.at) = (List::Groups, self.0, 0);
    }
}

/// A group.
#[derive(Debug)]
struct ClickGroup(Test);

impl Clicks for ClickGroup {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        (app.stock.list, app.stock.group) = (List::Groups, self.0.clone());
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.stock.list = List::Groups;
        false
    }
}

/// An item, by its name.
#[derive(Debug)]
struct ClickItem(String);

impl Clicks for ClickItem {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        (app.stock.list, app.stock.chosen) = (List::Items, self.0.clone());
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.stock.list = List::Items;
        false
    }
}

/// A field of the chosen item.
#[derive(Debug)]
struct ClickField(usize);

impl Clicks for ClickField {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        let again = app.stock.list == List::Fields && app.stock.field == self.0;
        (app.stock.list, app.stock.field) = (List::Fields, self.0);
        if again {
            app.type_item_field();
        }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.stock.list = List::Fields;
        false
    }
}

#[cfg(test)]
mod files_tests;
#[cfg(test)]
mod tests;
