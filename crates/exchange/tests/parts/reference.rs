//! The reference packages of PyPI (opentimelineio, otio-cmx3600-adapter, webvtt-py, pysrt), which
//! `./test` installs into `.venv`, and the script `reference.py` that asks them.

use std::path::{Path, PathBuf};
use std::process::Command;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// Runs one question of `reference.py`; its answer as JSON.
pub fn ask(question: &str, arguments: &[&Path]) -> serde_json::Value {
    let python = root().join(".venv/bin/python");
    let python = std::env::var("JAUNTY_REFERENCE_PYTHON").map_or(python, PathBuf::from);
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/reference.py");
    let out = Command::new(&python).arg(script).arg(question).args(arguments).output().expect("./test makes .venv with the reference packages");
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).unwrap()
}
