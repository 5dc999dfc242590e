//! Several lengths of one cut, made, planned and kept up with it; copies of cuts that wait for their plan.

use super::edits::{narrated, shown};
use super::house::House;
use jaunty_core::cut::{Change, Figure, FitChange, LevelsChange, Work};
use jaunty_core::fit::Wish;
use jaunty_server::store::cuts::{self, Step};
use jaunty_server::studio::Report;

#[actix_web::test]
async fn each_length_is_planned_by_itself_and_follows_the_first_one_when_asked() {
    let house = House::new().await;
    let studio = &house.studio;
    let mother = narrated(&house, 60).await;
    let lengths = ["30", "0:15", "6"].map(str::to_owned);
    let made = studio.make_versions(mother, &lengths).await.unwrap();
    for (id, seconds) in made.iter().zip([30, 15, 6]) {
        studio.perform(*id, &Work::Plan, Report::default()).await.unwrap();
        let version = shown(&house, *id).await;
        let fitting = version.cut.fitting().expect("it is fitted");
        assert_eq!((fitting.length_samples, version.cut.plan.length_samples), (seconds * 48_000, seconds * 48_000));
        // There is nothing before it to go back to.
        let row = cuts::cut(&studio.pool, *id).await.unwrap();
        assert!(studio.step(*id, row.revision, Step::Undo, true).await.is_err());
    }
    // All of them are told from any of them, the first one first, then the longest.
    let family = studio.family(made[2]).await.unwrap();
    let seconds: Vec<u64> = family.iter().map(|c| c.row.setup.picture.length_samples() / 48_000).collect();
    assert_eq!((seconds, family.iter().any(|c| c.is_behind)), (vec![60, 30, 15, 6], false));

    // A change of the first one is offered, taken over where that is wanted, and can be undone there.
    let row = cuts::cut(&studio.pool, mother).await.unwrap();
    let figure = Change::Levels(LevelsChange::Figure { figure: Figure::AloneDb(3.0) });
    studio.change(mother, row.revision, figure).await.unwrap();
    let behind = |family: Vec<jaunty_server::studio::FamilyCut>| family.iter().map(|c| c.is_behind).collect::<Vec<_>>();
    assert_eq!(behind(studio.family(mother).await.unwrap()), [false, true, true, true]);
    studio.follow(made[0]).await.unwrap();
    studio.plan(made[0]).await.unwrap();
    assert_eq!(shown(&house, made[0]).await.cut.setup.shape.alone_db, 3.0);
    assert_eq!(behind(studio.family(mother).await.unwrap()), [false, false, true, true]);
    let row = cuts::cut(&studio.pool, made[0]).await.unwrap();
    studio.step(made[0], row.revision, Step::Undo, true).await.unwrap();
    assert_eq!(behind(studio.family(mother).await.unwrap()), [false, true, true, true]);
    assert!(studio.follow(mother).await.is_err(), "the first one follows nobody");

    // One that is taken away is not among them; a version of a version is one of the first one.
    studio.take_away(made[1], true).await.unwrap();
    studio.make_versions(made[0], &["20".to_owned()]).await.unwrap();
    let seconds: Vec<u64> = studio.family(mother).await.unwrap().iter().map(|c| c.row.setup.picture.length_samples() / 48_000).collect();
    assert_eq!(seconds, [60, 30, 20, 6]);
}

#[actix_web::test]
async fn lengths_that_cannot_be_made_make_nothing() {
    let house = House::new().await;
    let id = house.cut("Kettle spot").await;
    let many: Vec<String> = (1..14).map(|s| s.to_string()).collect();
    for lengths in [vec!["20".into(), "ten".into()], vec!["40".into()], vec!["20".into(), "0:20".into()], vec!["-5".into()], vec![], many] {
        assert!(house.studio.make_versions(id, &lengths).await.is_err(), "{lengths:?}");
    }
    assert_eq!(house.studio.family(id).await.unwrap().len(), 1);
}

#[actix_web::test]
async fn a_copy_of_a_cut_that_waits_is_planned_as_what_is_wanted() {
    let house = House::new().await;
    let studio = &house.studio;
    let id = narrated(&house, 60).await;
    let row = cuts::cut(&studio.pool, id).await.unwrap();
    // It waits for its plan at the new length; nobody makes that.
    studio.change(id, row.revision, Change::Fit(FitChange::Length { frames: 40 * 25 })).await.unwrap();
    let copy = studio.copy_cut(id).await.unwrap();
    studio.plan(copy).await.unwrap();
    let copied = shown(&house, copy).await;
    assert_eq!((copied.cut.plan.length_samples, copied.cut.fitting().unwrap().length_samples), (40 * 48_000, 40 * 48_000));
    // A change that is computed at once works on it as well.
    let row = cuts::cut(&studio.pool, copy).await.unwrap();
    studio.change(copy, row.revision, Change::Fit(FitChange::Wish { wish: Wish::LeastRun { bars: 8 } })).await.unwrap();
}

#[actix_web::test]
async fn the_command_line_hands_over_all_lengths_and_refuses_what_is_none() {
    let house = House::new().await;
    let mother = narrated(&house, 30).await;
    let short = house.studio.make_versions(mother, &["10".to_owned()]).await.unwrap().remove(0);
    house.studio.plan(short).await.unwrap();
    let out = house.folder.path().join("spots");
    let jaunty = |more: &[&str]| {
        let place = ["--database-url", &house.settings.database_url, "--data", house.settings.data_folder.to_str().unwrap()].map(str::to_owned);
        let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_jaunty"));
        command.arg("hand-over").args(place).args(more).output().expect("cargo builds it")
    };
    let id = mother.to_string();
    let done = jaunty(&[&id, "--form", "mix", "--coding", "flac", "--rate", "44100", "--all-lengths", "--out", out.to_str().unwrap()]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    // One line of JSON for each, the file as long as its cut.
    let told: Vec<serde_json::Value> = String::from_utf8(done.stdout).unwrap().lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let lengths = told.iter().map(|one| {
        let sound = jaunty_media::decode_to_sound(std::path::Path::new(one["file"].as_str().unwrap())).unwrap();
        jaunty_core::sound::Source::len_samples(&sound)
    });
    assert_eq!(lengths.collect::<Vec<_>>(), [30 * 48_000, 10 * 48_000], "as it is decoded: at 48 kHz");
    assert!(told.iter().all(|one| one["sha256"].as_str().unwrap().len() == 64 && one["told"][0].as_str().unwrap().contains("LUFS")), "{told:?}");
    // Asked for again it is the same file, not made anew.
    let again = jaunty(&[&id, "--coding", "flac", "--rate", "44100", "--out", house.folder.path().join("one.flac").to_str().unwrap()]);
    let again: serde_json::Value = serde_json::from_slice(&again.stdout).unwrap();
    assert_eq!(again["sha256"], told[0]["sha256"]);
    for (more, said) in [
        (vec![id.as_str(), "--coding", "opus", "--rate", "96000"], "Opus has 48 kHz"),
        (vec![id.as_str(), "--coding", "shellac"], "it is wav16"),
        (vec![id.as_str(), "--form", "film-mp4"], "no film"),
        (vec!["00000000-0000-0000-0000-000000000000"], "cut"),
    ] {
        let refused = jaunty(&[&more[..], &["--out", "/nowhere/x"]].concat());
        assert!(!refused.status.success() && String::from_utf8_lossy(&refused.stderr).contains(said), "{}", String::from_utf8_lossy(&refused.stderr));
    }
}
