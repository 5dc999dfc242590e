//! The `jaunty` binary.
use clap::{Parser, Subcommand};
use jaunty_server::cli;
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Parser)]
#[command(name = "jaunty", version, about = "Makes a music bed as long as the cut, and lets it breathe with the narration")]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Say what a sound file is: beats, bars and sections, or phrases
    Read {
        file: PathBuf,
        #[arg(long = "as", value_enum, default_value = "bed")]
        read_as: cli::ReadAs,
        #[arg(long)]
        json: bool,
    },
    /// Make a bed as long as wanted
    Fit {
        bed: PathBuf,
        #[arg(long)]
        length: f64,
        #[arg(long)]
        out: PathBuf,
        #[arg(long)]
        json: bool,
    },
    /// Make the whole mix of a bed and a narration
    Mix {
        #[arg(long)]
        bed: PathBuf,
        #[arg(long)]
        narration: PathBuf,
        #[arg(long)]
        length: f64,
        #[arg(long)]
        out: PathBuf,
        #[arg(long)]
        json: bool,
    },
}

fn main() -> ExitCode {
    let result = match Arguments::parse().command {
        Command::Read { file, read_as, .. } => cli::read(&file, read_as),
        Command::Fit { bed, length, out, .. } => cli::fit(&bed, length, &out),
        Command::Mix { bed, narration, length, out, .. } => cli::mix(&bed, &narration, length, &out),
    };
    match result {
        Ok(v) => { println!("{v}"); ExitCode::SUCCESS }
        Err(e) => { eprintln!("{e}"); ExitCode::FAILURE }
    }
}
