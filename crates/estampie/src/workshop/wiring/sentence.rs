//! Editing a line of the reactions in place: completion, faults as one types, and taking a fix.

use super::super::app::{App, Mode};
use super::super::text_field::TextField;
use super::{Column, FILE, Row};
use estampie_project::compile::Sentences;
use estampie_project::complete::complete;
use estampie_project::document::Fault;

/// A line being edited.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Sentence {
    /// Its place in the file, counted from 0.
    pub(crate) line: usize,
    /// Whether it is new, to be put in there.
    pub(crate) new: bool,
    /// Whether it is a head (`When …`) or an action.
    pub(crate) head: bool,
    pub(crate) edit: TextField,
    /// What is wrong with it, by column from 0.
    pub(crate) faults: Vec<(usize, Fault)>,
    /// What can be taken with tab.
    pub(crate) picks: Vec<Pick>,
    pub(crate) pick: usize,
}

/// Something that tab puts into the line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Pick {
    /// The word before the cursor goes on so.
    Complete(String),
    /// The word at a column (in characters) becomes another.
    Fix(usize, String),
}

impl Pick {
    pub(crate) fn text(&self) -> &str {
        match self {
            Pick::Complete(text) | Pick::Fix(_, text) => text,
        }
    }
}

/// The indentation of actions.
const INDENT: &str = "  ";

impl Sentence {
    /// The line as it stands in the file.
    fn written(&self) -> String {
        let text = self.edit.text.trim();
        if self.head { text.to_owned() } else { format!("{INDENT}{text}") }
    }
}

/// The length in characters of the word at a column.
pub(super) fn word_at(text: &str, column: usize) -> usize {
    text.chars().skip(column).take_while(|c| !c.is_whitespace() && *c != ',').count().max(1)
}

impl App {
    pub(super) fn begin_sentence(&mut self, line: usize) {
        let text = self.reactions_text();
        let Some(row) = text.lines().nth(line) else { return };
        let head = !row.starts_with(char::is_whitespace);
        self.open_sentence(Sentence { line, new: false, head, edit: TextField::new(row.trim()), faults: Vec::new(), picks: Vec::new(), pick: 0 });
    }

    /// A new reaction below the selected one, or a new action below the selected line.
    pub(super) fn begin_new(&mut self, head: bool) {
        let here = if let Some(Row::Line(line)) = self.wiring_row().filter(|_| self.wiring.column == Column::Centre) { Some(line) } else { None };
        if head {
            let subject = self.wiring_subject().filter(|s| self.wiring.column == Column::Told && self.document().events.iter().any(|e| e.name == *s));
            return self.begin_new_with(&subject.map_or_else(|| "When ".to_owned(), |s| format!("When {s}")));
        }
        let Some(line) = here else { return self.say("choose the reaction that the action belongs to; tab goes to the centre") };
        self.open_sentence(Sentence { line: line + 1, new: true, head: false, edit: TextField::default(), faults: Vec::new(), picks: Vec::new(), pick: 0 });
    }

    /// A new reaction below the selected one (or at the end) that begins with `text`.
    pub(super) fn begin_new_with(&mut self, text: &str) {
        let here = if let Some(Row::Line(line)) = self.wiring_row().filter(|_| self.wiring.column == Column::Centre) {
            self.block_of(line).map(|(_, b)| b.end)
        } else {
            None
        };
        let line = here.unwrap_or_else(|| self.reactions_text().trim_end().lines().count());
        self.wiring.column = Column::Centre;
        self.open_sentence(Sentence { line, new: true, head: true, edit: TextField::new(text), faults: Vec::new(), picks: Vec::new(), pick: 0 });
    }

    fn open_sentence(&mut self, mut sentence: Sentence) {
        self.look_at(&mut sentence);
        self.mode = Mode::Sentence(Box::new(sentence));
    }

    /// The file's text with the sentence in it, and the line at which it then stands.
    fn with_sentence(&self, sentence: &Sentence) -> (String, usize) {
        let text = self.reactions_text();
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        let mut at = sentence.line.min(lines.len());
        if !sentence.new {
            if let Some(line) = lines.get_mut(at) {
                *line = sentence.written();
            }
        } else if sentence.head {
            let mut put = vec![String::new(), sentence.written()];
            if at == 0 {
                put.remove(0);
            }
            // What follows keeps its blank line before it.
            if lines.get(at).is_some_and(|l| !l.trim().is_empty()) {
                put.push(String::new());
            }
            lines.splice(at..at, put);
            at += usize::from(at > 0);
        } else {
            lines.insert(at, sentence.written());
        }
        (lines.join("\n") + "\n", at)
    }

    /// Works out faults and completions.
    fn look_at(&self, sentence: &mut Sentence) {
        // The head that it stands under says what it may say; the rest of the project is as it was compiled.
        let written = self.written();
        let above = written.blocks.partition_point(|block| block.head < sentence.line).checked_sub(1);
        let head = above.and_then(|at| written.line(written.blocks[at].head));
        let (text, line) = match head.filter(|_| !sentence.head) {
            Some(head) => (format!("{head}\n{}\n", sentence.written()), 1),
            None => (format!("{}\n", sentence.written()), 0),
        };
        let program = self.program();
        let mut looks = self.wiring.looks.borrow_mut();
        if looks.as_ref().is_none_or(|(id, _)| *id != program.id) {
            *looks = Some((program.id, Sentences::new(program)));
        }
        let faults = looks.as_mut().map_or_else(Vec::new, |(_, looks)| looks.faults(self.document(), FILE, &text));
        drop(looks);
        let indent = if sentence.head { 0 } else { INDENT.len() };
        sentence.faults = faults
            .into_iter()
            .filter(|f| f.place.file == FILE && f.place.line as usize == line + 1)
            .filter(|f| !(sentence.head && f.what.contains("does nothing")))
            .map(|f| ((f.place.column as usize).saturating_sub(1 + indent), f))
            .collect();
        let word = sentence.edit.word().to_owned();
        let before = sentence.edit.before();
        let before = before[..before.len() - word.len()].to_owned();
        let typing = before.chars().count();
        let next = complete(self.document(), sentence.head, &before, &word).into_iter().map(Pick::Complete);
        let fixes = sentence.faults.iter().filter_map(|(column, fault)| Some(Pick::Fix(*column, fault.fix.strip_suffix('?')?.to_owned())));
        let (here, elsewhere): (Vec<Pick>, Vec<Pick>) = fixes.partition(|m| matches!(m, Pick::Fix(column, _) if *column == typing));
        // A word that is still being typed goes on first; what was typed before is fixed first.
        sentence.picks = elsewhere.into_iter().chain(next).chain(here).collect();
        sentence.pick = sentence.pick.min(sentence.picks.len().saturating_sub(1));
    }

    pub(in super::super) fn key_sentence(&mut self, name: &str, mut sentence: Box<Sentence>) {
        match name {
            "esc" | "ctrl-c" => return,
            "enter" => return self.commit(&sentence),
            "tab" => {
                match sentence.picks.get(sentence.pick).cloned() {
                    Some(Pick::Complete(text)) => sentence.edit.complete(&text),
                    Some(Pick::Fix(column, text)) => fix(&mut sentence.edit, column, &text),
                    None => {}
                }
                sentence.pick = 0;
            }
            "down" => sentence.pick = (sentence.pick + 1).min(sentence.picks.len().saturating_sub(1)),
            "up" => sentence.pick = sentence.pick.saturating_sub(1),
            _ => {
                if sentence.edit.key(name) {
                    sentence.pick = 0;
                }
            }
        }
        if !matches!(name, "down" | "up") {
            self.look_at(&mut sentence);
        }
        self.mode = Mode::Sentence(sentence);
    }

    /// Puts the line into the file. What is at fault goes in too, and is told: nothing typed is lost.
    fn commit(&mut self, sentence: &Sentence) {
        if sentence.edit.text.trim().is_empty() {
            return;
        }
        let (text, line) = self.with_sentence(sentence);
        let what = if sentence.head { "reaction" } else { "action" };
        self.write_reactions(&if sentence.new { format!("new {what}") } else { format!("words of a {what}") }, &text);
        self.go_to_reaction(line);
        if let Some((_, fault)) = sentence.faults.first() {
            self.alarm(format!("{}; {}", fault.what, fault.fix));
        }
        if sentence.new && sentence.head {
            // A reaction wants an action; what is typed next is one, whether or not the head can be read yet.
            self.open_sentence(Sentence { line: line + 1, new: true, head: false, edit: TextField::default(), faults: Vec::new(), picks: Vec::new(), pick: 0 });
        }
    }

    /// Takes the fix of the first fault in the selected line.
    pub(super) fn take_fix(&mut self) {
        let Some(Row::Line(line)) = self.wiring_row() else { return };
        let found = self.faults.iter().find(|f| f.place.file == FILE && f.place.line as usize == line + 1).cloned();
        let Some(fault) = found else { return self.say("this sentence has no fault") };
        let Some(name) = fault.fix.strip_suffix('?') else { return self.say(format!("{}; {}", fault.what, fault.fix)) };
        let text = self.reactions_text();
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        let mut edit = TextField::new(&lines[line]);
        fix(&mut edit, fault.place.column as usize - 1, name);
        lines[line] = edit.text;
        self.write_reactions("words of a reaction", &lines.join("\n"));
        self.say(format!("fixed: {name}"));
    }
}

/// Puts `text` in place of the word at a column; the cursor goes to the end of the line.
fn fix(edit: &mut TextField, column: usize, text: &str) {
    let length = word_at(&edit.text, column);
    let before: String = edit.text.chars().take(column).collect();
    let after: String = edit.text.chars().skip(column + length).collect();
    *edit = TextField::new(&format!("{before}{text}{after}"));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mend_takes_the_place_of_the_wrong_word() {
        let mut edit = TextField::new("play hul/struck, chance 70 %");
        fix(&mut edit, 5, "hull/struck");
        assert_eq!(edit.text, "play hull/struck, chance 70 %");
        assert_eq!(word_at("When hit", 5), 3);
        assert_eq!(word_at("When", 9), 1);
    }
}
