//! Reading a list or a grid in a process that ends with it: a few megabytes of brackets become a
//! gigabyte once they are read.

use super::{Memory, child_of_ours, limit_self, panics_are_refusals};
use jaunty_core::picture::tell_unused;
use jaunty_exchange::grid::{self, Bed, Grid};
use jaunty_exchange::{For, List, read};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::io;
use std::path::{Path, PathBuf};
use std::process::{ExitCode, Stdio};
use std::time::Duration;
use tokio::io::AsyncReadExt;

/// Time that reading may take.
const MOST_TIME: Duration = Duration::from_secs(60);
/// What it may come to, in bytes.
const MOST_SAID_BYTES: u64 = 64 << 20;

/// Why a list or grid could not be read.
#[derive(Debug, thiserror::Error)]
pub enum ParseError {
    /// It is none, or broken; the text says what to do.
    #[error("{0}")]
    Refused(String),
    /// It takes more memory or time than there is.
    #[error("the file is larger than what can be read of its kind")]
    TooMuch,
    /// The disk or the process failed.
    #[error(transparent)]
    Io(#[from] io::Error),
}

/// What is to be read.
#[derive(Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
enum Work {
    List { path: PathBuf, wanted: For },
    Grid { path: PathBuf, bed: Bed },
}

/// Reads a list of shots, moments or captions.
///
/// # Errors
/// [`Code::BadValue`] with what to do.
pub async fn read_list(program: &Path, path: &Path, wanted: For) -> Result<List, ParseError> {
    ask(program, &Work::List { path: path.to_owned(), wanted }).await
}

/// Reads a grid of beats.
///
/// # Errors
/// As [`read_list`].
pub async fn read_grid(program: &Path, path: &Path, bed: Bed) -> Result<Grid, ParseError> {
    ask(program, &Work::Grid { path: path.to_owned(), bed }).await
}

async fn ask<T: DeserializeOwned>(program: &Path, work: &Work) -> Result<T, ParseError> {
    let mut command = std::process::Command::new(program);
    command.arg("parse").arg(serde_json::to_string(work).map_err(io::Error::other)?).stdin(Stdio::null()).stdout(Stdio::piped());
    child_of_ours(&mut command);
    let mut child = tokio::process::Command::from(command).kill_on_drop(true).spawn()?;
    let Some(out) = child.stdout.take() else { return Err(io::Error::other("no pipe").into()) };
    let mut said = Vec::new();
    let mut out = out.take(MOST_SAID_BYTES);
    let listened = tokio::time::timeout(MOST_TIME, out.read_to_end(&mut said)).await;
    let told: Option<Result<T, String>> = if matches!(listened, Ok(Ok(_))) { serde_json::from_slice(&said).ok() } else { None };
    match told {
        Some(Ok(read)) => Ok(read),
        Some(Err(text)) => Err(ParseError::Refused(text)),
        // It ended without a word: over its memory or its time.
        None => Err(ParseError::TooMuch),
    }
}

/// What the process does: `jaunty parse`.
pub fn parse_here(work: &str) -> ExitCode {
    panics_are_refusals();
    let parse = || -> io::Result<String> {
        limit_self(Memory::DECODER)?;
        let said = |value: Result<serde_json::Value, String>| serde_json::to_string(&value).map_err(io::Error::other);
        match serde_json::from_str(work).map_err(io::Error::other)? {
            Work::List { path, wanted } => {
                let list = read(&std::fs::read(path)?, wanted).map(|mut list| {
                    tell_unused(&mut list.unused);
                    serde_json::json!(list)
                });
                said(list.map_err(|cause| cause.to_string()))
            }
            Work::Grid { path, bed } => said(grid::read(&std::fs::read(path)?, bed).map(|grid| serde_json::json!(grid)).map_err(|cause| cause.to_string())),
        }
    };
    match parse() {
        Ok(said) => {
            println!("{said}");
            ExitCode::SUCCESS
        }
        Err(cause) => {
            tracing::error!(%cause, "parsing failed");
            ExitCode::FAILURE
        }
    }
}
