//! What is there stays: a database of the build before comes through with its cuts and their history.

use jaunty_core::cut::{Setup, Work};
use jaunty_core::picture::Picture;
use jaunty_core::plan::Plan;
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_e2e::Database;
use jaunty_server::Settings;
use jaunty_server::store::cuts::{self, Step};
use jaunty_server::store::jobs::{self, Lane};
use jaunty_server::studio::Studio;
use sqlx::AssertSqlSafe;
use sqlx::migrate::Migrator;
use sqlx::mysql::MySqlPool;
use std::path::Path;
use uuid::Uuid;

#[actix_web::test]
async fn a_wish_that_waited_for_its_plan_still_does() {
    // The setup and plan of a cut; the tables as the build before had them.
    let setup = Setup::new("Before", Picture::new(CutLength::new(FrameRate::new(25, 1, false).unwrap(), 1000).unwrap()));
    let plan = serde_json::to_string(&Plan::empty(setup.picture.length_samples())).unwrap();
    let setup = serde_json::to_string(&setup).unwrap();
    let database = Database::fresh().await.unwrap();
    let pool = MySqlPool::connect(&database.url()).await.unwrap();
    let mut before = Migrator::new(Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/migrations"))).await.unwrap();
    before.migrations.to_mut().truncate(4);
    before.run(&pool).await.unwrap();
    let (waits, rests) = (Uuid::now_v7(), Uuid::now_v7());
    let wanted = setup.replace("Before", "After");
    for (id, wanted) in [(waits, &wanted), (rests, &setup)] {
        sqlx::query("INSERT INTO cuts (id, setup, revision) VALUES (?, ?, 2)").bind(id).bind(wanted).execute(&pool).await.unwrap();
        for (revision, parent) in [(1, None), (2, Some(1)), (3, Some(2))] {
            sqlx::query(AssertSqlSafe(
                "INSERT INTO revisions (cut_id, revision, parent, what, setup, plan, fittings, chosen) VALUES (?, ?, ?, 'do it', ?, ?, '[]', 0)".to_owned(),
            ))
            .bind(id)
            .bind(revision)
            .bind(parent)
            .bind(&setup)
            .bind(&plan)
            .execute(&pool)
            .await
            .unwrap();
        }
    }
    let folder = tempfile::tempdir().unwrap();
    let studio = Studio::open(&Settings::new(&database.url(), folder.path(), Path::new("/bin/false"))).await.unwrap();
    // One that was wanted otherwise than it was shown is a revision of its own now, and its job is there.
    let cut = cuts::cut(&studio.pool, waits).await.unwrap();
    assert_eq!((cut.setup.title.as_str(), cut.revision, cut.base), ("After", 4, Some(2)));
    let job = jobs::claim(&studio.pool, "a", Lane::Quick).await.unwrap().unwrap();
    assert_eq!((job.cut_id, job.task.0), (waits, Work::Plan));
    cuts::step(&studio.pool, waits, 4, Step::Undo, None).await.unwrap();
    assert_eq!(cuts::cut(&studio.pool, waits).await.unwrap().setup.title, "Before");
    // The other one is as it was, with what was undone.
    let cut = cuts::cut(&studio.pool, rests).await.unwrap();
    assert_eq!((cut.setup.title.as_str(), cut.revision, cut.base), ("Before", 2, None));
    // What redo would do is told in the words of before there were codes.
    assert_eq!(cuts::redone(&studio.pool, &cut).await.unwrap().unwrap().to_string(), "do it");
    cuts::step(&studio.pool, rests, 2, Step::Redo, None).await.unwrap();
    assert_eq!(cuts::cut(&studio.pool, rests).await.unwrap().revision, 3);
    assert_eq!(cuts::all(&studio.pool).await.unwrap().len(), 2);
}

/// A database of the last build that stored sentences: a cut with a bed, changes by hand, and one of them undone.
const BEFORE_MESSAGES: &[u8] = include_bytes!("../data/before_messages.sql.zst");

#[actix_web::test]
async fn a_database_with_sentences_keeps_every_cut_revision_and_undo() {
    let database = Database::fresh().await.unwrap();
    database.run(&zstd::decode_all(BEFORE_MESSAGES).unwrap()).unwrap();
    let pool = MySqlPool::connect(&database.url()).await.unwrap();
    let told: Vec<(u32, String)> = sqlx::query_as("SELECT revision, what FROM revisions ORDER BY revision").fetch_all(&pool).await.unwrap();
    let folder = tempfile::tempdir().unwrap();
    let studio = Studio::open(&Settings::new(&database.url(), folder.path(), Path::new("/bin/false"))).await.unwrap();
    let cut = cuts::all(&studio.pool).await.unwrap().remove(0);
    assert_eq!((told.len(), cut.revision, cut.setup.title.as_str()), (11, 9, "Before there were codes"));
    for (number, what) in &told {
        let revision = cuts::revision(&studio.pool, cut.id, *number).await.unwrap().unwrap();
        assert_eq!(revision.what.to_string(), *what);
        assert!(revision.cut.fittings.iter().all(|f| !f.name.is_empty() && f.splices.iter().all(|s| !s.why.is_empty() && !s.terms.is_empty())));
    }
    let names =
        async |number| cuts::revision(&studio.pool, cut.id, number).await.unwrap().unwrap().cut.fittings.iter().map(|f| f.name.to_string()).collect::<Vec<_>>();
    assert_eq!(names(9).await[..2], ["cold on bar 7, A, fades out", "cold on bar 7, A, stops and rings out"]);
    // Back to the beginning, and on to the end.
    let shown = async || cuts::cut(&studio.pool, cut.id).await.unwrap();
    let mut seen = vec![cut.revision];
    while let Ok(number) = cuts::step(&studio.pool, cut.id, shown().await.revision, Step::Undo, None).await {
        seen.push(number);
    }
    assert_eq!(seen, [9, 7, 6, 5, 4, 2, 1]);
    let mut again = vec![1];
    while let Ok(number) = cuts::step(&studio.pool, cut.id, shown().await.revision, Step::Redo, None).await {
        again.push(number);
    }
    assert_eq!(again, [1, 2, 4, 5, 6, 7, 9, 11]);
    let open = studio.open_cut(cut.id).await.unwrap();
    assert_eq!((open.undo.unwrap_or_default().to_string(), open.row.setup.title), ("make the cut 00:00:25:00 long".into(), "Before, at length".into()));
}
