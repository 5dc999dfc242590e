//! What an edit costs, printed and not judged: a shared machine is slow when it likes.
//!
//!     cargo test -p jaunty-server edits -- --ignored --nocapture

use super::house::House;
use jaunty_core::cut::{Change, Figure, FitChange, LevelsChange, Setup, SpliceTouch, Take, UsedSound, Work};
use jaunty_core::picture::Picture;
use jaunty_core::plan::Role;
use jaunty_core::shape::{LevelChange, LevelName};
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_core::voice::Piece;
use jaunty_demo::{LINES, beds, narration};
use jaunty_media::write_wav;
use jaunty_server::store::cuts::{self, Revision};
use jaunty_server::studio::Report;
use std::time::Instant;
use uuid::Uuid;

/// Length of the take that a narration is made of: a minute.
const MINUTE_SAMPLES: u64 = 60 * 48_000;

/// A cut of so many seconds with a bed and a narration all over it, planned.
pub async fn narrated(house: &House, length_s: u64) -> Uuid {
    let studio = &house.studio;
    let (bed, voice) = (house.folder.path().join("bed.wav"), house.folder.path().join("voice.wav"));
    write_wav(&bed, &beds::copper_escapement().play().unwrap().sound).unwrap();
    write_wav(&voice, &narration(&LINES[..8], 60.0).unwrap()).unwrap();
    let bed = studio.take_in_file(&bed, "bed.wav", "wav").await.unwrap();
    let voice = studio.take_in_file(&voice, "voice.wav", "wav").await.unwrap();
    let length = CutLength::new(FrameRate::new(25, 1, false).unwrap(), length_s * 25).unwrap();
    let mut setup = Setup::new("Edited", Picture::new(length));
    setup.add_candidate(&bed, "bed.wav", None);
    setup.bed = Some(UsedSound { hash: bed.clone(), name: "bed.wav".into() });
    setup.takes.push(Take::new(&voice, "voice.wav"));
    for start in (0..length_s * 48_000).step_by(MINUTE_SAMPLES as usize) {
        let end = MINUTE_SAMPLES.min(length_s * 48_000 - start);
        setup.pieces.push(Piece { sound: voice.clone(), source_start_samples: 0, source_end_samples: end, cut_start_samples: start, scratch: None });
    }
    let id = studio.new_cut_with_sounds(&setup).await.unwrap();
    for (sound, role) in [(voice, Role::Narration), (bed, Role::Bed)] {
        studio.perform(id, &Work::Read { sound, role }, Report::default()).await.unwrap();
    }
    studio.plan(id).await.unwrap();
    id
}

pub async fn shown(house: &House, id: Uuid) -> Revision {
    let row = cuts::cut(&house.studio.pool, id).await.unwrap();
    cuts::current(&house.studio.pool, &row).await.unwrap()
}

/// Bytes of all documents and revisions, as they are stored.
async fn stored_bytes(house: &House) -> i64 {
    let query = "SELECT CAST((SELECT COALESCE(SUM(LENGTH(body) + 64), 0) FROM documents)
         + (SELECT COALESCE(SUM(LENGTH(what) + COALESCE(LENGTH(said), 0) + 140), 0) FROM revisions) AS SIGNED)";
    sqlx::query_as::<_, (i64,)>(query).fetch_one(&house.studio.pool).await.unwrap().0
}

/// Makes changes one after another: middle time in ms and bytes of one.
async fn cost(house: &House, id: Uuid, changes: Vec<Change>) -> (f64, i64) {
    let before = stored_bytes(house).await;
    let (mut times_ms, count) = (Vec::new(), changes.len() as i64);
    for change in changes {
        let row = cuts::cut(&house.studio.pool, id).await.unwrap();
        let begun = Instant::now();
        house.studio.change(id, row.revision, change).await.unwrap();
        times_ms.push(begun.elapsed().as_secs_f64() * 1000.0);
    }
    times_ms.sort_by(f64::total_cmp);
    (times_ms[times_ms.len() / 2], (stored_bytes(house).await - before) / count)
}

fn by_hand(revision: &Revision, db: f64) -> Change {
    let object = revision.cut.plan.bed().unwrap().levels.iter().find_map(LevelName::of).unwrap();
    Change::Levels(LevelsChange::Set { lane: None, levels: vec![object], change: LevelChange { under_speech_db: Some(db), ..LevelChange::default() } })
}

#[actix_web::test]
#[ignore = "prints figures: cargo test -p jaunty-server edits -- --ignored --nocapture"]
async fn edits_of_a_short_and_of_a_long_cut() {
    const EDITS: usize = 10;
    const NUDGES: usize = 3;
    for length_s in [90, 7200] {
        let house = House::new().await;
        let id = narrated(&house, length_s).await;
        let first = shown(&house, id).await;
        let (phrases, splices) = (first.cut.plan.phrases.len(), first.cut.fitting().unwrap().splices.clone());
        println!("{length_s} s, {phrases} phrases, {} splices, {} fittings:", splices.len(), first.cut.fittings.len());
        let level = (0..EDITS).map(|k| by_hand(&first, 11.0 + k as f64 / 10.0)).collect();
        let figure = (0..EDITS).map(|k| Change::Levels(LevelsChange::Figure { figure: Figure::AloneDb(8.0 + k as f64 / 10.0) })).collect();
        let touch = SpliceTouch { splice: splices[0].at, nudge_samples: 1, later_samples: 0, later_beats: 0, fade_samples: None, law: None, rings: None };
        let nudge = (0..NUDGES).map(|_| Change::Fit(FitChange::Touch(touch))).collect();
        for (name, changes) in [("a level by hand", level), ("a figure of the whole", figure), ("a nudge of a splice", nudge)] {
            let (ms, bytes) = cost(&house, id, changes).await;
            println!("  {name}: {ms:.0} ms, {bytes} bytes");
        }
    }
}

#[actix_web::test]
#[ignore = "prints figures: cargo test -p jaunty-server edits -- --ignored --nocapture"]
async fn ten_thousand_edits() {
    const EDITS: usize = 10_000;
    const EACH: usize = 100;
    let house = House::new().await;
    let id = narrated(&house, 90).await;
    let first = shown(&house, id).await;
    for from in (0..EDITS).step_by(EACH) {
        let changes = (from..from + EACH).map(|k| by_hand(&first, 5.0 + k as f64 / 1000.0)).collect();
        let (ms, bytes) = cost(&house, id, changes).await;
        if from == 0 || from + EACH == EDITS {
            println!("after {from} edits: {ms:.1} ms, {bytes} bytes");
        }
    }
}
