//! How a command, or the workshop, ends when it does not end well.

/// What went wrong, and whose fault it is.
#[derive(Debug)]
pub(crate) enum Failure {
    /// The project, a file or the machine: exit 1.
    Fault(String),
    /// The command line: exit 2.
    Use(String),
}

impl From<estampie_link::ListenError> for Failure {
    fn from(error: estampie_link::ListenError) -> Self {
        match error {
            estampie_link::ListenError::NobodyAllowed(_) => Failure::Use(error.to_string()),
            error => Failure::Fault(error.to_string()),
        }
    }
}

impl From<std::io::Error> for Failure {
    fn from(error: std::io::Error) -> Self {
        Failure::Fault(error.to_string())
    }
}
