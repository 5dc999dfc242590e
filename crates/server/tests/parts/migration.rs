//! What is there stays: a database of the build before comes through with its cuts and their history.

use super::house::House;
use jaunty_e2e::Database;
use jaunty_server::features::cuts::store::{self as cuts, Step};
use jaunty_server::jobs::Task;
use jaunty_server::jobs::queue::{self, Lane};
use jaunty_server::{App, Settings};
use sqlx::AssertSqlSafe;
use sqlx::migrate::Migrator;
use sqlx::mysql::MySqlPool;
use std::path::Path;
use uuid::Uuid;

#[actix_web::test]
async fn a_wish_that_waited_for_its_plan_still_does() {
    // The setup and plan of a cut as this build writes them; the tables as the build before had them.
    let house = House::new().await;
    let made = house.cut("Before").await;
    let (setup, plan): (String, String) =
        sqlx::query_as("SELECT setup, plan FROM revisions WHERE cut_id = ?").bind(made).fetch_one(&house.app.pool).await.unwrap();
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
    let app = App::open(&Settings::new(&database.url(), folder.path(), Path::new("/bin/false"))).await.unwrap();
    // One that was wanted otherwise than it was shown is a revision of its own now, and its job is there.
    let cut = cuts::known(&app.pool, waits).await.unwrap();
    assert_eq!((cut.setup.title.as_str(), cut.revision, cut.base), ("After", 4, Some(2)));
    let job = queue::claim(&app.pool, "a", Lane::Quick).await.unwrap().unwrap();
    assert_eq!((job.cut_id, job.task.0), (waits, Task::Plan));
    cuts::step(&app.pool, waits, 4, Step::Undo).await.unwrap();
    assert_eq!(cuts::known(&app.pool, waits).await.unwrap().setup.title, "Before");
    // The other one is as it was, with what was undone.
    let cut = cuts::known(&app.pool, rests).await.unwrap();
    assert_eq!((cut.setup.title.as_str(), cut.revision, cut.base), ("Before", 2, None));
    cuts::step(&app.pool, rests, 2, Step::Redo).await.unwrap();
    assert_eq!(cuts::known(&app.pool, rests).await.unwrap().revision, 3);
    assert_eq!(cuts::all(&app.pool).await.unwrap().len(), 2);
}
