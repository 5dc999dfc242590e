//! Long work that tells how far it is and can be stopped.

/// Work was stopped by its caller.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("the reading was cancelled")]
pub struct Cancelled;

/// Told what is being done and how much of the whole is behind us (0 to 1); returns whether to go on.
pub type Progress<'a> = dyn FnMut(&'static str, f32) -> bool + 'a;

/// A [`Progress`] that never stops anything.
pub fn keep_going() -> impl FnMut(&'static str, f32) -> bool {
    |_, _| true
}
