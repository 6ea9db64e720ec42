//! One line of text being edited: where the cursor stands, and what keys do to it.

/// A text and a cursor in it, counted in characters.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct TextField {
    pub(crate) text: String,
    pub(crate) at: usize,
    /// What stands there is only shown: the first character typed takes its place; any other key keeps it, to be edited.
    pub(crate) offered: bool,
}

impl TextField {
    /// A line with the cursor at its end.
    pub(crate) fn new(text: &str) -> TextField {
        TextField { text: text.to_owned(), at: text.chars().count(), offered: false }
    }

    /// A line with a text that the first character typed replaces.
    pub(crate) fn offer(text: &str) -> TextField {
        TextField { offered: !text.is_empty(), ..TextField::new(text) }
    }

    fn byte(&self, at: usize) -> usize {
        self.text.char_indices().nth(at).map_or(self.text.len(), |(byte, _)| byte)
    }

    /// The text before the cursor.
    pub(crate) fn before(&self) -> &str {
        &self.text[..self.byte(self.at)]
    }

    /// The word before the cursor, of what a name may hold.
    pub(crate) fn word(&self) -> &str {
        let before = self.before();
        let start = before.rfind(|c: char| c.is_whitespace()).map_or(0, |at| at + before[at..].chars().next().map_or(1, char::len_utf8));
        &before[start..]
    }

    /// Puts `text` in place of the word before the cursor.
    pub(crate) fn complete(&mut self, text: &str) {
        let from = self.before().len() - self.word().len();
        // An option that begins with a comma follows the word before it without a space.
        let from = if text.starts_with(',') { self.text[..from].trim_end().len() } else { from };
        let to = self.byte(self.at);
        self.text.replace_range(from..to, text);
        self.at = self.text[..from + text.len()].chars().count();
        if self.at == self.text.chars().count() {
            self.insert(" ");
        }
    }

    fn insert(&mut self, text: &str) {
        let at = self.byte(self.at);
        self.text.insert_str(at, text);
        self.at += text.chars().count();
    }

    /// Takes a key by its name; false if it means nothing here.
    pub(crate) fn key(&mut self, name: &str) -> bool {
        if std::mem::take(&mut self.offered) && name.chars().count() == 1 {
            *self = TextField::default();
        }
        let end = self.text.chars().count();
        match name {
            "left" => self.at = self.at.saturating_sub(1),
            "right" => self.at = (self.at + 1).min(end),
            "home" | "ctrl-a" => self.at = 0,
            "end" | "ctrl-e" => self.at = end,
            "backspace" if self.at > 0 => {
                self.at -= 1;
                let at = self.byte(self.at);
                self.text.remove(at);
            }
            "delete" if self.at < end => {
                let at = self.byte(self.at);
                self.text.remove(at);
            }
            "ctrl-u" => {
                let at = self.byte(self.at);
                self.text.replace_range(..at, "");
                self.at = 0;
            }
            "ctrl-w" => {
                let from = self.before().trim_end().rfind(' ').map_or(0, |at| at + 1);
                let to = self.byte(self.at);
                self.text.replace_range(from..to, "");
                self.at = self.text[..from].chars().count();
            }
            "space" => self.insert(" "),
            _ if name.chars().count() == 1 => self.insert(name),
            _ => return false,
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_edit_where_the_cursor_stands() {
        let mut line = TextField::new("play grate");
        for key in ["home", "delete", "P", "end", "backspace", "é", "left", "left"] {
            assert!(line.key(key), "{key}");
        }
        assert_eq!((line.text.as_str(), line.at, line.word()), ("Play graté", 8, "gra"));
        line.key("ctrl-w");
        assert_eq!(line.text, "Play té");
        assert!(!line.key("f5"));
    }

    #[test]
    fn an_offered_text_is_replaced_by_typing_and_kept_by_moving() {
        let mut line = TextField::offer("-6 dB");
        line.key("-");
        line.key("9");
        assert_eq!(line, TextField::new("-9"));
        let mut line = TextField::offer("-6 dB");
        line.key("home");
        line.key("1");
        assert_eq!(line.text, "1-6 dB");
        let mut line = TextField::offer("-6 dB");
        line.key("backspace");
        assert_eq!(line.text, "-6 d");
    }

    #[test]
    fn a_completion_takes_the_words_place() {
        let mut line = TextField::new("play hul");
        line.complete("hull/struck");
        assert_eq!(line.text, "play hull/struck ");
        line.complete(", chance 70 %");
        assert_eq!(line.text, "play hull/struck, chance 70 % ");
        let mut line = TextField::new("When hi and x");
        line.at = 7;
        line.complete("hit");
        assert_eq!((line.text.as_str(), line.at), ("When hit and x", 8));
    }
}
