//! server
pub mod cli;
