//! The queue: who gets what, and what becomes of jobs whose workers break.

use super::house::House;
use jaunty_core::cut::Work;
use jaunty_core::plan::Role;
use jaunty_server::store::jobs::{self, Lane, Lease, MOST_BREAKS};
use jaunty_server::store::people;
use uuid::Uuid;

fn read() -> Work {
    Work::Read { sound: "0".repeat(64), role: Role::Bed }
}

async fn state(house: &House, job: Uuid) -> String {
    sqlx::query_as::<_, (String,)>("SELECT state FROM jobs WHERE id = ?").bind(job).fetch_one(&house.studio.pool).await.unwrap().0
}

/// As if the worker of a job had said nothing for longer than a lease lasts: its machine is gone, say.
async fn fall_silent(house: &House, worker: &str) {
    sqlx::query("UPDATE jobs SET lease_until = '2000-01-01' WHERE worker = ?").bind(worker).execute(&house.studio.pool).await.unwrap();
}

#[actix_web::test]
async fn what_was_cancelled_is_never_taken_up_again() {
    let house = House::new().await;
    let pool = &house.studio.pool;
    let cut = house.cut("A").await;
    // Before anybody works on it.
    let waiting = jobs::add(pool, cut, &Work::Plan, None).await.unwrap();
    assert_eq!(jobs::cancel(pool, cut, waiting).await.unwrap(), Some(Work::Plan));
    assert_eq!(jobs::claim(pool, "a", Lane::Long).await.unwrap().map(|j| j.id), None);
    // While somebody does: the lease is kept until the work has stopped.
    let running = jobs::add(pool, cut, &read(), None).await.unwrap();
    assert_eq!(jobs::claim(pool, "a", Lane::Long).await.unwrap().unwrap().id, running);
    jobs::cancel(pool, cut, running).await.unwrap();
    assert_eq!(jobs::renew(pool, "a", running, 0.5, "reading").await.unwrap(), Lease::Stop);
    assert!(jobs::claim(pool, "b", Lane::Long).await.unwrap().is_none(), "its worker still holds it");
    // Its worker is gone before it could say so.
    fall_silent(&house, "a").await;
    assert!(jobs::claim(pool, "b", Lane::Long).await.unwrap().is_none());
    assert_eq!(state(&house, running).await, "cancelled");
    assert_eq!(jobs::renew(pool, "a", running, 0.9, "reading").await.unwrap(), Lease::Lost);
    // And one that fails after it was cancelled is cancelled all the same.
    let failing = jobs::add(pool, cut, &read(), None).await.unwrap();
    jobs::claim(pool, "a", Lane::Long).await.unwrap().unwrap();
    jobs::cancel(pool, cut, failing).await.unwrap();
    jobs::end(pool, "a", failing, "failed", Some("no")).await.unwrap();
    assert_eq!(state(&house, failing).await, "cancelled");
}

#[actix_web::test]
async fn a_job_that_breaks_its_worker_twice_is_given_up() {
    let house = House::new().await;
    let pool = &house.studio.pool;
    let job = jobs::add(pool, house.cut("A").await, &read(), None).await.unwrap();
    for breaks in 0..MOST_BREAKS {
        // That the machine goes beneath it is nothing that it does.
        jobs::claim(pool, "a", Lane::Long).await.unwrap().unwrap();
        fall_silent(&house, "a").await;
        let claimed = jobs::claim(pool, "a", Lane::Long).await.unwrap().unwrap();
        assert_eq!((claimed.breaks, claimed.is_hopeless()), (breaks, false));
        jobs::release(pool, "a").await.unwrap();
    }
    assert!(jobs::claim(pool, "a", Lane::Long).await.unwrap().unwrap().is_hopeless());
    // A worker that ends in good order does not count as broken.
    jobs::give_back(pool, "a").await.unwrap();
    assert_eq!(state(&house, job).await, "queued");
    let again = jobs::add(pool, house.cut("B").await, &read(), None).await.unwrap();
    for _ in 0..5 {
        sqlx::query("UPDATE jobs SET state = 'done' WHERE id <> ?").bind(again).execute(pool).await.unwrap();
        let claimed = jobs::claim(pool, "b", Lane::Long).await.unwrap().unwrap();
        assert_eq!((claimed.id, claimed.attempt), (again, 1));
        jobs::give_back(pool, "b").await.unwrap();
    }
}

#[actix_web::test]
async fn reading_holds_nobody_up_and_cuts_take_turns() {
    let house = House::new().await;
    let pool = &house.studio.pool;
    let (busy, other) = (house.cut("Busy").await, house.cut("Other").await);
    for _ in 0..20 {
        jobs::add(pool, busy, &read(), None).await.unwrap();
    }
    let first = jobs::claim(pool, "long 1", Lane::Long).await.unwrap().unwrap();
    assert_eq!(first.cut_id, busy);
    // Nothing for the quick lane yet.
    assert!(jobs::claim(pool, "quick", Lane::Quick).await.unwrap().is_none());
    let reading = jobs::add(pool, other, &read(), None).await.unwrap();
    assert_eq!(jobs::claim(pool, "long 2", Lane::Long).await.unwrap().unwrap().id, reading, "before nineteen of the cut that was served already");
    // What somebody waits for goes before all reading, on any worker.
    let plan = jobs::add(pool, busy, &Work::Plan, None).await.unwrap();
    let compare = jobs::add(pool, other, &Work::Compare, None).await.unwrap();
    let taken = [jobs::claim(pool, "quick", Lane::Quick).await.unwrap().unwrap().id, jobs::claim(pool, "long 3", Lane::Long).await.unwrap().unwrap().id];
    assert!(taken.contains(&plan) && taken.contains(&compare), "{taken:?}");
}

#[actix_web::test]
async fn people_take_turns_however_many_cuts_they_have() {
    let house = House::new().await;
    let pool = &house.studio.pool;
    let mut people = Vec::new();
    for name in ["Ada Busy", "Ben Modest"] {
        people.push(people::insert(pool, name, &format!("{}@example.org", &name[..3]), None, false).await.unwrap());
    }
    for number in 0..5 {
        jobs::add(pool, house.cut(&format!("Of Ada {number}")).await, &read(), Some(people[0])).await.unwrap();
    }
    let of_ben = house.cut("Of Ben").await;
    for sound in ["1", "2"] {
        jobs::add(pool, of_ben, &Work::Read { sound: sound.repeat(64), role: Role::Bed }, Some(people[1])).await.unwrap();
    }
    let mut taken = Vec::new();
    while let Some(job) = jobs::claim(pool, "one", Lane::Long).await.unwrap() {
        taken.push(job.cut_id == of_ben);
        jobs::end(pool, "one", job.id, "done", None).await.unwrap();
    }
    assert_eq!(taken, [false, true, false, true, false, false, false]);
}

#[actix_web::test]
async fn many_workers_take_each_job_once() {
    const JOBS: usize = 60;
    let house = House::new().await;
    for _ in 0..JOBS {
        jobs::add(&house.studio.pool, house.cut("A").await, &Work::Plan, None).await.unwrap();
    }
    let worker = async |number: usize| {
        let mut taken = Vec::new();
        while let Some(job) = jobs::claim(&house.studio.pool, &format!("worker {number}"), Lane::Long).await.unwrap() {
            jobs::end(&house.studio.pool, &format!("worker {number}"), job.id, "done", None).await.unwrap();
            taken.push(job.id);
        }
        taken
    };
    let mut taken: Vec<Uuid> = futures_util::future::join_all((0..8).map(worker)).await.into_iter().flatten().collect();
    taken.sort();
    taken.dedup();
    assert_eq!(taken.len(), JOBS);
}
