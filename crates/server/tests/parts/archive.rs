//! A cut as one file: opened on another machine it is the same cut, with its history and its sounds.

use super::edits::{narrated, shown};
use super::house::House;
use jaunty_core::cut::{Change, Figure, LevelsChange};
use jaunty_core::handover::{Form, SoundForm};
use jaunty_server::store::cuts::{self, Sort, Step};
use jaunty_server::store::{jobs, sounds};
use jaunty_server::studio::Code;
use std::path::PathBuf;
use uuid::Uuid;

async fn figure(house: &House, id: Uuid, db: f64) {
    let row = cuts::cut(&house.studio.pool, id).await.unwrap();
    let change = Change::Levels(LevelsChange::Figure { figure: Figure::AloneDb(db) });
    house.studio.change(id, row.revision, change).await.unwrap();
}

async fn handed(house: &House, id: Uuid, form: Form) -> PathBuf {
    let row = house.studio.hand_over_here(id, form).await.unwrap();
    house.studio.handed_file(id, row.id).await.unwrap().0
}

#[actix_web::test]
async fn a_cut_is_the_same_on_another_machine() {
    let here = House::new().await;
    let id = narrated(&here, 60).await;
    figure(&here, id, 3.0).await;
    figure(&here, id, 5.0).await;
    let row = cuts::cut(&here.studio.pool, id).await.unwrap();
    here.studio.step(id, row.revision, Step::Undo, true).await.unwrap();
    let (before, file) = (shown(&here, id).await, handed(&here, id, Form::Cut).await);
    let mix = std::fs::read(handed(&here, id, Form::Mix { sound: SoundForm::default() }).await).unwrap();

    let there = House::new().await;
    assert_eq!(there.studio.take_cut_file_in(&file).await.unwrap(), id, "it keeps its name");
    let after = shown(&there, id).await;
    assert_eq!((after.number, &after.what, &after.cut, after.created_at), (before.number, &before.what, &before.cut, before.created_at));
    // All that was read is there: nothing waits to be read again, and it sounds the same to the bit.
    assert_eq!(jobs::of_cut(&there.studio.pool, id).await.unwrap().len(), 1, "candidates are compared");
    let bed = &after.cut.setup.candidates[0].hash;
    let read = async |house: &House| sounds::bed_reading(&house.studio.pool, bed, &[]).await.unwrap().expect("it was read");
    assert_eq!(read(&there).await.reading, read(&here).await.reading);
    assert_eq!(read(&there).await.likeness.to_bytes(), read(&here).await.likeness.to_bytes());
    assert!(std::fs::read(handed(&there, id, Form::Mix { sound: SoundForm::default() }).await).unwrap() == mix, "the mix is another one");
    // Its history goes both ways.
    let step = async |step: Step| {
        let row = cuts::cut(&there.studio.pool, id).await.unwrap();
        there.studio.step(id, row.revision, step, true).await.unwrap();
        shown(&there, id).await.cut.setup.shape.alone_db
    };
    assert_eq!((step(Step::Redo).await, step(Step::Undo).await), (5.0, 3.0));
    step(Step::Undo).await;
    step(Step::Redo).await;
    // Handed over again it is the same file, to the byte; and what is asked for again is there.
    assert!(std::fs::read(handed(&there, id, Form::Cut).await).unwrap() == std::fs::read(&file).unwrap(), "the file is another one");
    assert_eq!(handed(&here, id, Form::Cut).await, file);

    // Where it is there already it lies beside it, and each is changed by itself.
    let beside = here.studio.take_cut_file_in(&file).await.unwrap();
    assert_ne!(beside, id);
    figure(&here, beside, 1.0).await;
    assert_eq!((shown(&here, beside).await.cut.setup.shape.alone_db, shown(&here, id).await.cut.setup.shape.alone_db), (1.0, 3.0));
}

#[actix_web::test]
async fn what_is_no_cut_or_does_not_fit_makes_none() {
    let here = House::new().await;
    let id = narrated(&here, 60).await;
    let file = handed(&here, id, Form::Cut).await;
    let mut bytes = std::fs::read(&file).unwrap();

    let there = House::with(|s| s.quota_bytes = Some(1000)).await;
    assert_eq!(there.studio.take_cut_file_in(&file).await.unwrap_err().code(), Code::NoRoom);
    let there = House::new().await;
    // A sound that was tampered with is found out, however late.
    let end = bytes.len() / 2;
    bytes[end] ^= 1;
    for broken in [&bytes[..], &bytes[..end], b"Dear editor"] {
        let path = there.folder.path().join("broken.zip");
        std::fs::write(&path, broken).unwrap();
        let refused = there.studio.take_cut_file_in(&path).await.unwrap_err();
        assert_eq!(refused.code(), Code::BadValue, "{refused:?}");
    }
    assert!(there.studio.cuts(None, "", Sort::Newest, 0, 10).await.unwrap().0.is_empty());
}
