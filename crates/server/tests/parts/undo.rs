//! Undo where several people change one cut: each takes back what they did themselves.

use super::house::House;
use jaunty_core::cut::{Change, Cut, Figure, LevelsChange, MomentName, PictureChange};
use jaunty_core::picture::MomentKind;
use jaunty_server::store::cuts::{self, Step};
use jaunty_server::store::people;
use jaunty_server::studio::{Behalf, Code, Problem, Studio};
use uuid::Uuid;

/// One of those who work on a cut.
struct Hand {
    studio: Studio,
    cut: Uuid,
}

impl Hand {
    async fn new(house: &House, cut: Uuid, name: &str) -> Self {
        let person = people::insert(&house.studio.pool, name, &format!("{name}@example.org"), None, false).await.unwrap();
        Self { studio: house.studio.on_behalf_of(Behalf { person: Some(person), ..Behalf::default() }), cut }
    }

    async fn revision(&self) -> u32 {
        cuts::cut(&self.studio.pool, self.cut).await.unwrap().revision
    }

    async fn says(&self, change: impl Into<Change>) {
        self.studio.change(self.cut, self.revision().await, change.into()).await.unwrap();
    }

    async fn steps(&self, step: Step) -> Result<u32, Problem> {
        self.studio.step(self.cut, self.revision().await, step, false).await
    }

    /// What the page offers to undo and to redo.
    async fn offered(&self) -> (String, String) {
        let open = self.studio.open_cut(self.cut).await.unwrap();
        (open.undo.unwrap_or_default().to_string(), open.redo.unwrap_or_default().to_string())
    }

    async fn shown(&self) -> Cut {
        let row = cuts::cut(&self.studio.pool, self.cut).await.unwrap();
        cuts::current(&self.studio.pool, &row).await.unwrap().cut
    }
}

fn under_speech(db: f64) -> Change {
    Change::Levels(LevelsChange::Figure { figure: Figure::UnderSpeechDb(db) })
}

fn moment(frame: u64, name: &str) -> Change {
    Change::Picture(PictureChange::MarkMoment { frame, kind: MomentKind::Hit, name: name.into() })
}

#[actix_web::test]
async fn each_takes_back_what_they_did_themselves_and_the_rest_stays() {
    let house = House::new().await;
    let cut = house.cut("Tower").await;
    let (ada, bo) = (Hand::new(&house, cut, "Ada").await, Hand::new(&house, cut, "Bo").await);
    ada.says(moment(100, "the bell")).await;
    ada.says(under_speech(26.0)).await;
    bo.says(moment(200, "the door")).await;
    bo.says(Change::Levels(LevelsChange::Figure { figure: Figure::EaseS(2.0) })).await;
    assert_eq!(ada.offered().await, ("lay the bed 26 dB under the voice".into(), String::new()));
    assert_eq!(bo.offered().await.0, "ease in 2 s");

    let before = house.cut("As it is without").await;
    let without = Hand::new(&house, before, "Cy").await;
    for change in [moment(100, "the bell"), moment(200, "the door"), Change::Levels(LevelsChange::Figure { figure: Figure::EaseS(2.0) })] {
        without.says(change).await;
    }
    ada.steps(Step::Undo).await.unwrap();
    let (made, expected) = (ada.shown().await, without.shown().await);
    assert_eq!((&made.setup.shape, &made.setup.picture, &made.plan), (&expected.setup.shape, &expected.setup.picture, &expected.plan));
    // It can be done again, and the one before it taken back as well.
    assert_eq!(ada.offered().await, ("mark a moment at 00:00:04:00".into(), "lay the bed 26 dB under the voice".into()));
    assert_eq!(bo.offered().await.1, "", "what Ada took back is hers to do again");
    ada.steps(Step::Redo).await.unwrap();
    assert_eq!(ada.shown().await.setup.shape.under_speech_db, 26.0);
    ada.steps(Step::Undo).await.unwrap();
    ada.steps(Step::Undo).await.unwrap();
    let names = |cut: &Cut| cut.setup.picture.moments.iter().map(|m| m.name.clone()).collect::<Vec<_>>();
    assert_eq!(names(&ada.shown().await), ["the door"]);
    assert_eq!(ada.steps(Step::Undo).await.unwrap_err().code(), Code::NothingToUndo);
    // Bo's own are there still, the newest first.
    bo.steps(Step::Undo).await.unwrap();
    assert_ne!(bo.shown().await.setup.shape.ease_s, 2.0);
    assert_eq!(names(&bo.shown().await), ["the door"]);
}

#[actix_web::test]
async fn what_others_built_on_is_not_taken_back_from_under_them() {
    let house = House::new().await;
    let cut = house.cut("Tower").await;
    let (ada, bo) = (Hand::new(&house, cut, "Ada").await, Hand::new(&house, cut, "Bo").await);
    ada.says(moment(100, "the bell")).await;
    let name = MomentName { frame: 100, kind: MomentKind::Hit };
    bo.says(Change::Picture(PictureChange::ChangeMoment { moment: name, frame: 120, kind: MomentKind::Hit, name: "the great bell".into() })).await;
    let refused = ada.steps(Step::Undo).await.unwrap_err();
    assert_eq!(refused.code(), Code::OfAnother);
    assert!(refused.to_string().contains("builds on \"mark a moment at 00:00:04:00\""), "{refused}");
    // Somebody who did nothing is told whose change it is; who means it goes back over it all the same.
    let cy = Hand::new(&house, cut, "Cy").await;
    assert!(cy.steps(Step::Undo).await.unwrap_err().to_string().contains("The last change is by Bo"));
    cy.studio.step(cut, cy.revision().await, Step::Undo, true).await.unwrap();
    assert_eq!(cy.shown().await.setup.picture.moments[0].name, "the bell");
    // What says the same anew leaves nothing to take back.
    bo.says(under_speech(22.0)).await;
    ada.says(under_speech(24.0)).await;
    bo.says(under_speech(26.0)).await;
    assert!(ada.steps(Step::Undo).await.unwrap_err().to_string().contains("nothing is left of it"));
}
