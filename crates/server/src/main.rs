//! The `jaunty` binary: logging, launch.

mod arguments;

use arguments::{Arguments, Command};
use clap::Parser;
use jaunty_server::apart::{Memory, decode_here, limit_self, parse_here};
use jaunty_server::http::{link, offer_figures, openapi_document, serve};
use jaunty_server::store::jobs::Lane;
use jaunty_server::studio::{Studio, TaskError};
use jaunty_server::wanted::Wanted;
use jaunty_server::work::{Workers, worker};
use jaunty_server::{Settings, StartError, cli, log};
use std::io::Write;
use std::net::{SocketAddr, TcpListener};
use std::path::PathBuf;
use std::process::ExitCode;
use uuid::Uuid;

fn main() -> ExitCode {
    let _log = log::begin();
    let printed = match Arguments::parse().command {
        Command::Serve { place, listen, demo, accounts, elsewhere, metrics } => {
            return ended(run_server(Settings { accounts, elsewhere: elsewhere.service(), ..place.settings() }, listen, demo, metrics));
        }
        Command::Link { place, listen } => return ended(print_link(place.settings(), listen, None)),
        Command::People { place, name, email, listen } => return ended(print_link(place.settings(), listen, Some((name, email)))),
        Command::Work { place } => return ended(run_workers(place.settings())),
        Command::Sweep { place, unused_days } => return ended(run_sweep(place.settings(), unused_days)),
        Command::HandOver { place, cut, wanted, all_lengths, out } => return ended(run_hand_over(place.settings(), cut, &wanted, all_lengths, out)),
        Command::OpenCut { place, file } => return ended(run_open_cut(place.settings(), file)),
        Command::Worker { place, name, lane } => return ended(run_worker(place.settings(), name, lane)),
        Command::Parse { work } => return parse_here(&work),
        Command::Decode { original, extension, to } => return decode_here(&original, &extension, &to),
        Command::Shots { file, rate, .. } => cli::shots(&file, rate.as_deref()),
        Command::Kind { file, .. } => cli::kind(&file),
        Command::Read { file, read_as, .. } => cli::read(&file, read_as),
        Command::Fit { bed, length, out, .. } => cli::fit(&bed, length, &out),
        Command::Mix { bed, narration, length, sound, out, .. } => cli::mix(&bed, &narration, length, sound.form(), &out),
        Command::Openapi => return say(&openapi_document()),
    };
    match printed {
        Ok(value) => say(&format!("{value:#}")),
        Err(cause) => {
            eprintln!("jaunty: {cause}");
            ExitCode::FAILURE
        }
    }
}

/// Prints a line; whoever closed the pipe has read enough.
fn say(text: &str) -> ExitCode {
    match writeln!(std::io::stdout(), "{text}") {
        Err(cause) if cause.kind() != std::io::ErrorKind::BrokenPipe => {
            eprintln!("jaunty: the output cannot be written ({cause})");
            ExitCode::FAILURE
        }
        _ => ExitCode::SUCCESS,
    }
}

fn ended(result: Result<(), StartError>) -> ExitCode {
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(cause) => {
            eprintln!("jaunty: {cause}");
            ExitCode::FAILURE
        }
    }
}

#[actix_web::main]
async fn run_server(settings: Settings, listen: String, demo: bool, metrics: Option<SocketAddr>) -> Result<(), StartError> {
    let listener = TcpListener::bind(&listen)
        .map_err(|cause| std::io::Error::new(cause.kind(), format!("{listen} cannot be used ({cause}); choose another with --listen")))?;
    let studio = Studio::open(&settings).await?;
    if demo {
        studio.load_demo(&settings.data_folder.join("demo")).await?;
    }
    let workers = Workers::start(&settings, &studio.pool);
    if demo {
        studio.render_shelf();
    }
    studio.sweep_daily();
    if let Some(at) = metrics {
        offer_figures(&studio, at)?;
    }
    let address = listener.local_addr()?;
    if settings.accounts {
        println!("{}", settings.address.clone().unwrap_or_else(|| format!("http://{address}")));
        if !studio.has_people().await? {
            println!("Nobody can sign in yet. Let the first one in: jaunty people --name NAME --email ADDRESS");
        }
    } else {
        println!("{}", link(&settings, address, &studio.house_key().await?));
    }
    let served = serve(studio, listener, &settings).await;
    workers.stop().await;
    // Work that nobody waits for any more must not hold up the end.
    match served {
        Ok(()) => std::process::exit(0),
        Err(cause) => Err(cause.into()),
    }
}

#[actix_web::main]
async fn print_link(settings: Settings, listen: SocketAddr, keeper: Option<(String, String)>) -> Result<(), StartError> {
    let studio = Studio::open(&settings).await?;
    let key = match keeper {
        Some((name, email)) => studio.let_keeper_in(&name, &email).await?,
        None => studio.house_key().await?,
    };
    println!("{}", link(&settings, listen, &key));
    Ok(())
}

#[actix_web::main]
async fn run_workers(settings: Settings) -> Result<(), StartError> {
    let studio = Studio::open(&settings).await?;
    let workers = Workers::start(&Settings { worker_count: settings.worker_count.max(1), ..settings }, &studio.pool);
    let mut ended = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate())?;
    tokio::select! {
        _ = ended.recv() => {}
        interrupted = tokio::signal::ctrl_c() => interrupted?,
    }
    workers.stop().await;
    Ok(())
}

#[actix_web::main]
async fn run_worker(settings: Settings, name: String, lane: Lane) -> Result<(), StartError> {
    limit_self(Memory::WORKER)?;
    // A key that ends the server is for the server: it ends this one in good order.
    let _interrupt = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::interrupt())?;
    let studio = Studio::open(&settings).await?;
    worker::run(studio, name, lane).await;
    // A job that does not stop ends with its process.
    std::process::exit(0)
}

#[actix_web::main]
async fn run_sweep(settings: Settings, unused_days: f64) -> Result<(), StartError> {
    let studio = Studio::open(&settings).await?;
    let unused = std::time::Duration::try_from_secs_f64(unused_days * 86_400.0).map_err(std::io::Error::other)?;
    let swept = studio.sweep(unused).await?;
    println!("{}", serde_json::json!(swept));
    Ok(())
}

#[actix_web::main]
async fn run_hand_over(settings: Settings, cut: Uuid, wanted: &Wanted, all_lengths: bool, out: PathBuf) -> Result<(), StartError> {
    let studio = Studio::open(&settings).await?;
    let told = |cause: TaskError| StartError::Io(std::io::Error::other(cause.to_string()));
    let cuts = if all_lengths {
        std::fs::create_dir_all(&out)?;
        studio.family(cut).await.map_err(|cause| told(cause.into()))?.iter().map(|one| one.row.id).collect()
    } else {
        vec![cut]
    };
    for id in cuts {
        let row = studio.hand_over_here(id, wanted.form()).await.map_err(told)?;
        let (made, name) = studio.handed_file(id, row.id).await.map_err(|cause| told(cause.into()))?;
        let to = if all_lengths { out.join(&name) } else { out.clone() };
        std::fs::copy(&made, &to)?;
        println!("{}", serde_json::json!({ "file": to, "revision": row.revision, "sha256": row.file_hash, "bytes": row.size_bytes, "told": row.told.0 }));
    }
    Ok(())
}

#[actix_web::main]
async fn run_open_cut(settings: Settings, file: PathBuf) -> Result<(), StartError> {
    let studio = Studio::open(&settings).await?;
    let id = studio.take_cut_file_in(&file).await.map_err(|cause| std::io::Error::other(cause.to_string()))?;
    println!("{}", serde_json::json!({ "cut": id }));
    Ok(())
}
