//! Why something at the vehicle's side could not be done.

use super::Unanswered;
use link::LinkError;
use thiserror::Error;

/// Why the link, the meter or the hands did not do it.
#[derive(Debug, Error)]
pub enum BenchError {
    /// Nothing to ask modules over.
    #[error("no link is set up; start with --doip, or type codes and readings")]
    NoLink,
    /// The link did not open, now or a moment ago.
    #[error("{0}")]
    NotOpened(String),
    /// Over an open link.
    #[error(transparent)]
    Link(#[from] LinkError),
    /// A module that was asked.
    #[error(transparent)]
    Unanswered(#[from] Unanswered),
    /// Nobody announces himself at the gateway's address.
    #[error("no vehicle answers")]
    NobodyThere,
    /// Not in the vehicle file.
    #[error("there is no output “{0}”")]
    NoOutput(String),
    /// What must hold before an output is driven does not.
    #[error("“{output}” is not driven: {needs} does not hold ({said}); see to that first")]
    Guarded {
        /// The output's name.
        output: String,
        /// What does not hold.
        needs: String,
        /// What was read.
        said: String,
    },
    /// What must hold before something is taught does not.
    #[error(
        "“{what}” cannot be taught now: {needs} does not hold ({said}); see to that, then teach it"
    )]
    NotTaught {
        /// What was to be taught.
        what: String,
        /// What does not hold.
        needs: String,
        /// What was read.
        said: String,
    },
    /// A module broke off what it was to learn.
    #[error("“{0}” was not learned: the module stopped at {1} %; teach it again")]
    StoppedLearning(String, u8),
    /// A module says that it learned, and holds something else all the same.
    #[error("“{0}” did not take: its module says it has learned, and still holds “{1}”")]
    NotTaken(String, String),
    /// A setting that is written, not taught.
    #[error("“{0}” is not taught; it is written")]
    NothingToTeach(String),
    /// A module without an address.
    #[error("{0} cannot be asked")]
    NoAddress(String),
    /// No hands are set up.
    #[error("no hands are there to do it; do it yourself and say what you found")]
    NoHands,
    /// The stand-in's hands are gone.
    #[error("the stand-in's hands do not answer; is it still running?")]
    HandsGone,
    /// They cannot do it, in their words.
    #[error("{0}")]
    HandsRefuse(String),
    /// They said something that cannot be understood.
    #[error("the hands gave no answer that can be understood")]
    HandsUnclear,
    /// A part without an effect.
    #[error("there is nothing to see at {0}")]
    NothingToSee(String),
    /// No scope is set up.
    #[error("no scope is set up; start with --scope, or bring a capture in")]
    NoScope,
    /// No meter is set up.
    #[error("no meter is set up; type the reading instead")]
    NoMeter,
    /// While the extremes are held.
    #[error("the meter went over its range; switch it to a larger one and record it again")]
    OutOfRange,
    /// A lamp or a jumper.
    #[error("this tool has no display to read; type what you see")]
    NoDisplay,
    /// What was begun was not brought to its end.
    #[error("the program could not ask to the end; try again")]
    BrokenOff,
}
