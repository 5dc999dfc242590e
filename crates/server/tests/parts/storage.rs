//! Sounds: what fits, what is kept, what is swept.

use super::house::House;
use futures_util::stream;
use jaunty_core::cut::{Arrival, UsedSound};
use jaunty_server::apart::SoundError;
use jaunty_server::store::cuts;
use jaunty_server::store::jobs::{self, Lane};
use jaunty_server::studio::{Code, Problem, Report};
use jaunty_server::work::worker::perform;
use std::path::Path;
use std::time::Duration;
use uuid::Uuid;

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
    let hash = house.studio.take_in_file(&path, name, "wav").await;
    std::fs::remove_file(path).unwrap();
    hash
}

async fn bring_in(house: &House, cut: Uuid, hash: &str) {
    let sound = UsedSound { hash: hash.to_owned(), name: "bed".into() };
    house.studio.arrive(cut, Arrival::Bed { sound, licence: None }).await.unwrap();
}

#[actix_web::test]
async fn an_upload_that_breaks_off_or_does_not_fit_leaves_nothing() {
    let house = House::with(|s| s.most_upload_bytes = 1000).await;
    let broken: [Chunk; 2] = [Ok(vec![1; 500]), Err(std::io::Error::other("gone"))];
    let large: [Chunk; 2] = [Ok(vec![1; 500]), Ok(vec![1; 501])];
    let code = async |house: &House, chunks: [Chunk; 2]| house.studio.files.receive(stream::iter(chunks)).await.map_err(Problem::from).unwrap_err().code();
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
    assert_eq!(house.studio.working_file(&hash).await.err().unwrap().code(), Code::BadValue);
    std::fs::remove_file(house.folder.path().join("objects/sounds").join(&hash)).unwrap();
    assert_eq!(house.studio.working_file(&hash).await.err().unwrap().code(), Code::NotFound);
    assert_eq!(house.studio.files.original(&hash, "wav").await.map_err(Problem::from).unwrap_err().code(), Code::NotFound);
    assert_eq!(house.studio.working_file(&"0".repeat(64)).await.err().unwrap().code(), Code::NotFound, "nobody knows it");
}

#[actix_web::test]
async fn only_what_nothing_names_is_swept() {
    let house = House::new().await;
    let cut = house.cut("A").await;
    let (used, unused) = (take(&house, "used.wav", b"a sound that a cut has").await.unwrap(), take(&house, "unused.wav", b"another").await.unwrap());
    bring_in(&house, cut, &used).await;
    sqlx::query("UPDATE jobs SET state = 'done', ended_at = '2000-01-01'").execute(&house.studio.pool).await.unwrap();
    std::fs::write(house.studio.files.cache_path(&format!("{unused}.pcm")), b"made of it").unwrap();
    // What has just come in may be about to be used.
    let swept = house.studio.sweep(Duration::from_secs(3600)).await.unwrap();
    assert_eq!((swept.sounds, swept.jobs), (0, 1));
    let swept = house.studio.sweep(Duration::ZERO).await.unwrap();
    assert_eq!((swept.sounds, swept.bytes), (1, 7));
    let stored: Vec<String> = house.studio.files.stored().await.unwrap().into_iter().map(|(hash, _)| hash).collect();
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
    bring_in(&house, cut, &hash).await;
    let job = jobs::claim(&house.studio.pool, "a", Lane::Long).await.unwrap().unwrap();
    let failed = perform(&house.studio, &job, Report::default()).await.unwrap_err();
    assert!(failed.to_string().contains("no room"), "{failed}");
    let candidates = async || cuts::cut(&house.studio.pool, cut).await.unwrap().setup.candidates.len();
    assert_eq!(candidates().await, 1, "it can be tried again");
    jobs::end(&house.studio.pool, "a", job.id, "failed", Some("no room")).await.unwrap();
    assert!(jobs::again(&house.studio.pool, cut, job.id).await.unwrap());
    // A file that is to blame goes.
    std::fs::write(house.settings.program.clone(), "#!/bin/sh\necho '{\"refused\":\"No sound.\"}'\n").unwrap();
    let job = jobs::claim(&house.studio.pool, "a", Lane::Long).await.unwrap().unwrap();
    assert_eq!(perform(&house.studio, &job, Report::default()).await.unwrap_err().to_string(), "No sound.");
    assert_eq!(candidates().await, 0);
    // How long work may take follows from what it works on.
    let small = house.studio.most_time(job.cut_id, &job.task).await;
    sqlx::query("UPDATE sounds SET size_bytes = 500000000").execute(&house.studio.pool).await.unwrap();
    let large = house.studio.most_time(job.cut_id, &job.task).await;
    assert!(small < large && large <= Duration::from_secs(3 * 3600), "{small:?} {large:?}");
}

#[actix_web::test]
async fn a_file_that_breaks_the_decoder_is_refused_and_breaks_nothing_else() {
    let house = House::new().await;
    for (name, bytes) in [("letter", &b"Dear editor, this is no sound."[..]), ("head", b"RIFF\xff\xff\xff\xffWAVEfmt \x10\0\0\0")] {
        let hash = take(&house, name, bytes).await.unwrap();
        let refused = house.studio.working_file(&hash).await.err().unwrap();
        assert_eq!(refused.code(), Code::BadValue, "{name}: {refused}");
    }
    // A decoder that dies without a word, as of a memory that is full.
    let hash = take(&house, "any", b"anything").await.unwrap();
    let dies = House::with(|s| s.program = "/bin/false".into()).await;
    let original = house.folder.path().join("objects/sounds").join(hash);
    let outcome = jaunty_server::apart::decode(Path::new("/bin/false"), &original, "wav", &dies.folder.path().join("x"), |_| true).await;
    assert!(matches!(outcome, Err(SoundError::Refused(_))), "{outcome:?}");
}
