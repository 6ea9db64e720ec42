//! Groups of items: by how far they are, by what was said of them, by kind, person and deadline.

use estampie_project::progress::{Done, Stages};
use estampie_project::stock::{Column, Item, Kind, Mark, read_date};
use std::collections::BTreeMap;

/// What makes an item one of a group.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) enum Test {
    #[default]
    All,
    /// The stage of this place is not done.
    Lacks(usize),
    /// All stages are done.
    Whole,
    Marked(Mark),
    /// Its deadline is over and it is not made.
    Late,
    Kind(Kind),
    /// Of this person; of nobody if it is empty.
    Person(String),
    Due(String),
}

impl Test {
    pub(super) fn fits(&self, item: &Item, stages: &Stages) -> bool {
        match self {
            Test::All => true,
            Test::Lacks(stage) => stages.all()[*stage].1.done != Done::Yes,
            Test::Whole => stages.all().iter().all(|(_, e)| e.done == Done::Yes),
            Test::Marked(mark) => item.mark == Some(*mark),
            Test::Late => stages.made.done != Done::Yes && read_date(item.text(Column::Deadline)).is_some_and(|day| day < today()),
            Test::Kind(kind) => item.kind == *kind,
            Test::Person(person) => item.text(Column::Person) == person,
            Test::Due(day) => item.text(Column::Deadline) == day,
        }
    }
}

/// A line of the groups.
#[derive(Debug)]
pub(super) struct Group {
    pub(super) words: String,
    /// None of a heading.
    pub(super) test: Option<Test>,
    pub(super) count: usize,
    /// How many of them have all stages done.
    pub(super) done: usize,
}

/// Today, as [`read_date`] gives it.
fn today() -> u32 {
    read_date(&chrono::Local::now().format("%Y-%m-%d").to_string()).unwrap_or(0)
}

/// All groups that have an item, below their headings.
pub(super) fn groups(items: &[Item], stages: &[Stages]) -> Vec<Group> {
    let mut list = Vec::new();
    let mut add = |heading: &str, tests: Vec<(String, Test)>| {
        let of = tests.into_iter().map(|(words, test)| {
            let own = items.iter().zip(stages).filter(|(item, stages)| test.fits(item, stages));
            let (count, done) = own.fold((0, 0), |(count, done), (item, stages)| (count + 1, done + usize::from(Test::Whole.fits(item, stages))));
            Group { words, test: Some(test), count, done }
        });
        let of: Vec<Group> = of.filter(|group| group.count > 0 || group.test == Some(Test::All)).collect();
        if !of.is_empty() && !heading.is_empty() {
            list.push(Group { words: heading.into(), test: None, count: 0, done: 0 });
        }
        list.extend(of);
    };
    let named = |words: &str, test: Test| (words.to_owned(), test);
    add("", vec![named("everything", Test::All)]);
    add(
        "How far",
        vec![
            named("to be made", Test::Lacks(0)),
            named("to be built", Test::Lacks(1)),
            named("to be hooked", Test::Lacks(2)),
            named("all three done", Test::Whole),
            named("late", Test::Late),
            named("approved", Test::Marked(Mark::Approved)),
            named("retake", Test::Marked(Mark::Retake)),
        ],
    );
    add("Kind", Kind::ALL.iter().map(|(kind, word, _)| named(word, Test::Kind(*kind))).collect());
    let mut people: BTreeMap<(bool, &str), Test> = BTreeMap::new();
    let mut days: BTreeMap<(u32, &str), Test> = BTreeMap::new();
    for item in items {
        let person = item.text(Column::Person);
        people.insert((person.is_empty(), person), Test::Person(person.to_owned()));
        let day = item.text(Column::Deadline);
        if let Some(number) = read_date(day) {
            days.insert((number, day), Test::Due(day.to_owned()));
        }
    }
    add("Person", people.into_iter().map(|((_, person), test)| (if person.is_empty() { "nobody yet".to_owned() } else { person.to_owned() }, test)).collect());
    add("Deadline", days.into_iter().map(|((_, day), test)| (day.to_owned(), test)).collect());
    list
}
