//! Formulas: derived parameters, written as people write them.
//!
//! ```text
//! max(strain, 1 - eel-distance / 80) * clamp(depth / 300, 0, 1)
//! if(threat is hunted and oxygen < 0.2, 1, 0)
//! ```
//!
//! Names hold hyphens, so a minus between two names has spaces around it. `×`, `÷`, `·` and `−` are understood too.

use super::Word;
use super::lex::{is_name, print_number};
use crate::fault::{Fault, Place};
use estampie_engine::vocabulary::{Binary, Function};
use std::fmt;

/// A formula.
#[derive(Debug, Clone, PartialEq)]
pub enum Expression {
    /// A number, 0 or more.
    Number(f64),
    /// A parameter.
    Parameter(Word),
    /// Whether a state has a value (or has it not): 1 or 0.
    State(Word, Word, bool),
    /// The other sign.
    Negative(Box<Expression>),
    /// Two values.
    Binary(Binary, Box<Expression>, Box<Expression>),
    /// A function.
    Call(Function, Vec<Expression>),
}

/// The most parts of a formula, and how deep it may be nested.
const MOST_PARTS: usize = 256;
/// See [`MOST_PARTS`].
pub const DEEPEST: usize = 24;

struct Parser<'a> {
    file: &'a str,
    line: u32,
    tokens: Vec<(String, u32)>,
    at: usize,
    end: u32,
    depth: usize,
}

/// Parses a formula that begins at `place`.
///
/// # Errors
/// With place and fix, when it is none.
pub fn parse(place: &Place, text: &str) -> Result<Expression, Fault> {
    let tokens = tokens(text, place.column.max(1));
    let end = place.column.max(1) + text.chars().count() as u32;
    let mut parser = Parser { file: &place.file, line: place.line, tokens, at: 0, end, depth: 0 };
    if parser.tokens.len() > MOST_PARTS {
        return Err(parser.fault(format!("the formula has more than {MOST_PARTS} parts"), "split it into two formulas"));
    }
    let expression = parser.expression(0)?;
    if parser.at < parser.tokens.len() {
        return Err(parser
            .fault(format!("\"{}\" is not understood here", parser.peek()), "write + - * / or a comparison between two values; a minus has spaces around it"));
    }
    Ok(expression)
}

fn tokens(text: &str, from: u32) -> Vec<(String, u32)> {
    let mut list: Vec<(String, u32)> = Vec::new();
    let characters: Vec<char> = text.chars().collect();
    let mut at = 0;
    while let Some(&c) = characters.get(at) {
        let start = at;
        at += 1;
        if c.is_whitespace() {
            continue;
        }
        let more = |at: usize, fits: fn(char) -> bool| characters[at..].iter().take_while(|c| fits(**c)).count();
        let text = if c.is_alphabetic() {
            at += more(at, |c| c.is_alphanumeric() || matches!(c, '-' | '.' | '_'));
            characters[start..at].iter().collect()
        } else if c.is_ascii_digit() || c == '.' {
            at += more(at, |c| c.is_ascii_digit() || c == '.');
            characters[start..at].iter().collect()
        } else if matches!(c, '<' | '>') && characters.get(at) == Some(&'=') {
            at += 1;
            format!("{c}=")
        } else {
            match c {
                '×' | '·' => "*".into(),
                '÷' => "/".into(),
                '−' => "-".into(),
                '≤' => "<=".into(),
                '≥' => ">=".into(),
                _ => c.to_string(),
            }
        };
        list.push((text, from + start as u32));
    }
    list
}

impl Parser<'_> {
    fn peek(&self) -> &str {
        self.tokens.get(self.at).map_or("", |t| t.0.as_str())
    }

    fn place(&self) -> Place {
        Place { file: self.file.to_owned(), line: self.line, column: self.tokens.get(self.at).map_or(self.end, |t| t.1) }
    }

    fn fault(&self, what: impl Into<String>, fix: impl Into<String>) -> Fault {
        Fault::new(&self.place(), what, fix)
    }

    fn take(&mut self, token: &str) -> bool {
        let same = self.peek() == token && self.at < self.tokens.len();
        self.at += usize::from(same);
        same
    }

    fn expect(&mut self, token: &str) -> Result<(), Fault> {
        if self.take(token) {
            return Ok(());
        }
        let found = if self.at >= self.tokens.len() { "the formula ends".to_owned() } else { format!("\"{}\" stands", self.peek()) };
        Err(self.fault(format!("{found} where \"{token}\" should stand"), format!("write \"{token}\" here")))
    }

    fn operator(&self) -> Option<Binary> {
        [Binary::Add, Binary::Subtract, Binary::Multiply, Binary::Divide, Binary::Less, Binary::More, Binary::AtMost, Binary::AtLeast, Binary::And, Binary::Or]
            .into_iter()
            .find(|o| o.sign() == self.peek())
    }

    fn expression(&mut self, least: u8) -> Result<Expression, Fault> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return Err(self.fault("the formula is nested too deep", "split it into two formulas"));
        }
        let mut left = self.value()?;
        while let Some(operator) = self.operator().filter(|o| o.rank() > least) {
            self.at += 1;
            let right = self.expression(operator.rank())?;
            left = Expression::Binary(operator, Box::new(left), Box::new(right));
        }
        self.depth -= 1;
        Ok(left)
    }

    fn value(&mut self) -> Result<Expression, Fault> {
        let place = self.place();
        if self.take("-") {
            self.depth += 1;
            if self.depth > DEEPEST {
                return Err(self.fault("the formula is nested too deep", "split it into two formulas"));
            }
            let value = self.value()?;
            self.depth -= 1;
            return Ok(Expression::Negative(Box::new(value)));
        }
        if self.take("(") {
            let inner = self.expression(0)?;
            self.expect(")")?;
            return Ok(inner);
        }
        let text = self.peek().to_owned();
        if let Ok(number) = text.parse::<f64>()
            && text.starts_with(|c: char| c.is_ascii_digit() || c == '.')
        {
            self.at += 1;
            return Ok(Expression::Number(number));
        }
        if !is_name(&text) || self.operator().is_some() {
            let found = if text.is_empty() { "the formula ends".to_owned() } else { format!("\"{text}\" stands") };
            return Err(self.fault(format!("{found} where a value should stand"), "write a number, a parameter, or a function such as max(a, b)"));
        }
        self.at += 1;
        if self.peek() == "(" {
            return self.call(&text, &place);
        }
        let word = Word { text, place };
        if self.take("is") {
            let is = !self.take("not");
            let place = self.place();
            let value = self.peek().to_owned();
            if !is_name(&value) {
                return Err(self.fault("it is not said which value", "write one of the state's values after \"is\""));
            }
            self.at += 1;
            return Ok(Expression::State(word, Word { text: value, place }, is));
        }
        Ok(Expression::Parameter(word))
    }

    fn call(&mut self, name: &str, place: &Place) -> Result<Expression, Fault> {
        let Some((function, _, count)) = Function::ALL.iter().find(|(_, n, _)| *n == name) else {
            let known = Function::ALL.map(|(_, n, _)| n);
            let fix = crate::fault::did_you_mean(name, known, &format!("known are {}", known.join(", ")));
            return Err(Fault::new(place, format!("there is no function {name}"), fix));
        };
        self.expect("(")?;
        let mut arguments = vec![self.expression(0)?];
        while self.take(",") {
            arguments.push(self.expression(0)?);
        }
        self.expect(")")?;
        if arguments.len() != *count {
            return Err(Fault::new(place, format!("{name} takes {count} values, not {}", arguments.len()), format!("give it {count}")));
        }
        Ok(Expression::Call(*function, arguments))
    }
}

impl Expression {
    /// Calls `each` with every parameter in it.
    pub fn parameters(&self, each: &mut impl FnMut(&Word)) {
        match self {
            Expression::Number(_) | Expression::State(..) => {}
            Expression::Parameter(word) => each(word),
            Expression::Negative(inner) => inner.parameters(each),
            Expression::Binary(_, a, b) => {
                a.parameters(each);
                b.parameters(each);
            }
            Expression::Call(_, list) => list.iter().for_each(|e| e.parameters(each)),
        }
    }

    fn rank(&self) -> u8 {
        match self {
            Expression::Binary(operator, ..) => operator.rank(),
            _ => 9,
        }
    }
}

impl fmt::Display for Expression {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let inner = |f: &mut fmt::Formatter<'_>, e: &Expression, least: u8| if e.rank() < least { write!(f, "({e})") } else { write!(f, "{e}") };
        match self {
            Expression::Number(n) => f.write_str(&print_number(*n)),
            Expression::Parameter(word) => write!(f, "{word}"),
            Expression::State(state, value, true) => write!(f, "{state} is {value}"),
            Expression::State(state, value, false) => write!(f, "{state} is not {value}"),
            Expression::Negative(e) => {
                f.write_str("-")?;
                inner(f, e, 9)
            }
            Expression::Binary(operator, a, b) => {
                inner(f, a, operator.rank())?;
                write!(f, " {} ", operator.sign())?;
                inner(f, b, operator.rank() + 1)
            }
            Expression::Call(function, list) => {
                write!(f, "{}(", function.name())?;
                for (at, e) in list.iter().enumerate() {
                    if at > 0 {
                        f.write_str(", ")?;
                    }
                    write!(f, "{e}")?;
                }
                f.write_str(")")
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn expression() -> impl Strategy<Value = Expression> {
        let word = || "z[a-z]{0,3}(-[a-z]{1,3})?".prop_map(|t| Word::new(&t));
        let leaf = prop_oneof![
            (0u32..4000).prop_map(|n| Expression::Number(f64::from(n) / 16.0)),
            word().prop_map(Expression::Parameter),
            (word(), word(), any::<bool>()).prop_map(|(a, b, is)| Expression::State(a, b, is)),
        ];
        leaf.prop_recursive(4, 40, 3, |inner| {
            let operator = prop::sample::select(vec![
                Binary::Add,
                Binary::Subtract,
                Binary::Multiply,
                Binary::Divide,
                Binary::Less,
                Binary::AtLeast,
                Binary::And,
                Binary::Or,
            ]);
            let function = prop::sample::select(Function::ALL.to_vec());
            prop_oneof![
                inner.clone().prop_map(|e| Expression::Negative(Box::new(e))),
                (operator, inner.clone(), inner.clone()).prop_map(|(o, a, b)| Expression::Binary(o, Box::new(a), Box::new(b))),
                (function, prop::collection::vec(inner, 3)).prop_map(|((f, _, n), mut list)| {
                    list.truncate(n);
                    Expression::Call(f, list)
                }),
            ]
        })
    }

    proptest! {
        #[test]
        fn parsing_what_was_printed_gives_the_same(e in expression()) {
            let text = e.to_string();
            let back = parse(&Place::default(), &text);
            prop_assert_eq!(back.as_ref(), Ok(&e), "{}", text);
        }

        #[test]
        fn no_text_panics(text in "([a-z(),<>=+*/ .-]|[0-9]|max|if|.){0,40}") {
            let _ = parse(&Place::default(), &text);
        }
    }

    #[test]
    fn mistakes_are_told_with_their_place() {
        let told = |text: &str| parse(&Place { file: "game.toml".into(), line: 4, column: 10 }, text).unwrap_err().to_string();
        assert!(told("max(a)").starts_with("game.toml:4:10: max takes 2 values, not 1"), "{}", told("max(a)"));
        assert!(told("1 + ").contains("the formula ends where a value should stand"));
        assert!(told("clmp(a, 0, 1)").contains("clamp?"));
        assert!(told("a b").starts_with("game.toml:4:12"));
        assert!(told(&"(".repeat(500)).contains("parts"));
        assert!(told(&"-".repeat(100)).contains("deep"));
    }

    #[test]
    fn signs_of_print_are_understood() {
        let e = parse(&Place::default(), "max(strain, 1 − eel-distance ÷ 80) · 2").unwrap();
        assert_eq!(e.to_string(), "max(strain, 1 - eel-distance / 80) * 2");
    }
}
