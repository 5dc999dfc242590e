//! What a narration is: its phrases, gaps and loudness; and how takes become one narration on the cut.
#![forbid(unsafe_code)]
#![deny(missing_docs)]

pub mod speech;
pub mod voice;
