//! Words, numbers and commas of one line.

use crate::fault::{Fault, Place};
use estampie_engine::units::{Quantity, Seconds, split_number};

/// One token with its column.
#[derive(Debug, Clone, PartialEq)]
pub struct Token {
    /// The text: a word, a number, or a comma or percent sign.
    pub text: String,
    /// The column, counted from 1 in characters.
    pub column: u32,
}

/// The tokens of a line; `#` begins a comment, which is left out.
#[must_use]
pub fn tokens(line: &str) -> Vec<Token> {
    let mut list: Vec<Token> = Vec::new();
    let mut word: Option<Token> = None;
    for (at, c) in line.chars().enumerate() {
        let column = at as u32 + 1;
        if c == '#' {
            break;
        }
        if c.is_whitespace() || c == ',' || c == '%' {
            list.extend(word.take());
            if !c.is_whitespace() {
                list.push(Token { text: c.to_string(), column });
            }
        } else {
            word.get_or_insert_with(|| Token { text: String::new(), column }).text.push(c);
        }
    }
    list.extend(word);
    list
}

/// Whether a text can be a name in a project: letters, digits, `-`, `.`, `_` and `/`, a letter first.
#[must_use]
pub fn is_name(text: &str) -> bool {
    text.chars().next().is_some_and(char::is_alphabetic) && text.chars().all(|c| c.is_alphanumeric() || matches!(c, '-' | '.' | '_' | '/'))
}

/// Whether a text can be the name of a thing that a project declares: as [`is_name`] has it, and in small letters.
#[must_use]
pub fn is_plain_name(text: &str) -> bool {
    is_name(text) && text == text.to_lowercase()
}

/// A line being parsed: a cursor over its tokens that gives faults with places.
pub struct Cursor<'a> {
    file: &'a str,
    line: u32,
    end_column: u32,
    tokens: Vec<Token>,
    at: usize,
}

/// What a parser of part of a line gives.
pub type Parsed<T> = Result<T, Fault>;

impl<'a> Cursor<'a> {
    /// A cursor at the start of `text`, which is line `line` of `file`.
    #[must_use]
    pub fn new(file: &'a str, line: u32, text: &str) -> Self {
        Cursor { file, line, end_column: text.trim_end().chars().count() as u32 + 1, tokens: tokens(text), at: 0 }
    }

    /// The place of the next token, or of the end of the line.
    #[must_use]
    pub fn place(&self) -> Place {
        let column = self.tokens.get(self.at).map_or(self.end_column, |t| t.column);
        Place { file: self.file.to_owned(), line: self.line, column }
    }

    /// The next token's text; empty at the end.
    #[must_use]
    pub fn peek(&self) -> &str {
        self.tokens.get(self.at).map_or("", |t| t.text.as_str())
    }

    /// Whether all tokens are taken.
    #[must_use]
    pub fn done(&self) -> bool {
        self.at >= self.tokens.len()
    }

    /// Takes the next tokens if they are exactly `words`.
    pub fn take(&mut self, words: &[&str]) -> bool {
        let here = self.tokens.get(self.at..self.at + words.len());
        let same = here.is_some_and(|h| h.iter().zip(words).all(|(t, w)| t.text == *w));
        if same {
            self.at += words.len();
        }
        same
    }

    /// The texts of the tokens that are left.
    #[must_use]
    pub fn rest(&self) -> Vec<String> {
        self.tokens[self.at.min(self.tokens.len())..].iter().map(|t| t.text.clone()).collect()
    }

    /// Where the cursor stands, to come back to.
    #[must_use]
    pub fn mark(&self) -> usize {
        self.at
    }

    /// Stands again where [`mark`](Cursor::mark) was asked.
    pub fn back_to(&mut self, mark: usize) {
        self.at = mark;
    }

    /// A fault at the next token.
    #[must_use]
    pub fn fault(&self, what: impl Into<String>, fix: impl Into<String>) -> Fault {
        Fault::new(&self.place(), what, fix)
    }

    fn unexpected(&self, wanted: &str) -> Fault {
        let found = if self.done() { "the line ends".to_owned() } else { format!("\"{}\" stands", self.peek()) };
        self.fault(format!("{found} where {wanted} should stand"), format!("write {wanted} here"))
    }

    /// Takes `word` or says that it is missing.
    ///
    /// # Errors
    /// When something else stands here.
    pub fn expect(&mut self, word: &str) -> Parsed<()> {
        if self.take(&[word]) { Ok(()) } else { Err(self.unexpected(&format!("\"{word}\""))) }
    }

    /// Takes a name.
    ///
    /// # Errors
    /// When the next token is no name; `wanted` says what it should have been.
    pub fn name(&mut self, wanted: &str) -> Parsed<super::Word> {
        if is_name(self.peek()) {
            let word = super::Word { text: self.peek().to_owned(), place: self.place() };
            self.at += 1;
            Ok(word)
        } else {
            Err(self.unexpected(wanted))
        }
    }

    /// Takes a number; a unit may be attached (`40m`) and is given back with it.
    ///
    /// # Errors
    /// When the next token is no finite number.
    pub fn number(&mut self, wanted: &str) -> Parsed<(f64, String)> {
        match split_number(self.peek()) {
            Some((value, unit)) => {
                let unit = unit.to_owned();
                self.at += 1;
                Ok((value, unit))
            }
            None => Err(self.unexpected(wanted)),
        }
    }

    /// Takes a time such as `3 s`, `80 ms`, `12`.
    ///
    /// # Errors
    /// When there is no number or the unit is no time.
    pub fn time(&mut self) -> Parsed<Seconds> {
        let place = self.place();
        let (value, mut unit) = self.number("a time, like 1.5 s")?;
        if unit.is_empty() && Seconds::from_parts(1.0, self.peek()).is_some() && !self.done() {
            unit = self.peek().to_owned();
            self.at += 1;
        }
        Seconds::from_parts(value, &unit)
            .ok_or_else(|| Fault::new(&place, format!("{value} {unit} is not a time"), "write a time of 0 or more, like 1.5 s or 80 ms"))
    }

    /// Says so if tokens are left.
    ///
    /// # Errors
    /// When the line goes on.
    pub fn end(&self, wanted: &str) -> Parsed<()> {
        if self.done() { Ok(()) } else { Err(self.fault(format!("\"{}\" is not understood here", self.peek()), wanted.to_owned())) }
    }
}

/// A state's value or a number, as a word.
pub(super) fn value(line: &mut Cursor<'_>, wanted: &str) -> Parsed<super::Word> {
    let place = line.place();
    if let Ok((number, unit)) = line.number(wanted) {
        return Ok(super::Word { text: format!("{}{unit}", print_number(number)), place });
    }
    line.name(wanted)
}

/// A number as sentences have it: shortest digits that read back the same.
#[must_use]
pub fn print_number(value: f64) -> String {
    if value == 0.0 { "0".into() } else { format!("{value}") }
}

/// A time as sentences have it: seconds, to the microsecond.
#[must_use]
pub fn print_time(time: Seconds) -> String {
    let text = format!("{:.6}", time.0);
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}
