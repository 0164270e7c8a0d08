//! On what terms a route is used: who may, and what a request may bring along.

/// Who may use a route.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Needs {
    /// Anyone: signing in, the rules by which a page is drawn, whether the server lives, links that carry their own right.
    Nothing,
    /// Whoever has an account: these answer and change nothing.
    Account,
    /// Who may change things.
    Technician,
}

/// What a request may bring along.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Brings {
    /// A message of at most so many bytes, of whatever kind it calls itself.
    Message(usize),
    /// A form with files, which has limits of its own; any other message is as in [`LARGEST_MESSAGE`].
    Files,
}

/// The largest message, in bytes.
pub const LARGEST_MESSAGE: usize = 8 << 20;

/// The largest message of somebody who is not signed in, in bytes.
pub const LARGEST_SIGN_IN: usize = 4 << 10;
