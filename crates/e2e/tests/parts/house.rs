//! What is kept from one cut to the next: figures of the house, copies, cuts that were taken away, terms of one's own files.

use super::files::Stand;
use serde_json::{Value, json};

#[tokio::test(flavor = "multi_thread")]
async fn figures_of_the_house_are_kept_and_the_next_cut_begins_with_them() {
    // Of its own: what one cut took, the next one of this database begins with.
    let stand = Stand::with_own_database(&[]).await;
    let first = stand.make_cut("Episode one", "30").await;
    let figure = |db: f64| json!({ "do": "figure", "figure": "underSpeechDb", "value": db });
    assert_eq!(stand.say(&first, "levels", figure(26.0)).await.0, 200);
    let keep = |names: &str| json!({ "cut": first, "fileNames": names });
    let (status, refused) = stand.send("PUT", "/api/house/Evening", Some(keep("{title}"))).await;
    assert!(status == 422 && refused["detail"].as_str().unwrap().contains("{what}"), "{refused}");
    let (status, house) = stand.send("PUT", "/api/house/Evening", Some(keep("{date} {title} r{revision} {what}"))).await;
    assert_eq!((status, house["shape"]["underSpeechDb"].as_f64()), (200, Some(26.0)));
    // Kept is not taken: the cut says so.
    let (status, view) = stand.say(&first, "levels", json!({ "do": "house", "house": house })).await;
    assert_eq!((status, view["plan"]["house"]["name"].as_str()), (200, Some("Evening")), "{view}");
    assert!(view["plan"]["undo"]["facts"]["name"]["name"].as_str().unwrap().contains("Evening"));

    let (second, view) = stand.with_bed("Episode two", "20").await;
    assert_eq!((&view["plan"]["house"]["name"], view["plan"]["shape"]["underSpeechDb"].as_f64()), (&json!("Evening"), Some(26.0)));
    let revision = view["plan"]["revision"].as_u64().unwrap();
    let (_, row) = stand.handed(&second, revision, json!({ "what": "report", "page": false })).await;
    let name = row["name"].as_str().unwrap();
    assert!(name.ends_with(&format!(" Episode two r{revision} report.json")) && name.starts_with("20"), "{name}");

    // Changed for the house, both cuts still have what they took, and can see that it is another by now.
    assert_eq!(stand.say(&first, "levels", figure(22.0)).await.0, 200);
    assert_eq!(stand.send("PUT", "/api/house/Evening", Some(json!({ "cut": first }))).await.0, 200);
    let kept = stand.send("GET", "/api/house", None).await.1;
    assert_eq!((kept[0]["shape"]["underSpeechDb"].as_f64(), kept[0]["fileNames"].as_str()), (Some(22.0), Some("{date} {title} r{revision} {what}")));
    assert_eq!(stand.cut(&second).await["plan"]["house"]["shape"]["underSpeechDb"], 26.0);
    assert_eq!(stand.send("DELETE", "/api/house/Evening", None).await.0, 204);
    assert_eq!(stand.send("DELETE", "/api/house/Evening", None).await.0, 404);
    let third = stand.make_cut("Another house", "20").await;
    assert_eq!(stand.cut(&third).await["plan"]["house"], Value::Null, "nobody keeps them any more");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cut_is_copied_and_taken_away_and_comes_back() {
    let stand = Stand::new(&[]).await;
    let (cut, view) = stand.with_bed("Spring", "24").await;
    let (status, copy) = stand.send("POST", &format!("/api/cuts/{cut}/copy"), None).await;
    assert_eq!(status, 200, "{copy}");
    let copy = copy["id"].as_str().unwrap().to_owned();
    let copied = stand.cut(&copy).await;
    assert_eq!(copied["title"], "Spring, copy");
    let splices = |view: &Value| view["plan"]["fittings"][0]["pieces"].clone();
    assert_eq!(splices(&copied), splices(&view));
    // A history of its own: the copy changes, the original does not.
    let (status, _) =
        stand.say(&copy, "cut", json!({ "do": "describe", "title": "Autumn", "length": "24", "rate": { "num": 25, "den": 1, "dropFrame": false } })).await;
    assert_eq!((status, stand.cut(&cut).await["title"].as_str()), (200, Some("Spring")));
    assert_eq!(stand.mix(&copy, &copied["plan"]["revision"]).await, stand.mix(&cut, &view["plan"]["revision"]).await, "the same to the byte");

    let listed = async |id: &str| stand.send("GET", "/api/cuts", None).await.1["cuts"].as_array().unwrap().iter().any(|c| c["id"] == id);
    assert!(listed(&copy).await);
    assert_eq!(stand.send("DELETE", &format!("/api/cuts/{copy}"), None).await.0, 204);
    assert!(!listed(&copy).await && listed(&cut).await);
    assert_eq!(stand.send("POST", &format!("/api/cuts/{copy}/back"), None).await.0, 204);
    assert!(listed(&copy).await && stand.cut(&copy).await["title"] == "Autumn", "nothing of it is lost");
    assert_eq!(stand.send("DELETE", "/api/cuts/00000000-0000-0000-0000-000000000000", None).await.0, 404);
}

#[tokio::test(flavor = "multi_thread")]
async fn terms_of_ones_own_files_are_checked_like_the_shelfs() {
    let stand = Stand::new(&[]).await;
    let (cut, view) = stand.with_bed("Paid work", "20").await;
    let sound = view["bed"]["hash"].as_str().unwrap().to_owned();
    let terms = |terms: Value, credit: &str| json!({ "do": "candidate", "sound": sound, "terms": { "terms": terms, "credit": credit } });
    let (_, view) = stand.say(&cut, "bed", terms(json!("nonCommercialOnly"), "Music by a friend")).await;
    assert_eq!((&view["candidates"][0]["objection"], &view["candidates"][0]["ownTerms"]["credit"]), (&Value::Null, &json!("Music by a friend")));
    let commercial = json!({ "do": "describe", "title": "Paid work", "length": "20", "rate": { "num": 25, "den": 1, "dropFrame": false }, "commercial": true });
    let (_, view) = stand.say(&cut, "cut", commercial).await;
    let objection = view["candidates"][0]["objection"].as_str().unwrap();
    assert!(objection.contains("non-commercial"), "{objection}");
    let findings = view["plan"]["findings"].to_string();
    assert!(findings.contains("non-commercial"), "Check says it as well: {findings}");
    let (_, sheet) = stand.handed(&cut, view["plan"]["revision"].as_u64().unwrap(), json!({ "what": "cueSheet", "sheet": "csv" })).await;
    assert!(sheet["name"].as_str().unwrap().contains("cue sheet"));
    let (_, view) = stand.say(&cut, "bed", terms(Value::Null, "")).await;
    assert_eq!(view["candidates"][0]["objection"], Value::Null);
    let (status, refused) = stand.say(&cut, "bed", terms(json!("oneProject"), "two\nlines")).await;
    assert!(status == 422 && refused["detail"].as_str().unwrap().contains("one line"), "{refused}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_typed_length_says_what_it_means() {
    let stand = Stand::new(&[]).await;
    let typed = async |text: &str| stand.send("GET", &format!("/api/lengths?text={text}&num=25&den=1&dropFrame=false"), None).await;
    let (status, means) = typed("61,23").await;
    assert_eq!((status, means["timecode"].as_str(), means["frames"].as_u64()), (200, Some("00:01:01:06"), Some(1531)));
    assert!((means["roundedByS"].as_f64().unwrap() - 0.01).abs() < 1e-9);
    assert_eq!(typed("1:30").await.1["roundedByS"], Value::Null);
    assert_eq!(typed("a%20while").await.0, 422);
}
