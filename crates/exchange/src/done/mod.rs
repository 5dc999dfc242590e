//! What was done to a cut ([`jaunty_core::handover::Done`]) as lists that other programs go on with, and as tables.

pub mod cmx3600;
pub mod midi;
pub mod otio;
pub mod pages;
pub mod tables;

/// Text on one line, without what breaks lists.
fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}
