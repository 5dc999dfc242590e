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
