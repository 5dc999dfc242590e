//! Lists of cuts, paged, searched and sorted in the database.

use super::house::House;
use jaunty_server::store::cuts::Sort;
use std::time::Instant;

#[actix_web::test]
async fn lists_come_by_the_page_in_their_order_and_every_word_counts() {
    let house = House::new().await;
    for title in ["Zebra crossing", "apple market", "Market hall, 100 %", "Ärmel"] {
        house.cut(title).await;
    }
    let titles = async |words: &str, sort: Sort, skip: u32, count: u32| {
        let (rows, total) = house.studio.cuts(None, words, sort, skip, count).await.unwrap();
        (rows.into_iter().map(|row| row.setup.title).collect::<Vec<_>>(), total)
    };
    assert_eq!(titles("", Sort::Newest, 0, 2).await, (vec!["Ärmel".into(), "Market hall, 100 %".into()], 4));
    assert_eq!(titles("", Sort::Newest, 2, 2).await, (vec!["apple market".into(), "Zebra crossing".into()], 4));
    assert_eq!(titles("", Sort::Title, 0, 1).await.0, ["apple market"]);
    assert_eq!(titles("MARKET", Sort::Title, 0, 9).await, (vec!["apple market".into(), "Market hall, 100 %".into()], 2));
    assert_eq!(titles("hall market", Sort::Newest, 0, 9).await.0, ["Market hall, 100 %"]);
    assert_eq!(titles("ärm", Sort::Newest, 0, 9).await.0, ["Ärmel"]);
    // Signs of the query language are letters like others, and nothing is found that has not got them all.
    assert_eq!(titles("100 %", Sort::Newest, 0, 9).await.0, ["Market hall, 100 %"]);
    assert!(titles("' OR 1=1 --", Sort::Newest, 0, 9).await.0.is_empty());
    // What is renamed is found under its new name, and after undo under its old one.
    let id = house.cut("Before").await;
    let setup = jaunty_server::store::cuts::cut(&house.studio.pool, id).await.unwrap().setup;
    let change =
        serde_json::json!({ "about": "cut", "do": "describe", "title": "Behind", "length": "40", "rate": { "num": 25, "den": 1, "dropFrame": false } });
    let revision = house.studio.change(id, 1, serde_json::from_value(change).unwrap()).await.unwrap();
    assert_eq!((setup.title.as_str(), titles("behind", Sort::Newest, 0, 9).await.1, titles("before", Sort::Newest, 0, 9).await.1), ("Before", 1, 0));
    house.studio.step(id, revision, jaunty_server::store::cuts::Step::Undo, true).await.unwrap();
    assert_eq!((titles("behind", Sort::Newest, 0, 9).await.1, titles("before", Sort::Newest, 0, 9).await.1), (0, 1));
}

/// Measured by hand: 10,000 cuts.
#[actix_web::test]
#[ignore = "takes minutes; prints figures"]
async fn ten_thousand_cuts_are_listed() {
    let house = House::new().await;
    let one = house.cut("Cut 0").await;
    // As copies of one in the database: what is measured is the list.
    for k in 1..10_000 {
        let id = uuid::Uuid::now_v7();
        sqlx::query("INSERT INTO cuts (id, revision, project_id, title, sought, length_s) VALUES (?, 1, ?, ?, ?, ?)")
            .bind(id)
            .bind(uuid::Uuid::nil())
            .bind(format!("Cut {k}"))
            .bind(format!("cut {k} market hall.wav voice {}.wav", k % 97))
            .bind(f64::from(k % 300))
            .execute(&house.studio.pool)
            .await
            .unwrap();
        sqlx::query("INSERT INTO revisions (cut_id, revision, what, setup_hash, plan_hash, fittings_hash, chosen) SELECT ?, revision, what, setup_hash, plan_hash, fittings_hash, chosen FROM revisions WHERE cut_id = ?")
            .bind(id)
            .bind(one)
            .execute(&house.studio.pool)
            .await
            .unwrap();
    }
    for (words, sort, skip) in
        [("", Sort::Newest, 0), ("", Sort::Newest, 9_900), ("", Sort::Title, 0), ("market 42", Sort::Length, 0), ("nothing of that", Sort::Newest, 0)]
    {
        let mut took = Vec::new();
        for _ in 0..40 {
            let begun = Instant::now();
            house.studio.cuts(None, words, sort, skip, 60).await.unwrap();
            took.push(begun.elapsed().as_secs_f64() * 1000.0);
        }
        took.sort_by(f64::total_cmp);
        println!("{words:?} {sort:?} from {skip}: median {:.1} ms, 95th percentile {:.1} ms", took[20], took[37]);
    }
}
