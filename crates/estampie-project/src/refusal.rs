//! Why an edit is not made.

use crate::fault::Fault;
use estampie_engine::units::ValueError;

/// Why an edit is not made, and what can be done instead. Nothing has been changed then.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// What is to be edited is not there.
    #[error("there is no {kind} {name}")]
    Missing {
        /// What kind of thing it would be.
        kind: String,
        /// Its name.
        name: String,
    },
    /// There is another one of that name.
    #[error("there is a {kind} {name} already; write another name")]
    Taken {
        /// What kind of thing.
        kind: String,
        /// The name.
        name: String,
    },
    /// It cannot be a name.
    #[error("\"{0}\" cannot be a name: lower case, with - between words and a letter first")]
    BadName(String),
    /// It was there when the edit began, and is not any more.
    #[error("{0} is gone: it has been changed meanwhile")]
    Gone(String),
    /// A file has something else where a table is needed.
    #[error("{0} is not a table; fix it in its file")]
    NoTable(String),
    /// The project would be at fault with it.
    #[error("{}; {}", .0.what, .0.fix)]
    Fault(Box<Fault>),
    /// What was typed is not such a value.
    #[error(transparent)]
    Value(#[from] ValueError),
    /// Something else, in words.
    #[error("{0}")]
    Other(String),
}

impl Refusal {
    /// What is to be edited is not there.
    #[must_use]
    pub fn missing(kind: &str, name: &str) -> Refusal {
        Refusal::Missing { kind: kind.to_owned(), name: name.to_owned() }
    }

    /// There is another one of that name.
    #[must_use]
    pub fn taken(kind: &str, name: &str) -> Refusal {
        Refusal::Taken { kind: kind.to_owned(), name: name.to_owned() }
    }
}

impl From<Refusal> for String {
    fn from(refusal: Refusal) -> String {
        refusal.to_string()
    }
}

impl From<Fault> for Refusal {
    fn from(fault: Fault) -> Refusal {
        Refusal::Fault(Box::new(fault))
    }
}

impl From<String> for Refusal {
    fn from(words: String) -> Refusal {
        Refusal::Other(words)
    }
}

impl From<&str> for Refusal {
    fn from(words: &str) -> Refusal {
        Refusal::Other(words.to_owned())
    }
}
