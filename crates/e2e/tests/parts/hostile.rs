//! Whatever is sent to any address that the server offers: never a failure of the server, always a
//! problem that says what to do (RFC 9457), and the cut is still there.

use super::files::{Stand, idle};
use serde_json::{Map, Value, json};

/// What the server says it offers, as `./test` makes sure that it does.
fn offers() -> Value {
    serde_json::from_str(include_str!("../../../../web/src/gen/openapi.json")).expect("JSON")
}

/// Follows a reference within the document.
fn resolve<'a>(all: &'a Value, schema: &'a Value) -> &'a Value {
    match schema["$ref"].as_str() {
        Some(place) => resolve(all, all.pointer(&place[1..]).expect("a schema of the document")),
        None => schema,
    }
}

/// Numbers and words at which people and programs break.
const NUMBERS: [f64; 7] = [0.0, -1.0, 1e-9, 7.5, 65_536.0, 1e12, -1e300];
const WORDS: [&str; 6] = ["", " ", "<img src=x onerror=alert(1)>", "../../etc/passwd", "\u{202e}tfel ot thgir", "ÅØ☃\u{0}"];

/// A value of the form that `schema` asks for, but hardly one that makes sense; `turn` counts through them.
fn nonsense(all: &Value, schema: &Value, turn: usize) -> Value {
    let schema = resolve(all, schema);
    if let Some(choices) = schema["oneOf"].as_array().or(schema["anyOf"].as_array()) {
        return nonsense(all, &choices[turn % choices.len()], turn / choices.len());
    }
    if let Some(both) = schema["allOf"].as_array() {
        let parts = both.iter().map(|part| nonsense(all, part, turn));
        return Value::Object(parts.filter_map(|part| part.as_object().cloned()).flatten().collect());
    }
    if let Some(words) = schema["enum"].as_array() {
        return words[turn % words.len()].clone();
    }
    let kind = match &schema["type"] {
        Value::Array(kinds) => kinds[turn % kinds.len()].as_str().unwrap_or("null"),
        kind => kind.as_str().unwrap_or("null"),
    };
    match kind {
        "object" => {
            let properties = schema["properties"].as_object().into_iter().flatten();
            Value::Object(properties.enumerate().map(|(k, (name, of))| (name.clone(), nonsense(all, of, turn + k))).collect::<Map<_, _>>())
        }
        "array" => (0..turn % 3).map(|k| nonsense(all, &schema["items"], turn + k)).collect(),
        "integer" => json!(NUMBERS[turn % NUMBERS.len()] as i64),
        "number" => json!(NUMBERS[turn % NUMBERS.len()]),
        "string" if turn % 7 == 6 => json!("x".repeat(100_000)),
        "string" => json!(WORDS[turn % WORDS.len()]),
        "boolean" => json!(turn.is_multiple_of(2)),
        _ => Value::Null,
    }
}

/// The addresses of one offer: the cut as it is with ever other parts, and nothing that is there.
fn addresses(path: &str, cut: &str, hash: &str, turn: usize) -> [String; 2] {
    const PARTS: [&str; 6] = ["0", "1", "999999999999999999999999", "-1", "%F0%9F%8E%B5", "%3Cb%3E"];
    let with = |id: &str, hash: &str| {
        let path = path.replace("{id}", id).replace("{hash}", hash);
        let parts = path.split('/').map(|part| match part.split_once('{') {
            Some((before, rest)) => format!("{before}{}{}", PARTS[turn % PARTS.len()], rest.split_once('}').map_or("", |r| r.1)),
            None => part.to_owned(),
        });
        parts.collect::<Vec<_>>().join("/")
    };
    let nobody = ["00000000-0000-0000-0000-000000000000", "nonsense", "%00", "%F0%9F%8E%B5"];
    [with(cut, if turn.is_multiple_of(2) { hash } else { "%F0%9F%8E%B5" }), with(nobody[turn % nobody.len()], hash)]
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_that_is_sent_breaks_the_server() {
    const TURNS: usize = 12;
    /// Whatever can be said of a cut is said to one address.
    const SAYINGS: usize = 500;
    let stand = Stand::new(&[]).await;
    let (cut, before) = stand.with_bed("Hostile", "45").await;
    let hash = before["bed"]["hash"].as_str().expect("a bed").to_owned();
    let all = offers();
    let mut sent = 0;
    for (path, methods) in all["paths"].as_object().expect("paths") {
        // One answers for as long as anybody listens; what comes as a file is tested with files.
        let goes_on = path.ends_with("/events");
        // And one ends what lets this test in.
        let ends = |method: &str| path.starts_with("/api/session") && method == "delete";
        for (method, offer) in methods.as_object().expect("methods").iter().filter(|(method, _)| !goes_on && !ends(method)) {
            let body = &offer["requestBody"]["content"]["application/json"]["schema"];
            // The cut stays; everything in it may go.
            let turns = match () {
                () if path.ends_with("/changes") => SAYINGS,
                () if body.is_null() => 4,
                () => TURNS,
            };
            for turn in 0..turns {
                let now = &stand.send("GET", &format!("/api/cuts/{cut}"), None).await.1["plan"]["revision"];
                let query = offer["parameters"].as_array().into_iter().flatten().filter(|p| p["in"] == "query").enumerate();
                let query: Vec<String> = query
                    .filter_map(|(k, p)| {
                        let value = nonsense(&all, &p["schema"], turn + k);
                        let text = value.as_str().map_or_else(|| value.to_string(), |s| s.chars().filter(char::is_ascii_alphanumeric).take(2000).collect());
                        (!value.is_null()).then(|| format!("{}={text}", p["name"].as_str().unwrap_or_default()))
                    })
                    .collect();
                let said = (!body.is_null()).then(|| {
                    let mut said = nonsense(&all, body, turn);
                    // What is said about what is shown now gets farther than what is stale.
                    if let Some(revision) = said.get_mut("revision").filter(|_| turn % 3 > 0) {
                        *revision = now.clone();
                    }
                    said
                });
                for address in addresses(path, &cut, &hash, turn) {
                    let address = if query.is_empty() { address } else { format!("{address}?{}", query.join("&")) };
                    let (status, answer) = stand.send(&method.to_uppercase(), &address, said.clone()).await;
                    sent += 1;
                    assert!(status < 500, "{method} {address} with {said:?}: {status} {answer}");
                    if status >= 400 {
                        let told = answer["detail"].as_str().unwrap_or_default();
                        assert!(told.len() > 12 && !told.contains("unwrap") && !told.contains("SELECT"), "{method} {address}: {told}");
                    }
                }
            }
        }
    }
    println!("{sent} requests");
    assert!(sent > 1000, "only {sent} requests");
    // The server plans what it was told, and the cut can be seen, heard and changed.
    let after = stand.cut_when(&cut, idle).await;
    let revision = &after["plan"]["revision"];
    let (status, _) = stand.send("GET", &format!("/api/cuts/{cut}/revisions/{revision}/sound?fromSamples=0&lengthSamples=4800&hear=everything"), None).await;
    assert_eq!(status, 200, "{}", after["plan"]);
    let (status, view) = stand.then(&cut, "undo", json!({ "revision": revision })).await;
    assert_eq!((status, view["plan"]["undo"] == after["plan"]["undo"]), (200, false));
}
