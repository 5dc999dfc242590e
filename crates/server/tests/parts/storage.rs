//! Sounds: what fits, what is kept, what is swept.

use super::house::House;
use futures_util::stream;
use jaunty_server::apart::SoundError;
use jaunty_server::features::beds::attach_bed;
use jaunty_server::features::cuts::setup::UsedSound;
use jaunty_server::features::cuts::store as cuts;
use jaunty_server::jobs::queue::{self, Lane};
use jaunty_server::jobs::tasks;
use jaunty_server::jobs::worker::Report;
use jaunty_server::problem::{Code, Problem};
use jaunty_server::sweep;
use std::path::Path;
use std::time::Duration;

type Chunk = Result<Vec<u8>, std::io::Error>;

fn files(folder: &Path) -> usize {
    let Ok(entries) = std::fs::read_dir(folder) else { return 0 };
    entries.map(|e| e.unwrap().path()).map(|p| if p.is_dir() { files(&p) } else { 1 }).sum()
}

/// Files of sounds, whole or not.
fn kept(house: &House) -> usize {
    files(&house.folder.path().join("objects")) + files(&house.folder.path().join("cache"))
}

async fn take(house: &House, name: &str, bytes: &[u8]) -> Result<String, Problem> {
    let path = house.folder.path().join(name);
    std::fs::write(&path, bytes).unwrap();
    let hash = house.app.take_in_file(&path, name, "wav").await;
    std::fs::remove_file(path).unwrap();
    hash
}

#[actix_web::test]
async fn an_upload_that_breaks_off_or_does_not_fit_leaves_nothing() {
    let house = House::with(|s| s.most_upload_bytes = 1000).await;
    let broken: [Chunk; 2] = [Ok(vec![1; 500]), Err(std::io::Error::other("gone"))];
    let large: [Chunk; 2] = [Ok(vec![1; 500]), Ok(vec![1; 501])];
    let code = async |house: &House, chunks: [Chunk; 2]| house.app.sounds.receive(stream::iter(chunks)).await.unwrap_err().code();
    assert_eq!(code(&house, broken).await, Code::UploadBroken);
    assert_eq!(code(&house, large).await, Code::TooLarge);
    assert_eq!(kept(&house), 0);
    // A disk that must keep more free than it has is a full one.
    let full = House::with(|s| s.leave_free_bytes = u64::MAX / 2).await;
    assert_eq!(code(&full, [Ok(vec![1; 5]), Ok(vec![1; 5])]).await, Code::NoRoom);
    assert_eq!(kept(&full), 0);
    // One file and its mark are the folder of this process.
    assert_eq!(files(&full.folder.path().join("making")), 2);
    let small = House::with(|s| s.quota_bytes = Some(1000)).await;
    take(&small, "a", &[1; 900]).await.unwrap();
    assert_eq!(take(&small, "b", &[2; 200]).await.unwrap_err().code(), Code::NoRoom);
    assert_eq!(kept(&small), 1);
}

#[actix_web::test]
async fn a_sound_that_the_store_lost_is_not_found_and_one_that_is_none_is_refused() {
    let house = House::new().await;
    let hash = take(&house, "lost.wav", b"soon gone").await.unwrap();
    assert_eq!(house.app.working_file(&hash).await.err().unwrap().code(), Code::BadValue);
    std::fs::remove_file(house.folder.path().join("objects/sounds").join(&hash)).unwrap();
    assert_eq!(house.app.working_file(&hash).await.err().unwrap().code(), Code::NotFound);
    assert_eq!(house.app.sounds.original(&hash, "wav").await.unwrap_err().code(), Code::NotFound);
    assert_eq!(house.app.working_file(&"0".repeat(64)).await.err().unwrap().code(), Code::NotFound, "nobody knows it");
}

#[actix_web::test]
async fn only_what_nothing_names_is_swept() {
    let house = House::new().await;
    let cut = house.cut("A").await;
    let (used, unused) = (take(&house, "used.wav", b"a sound that a cut has").await.unwrap(), take(&house, "unused.wav", b"another").await.unwrap());
    attach_bed(&house.app, cut, UsedSound { hash: used.clone(), name: "used".into() }, None).await.unwrap();
    sqlx::query("UPDATE jobs SET state = 'done', ended_at = '2000-01-01'").execute(&house.app.pool).await.unwrap();
    std::fs::write(house.app.sounds.cache_path(&format!("{unused}.pcm")), b"made of it").unwrap();
    // What has just come in may be about to be used.
    let swept = sweep(&house.app, Duration::from_secs(3600)).await.unwrap();
    assert_eq!((swept.sounds, swept.jobs), (0, 1));
    let swept = sweep(&house.app, Duration::ZERO).await.unwrap();
    assert_eq!((swept.sounds, swept.bytes), (1, 7));
    let stored: Vec<String> = house.app.sounds.stored().await.unwrap().into_iter().map(|(hash, _)| hash).collect();
    assert_eq!(stored, [used]);
    assert_eq!(files(&house.folder.path().join("cache")), 0);
    // It can come in again.
    assert_eq!(take(&house, "unused.wav", b"another").await.unwrap(), unused);
}

#[actix_web::test]
async fn a_disk_that_is_full_fails_the_job_and_leaves_the_candidate() {
    // A decoder that says what it would say then.
    let folder = tempfile::tempdir().unwrap();
    let says = folder.path().join("says");
    std::fs::write(&says, "#!/bin/sh\necho '\"noRoom\"'\n").unwrap();
    std::fs::set_permissions(&says, std::os::unix::fs::PermissionsExt::from_mode(0o755)).unwrap();
    let house = House::with(|s| s.program = says).await;
    let cut = house.cut("Full").await;
    let hash = take(&house, "bed.wav", b"a bed").await.unwrap();
    attach_bed(&house.app, cut, UsedSound { hash: hash.clone(), name: "bed".into() }, None).await.unwrap();
    let job = queue::claim(&house.app.pool, "a", Lane::Long).await.unwrap().unwrap();
    let failed = tasks::run(&house.app, &job, Report::default()).await.unwrap_err();
    assert!(failed.to_string().contains("no room"), "{failed}");
    let candidates = async || cuts::known(&house.app.pool, cut).await.unwrap().setup.candidates.len();
    assert_eq!(candidates().await, 1, "it can be tried again");
    queue::end(&house.app.pool, "a", job.id, "failed", Some("no room")).await.unwrap();
    assert!(queue::again(&house.app.pool, cut, job.id).await.unwrap());
    // A file that is to blame goes.
    std::fs::write(house.settings.program.clone(), "#!/bin/sh\necho '{\"refused\":\"No sound.\"}'\n").unwrap();
    let job = queue::claim(&house.app.pool, "a", Lane::Long).await.unwrap().unwrap();
    assert_eq!(tasks::run(&house.app, &job, Report::default()).await.unwrap_err().to_string(), "No sound.");
    assert_eq!(candidates().await, 0);
    // How long work may take follows from what it works on.
    let small = tasks::most_time(&house.app, &job).await;
    sqlx::query("UPDATE sounds SET size_bytes = 500000000").execute(&house.app.pool).await.unwrap();
    let large = tasks::most_time(&house.app, &job).await;
    assert!(small < large && large <= Duration::from_secs(3 * 3600), "{small:?} {large:?}");
}

#[actix_web::test]
async fn a_file_that_breaks_the_decoder_is_refused_and_breaks_nothing_else() {
    let house = House::new().await;
    for (name, bytes) in [("letter", &b"Dear editor, this is no sound."[..]), ("head", b"RIFF\xff\xff\xff\xffWAVEfmt \x10\0\0\0")] {
        let hash = take(&house, name, bytes).await.unwrap();
        let refused = house.app.working_file(&hash).await.err().unwrap();
        assert_eq!(refused.code(), Code::BadValue, "{name}: {refused}");
    }
    // A decoder that dies without a word, as of a memory that is full.
    let hash = take(&house, "any", b"anything").await.unwrap();
    let dies = House::with(|s| s.program = "/bin/false".into()).await;
    let original = house.folder.path().join("objects/sounds").join(hash);
    let outcome = jaunty_server::apart::decode(Path::new("/bin/false"), &original, "wav", &dies.folder.path().join("x"), |_| true).await;
    assert!(matches!(outcome, Err(SoundError::Refused(_))), "{outcome:?}");
}
