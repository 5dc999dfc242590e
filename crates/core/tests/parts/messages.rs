//! What is said as codes with facts, against the catalogue and against what the page makes of it.

use jaunty_core::message::Message;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

const CATALOGUE: &str = include_str!("../../../../words/en.json");
/// The page's own test reads the same.
const EXAMPLES: &str = include_str!("../../../../words/examples.json");

#[test]
fn what_is_said_has_the_words_of_the_catalogue_and_comes_back_from_where_it_is_stored() {
    let examples: Vec<Value> = serde_json::from_str(EXAMPLES).unwrap();
    assert!(examples.len() > 10);
    for example in examples {
        let message: Message = serde_json::from_value(example["is"].clone()).unwrap();
        assert_eq!(message.to_string(), example["words"], "{message:?}");
        assert_eq!(Message::from_stored(&message.to_stored()), message);
    }
}

/// From memory: sentences as databases of the first versions have them.
#[test]
fn words_of_before_there_were_codes_are_read_as_they_are() {
    for old in ["use the bed \"brass.wav\"", "phrase 3 is no speech", "\"brass.wav\" 3.0 % faster", "{name}", "12", ""] {
        assert_eq!(Message::from_stored(old).to_string(), old);
    }
}

#[test]
fn every_code_of_the_sources_stands_in_the_catalogue_with_the_facts_it_is_given_and_no_other_does() {
    let mut catalogue = BTreeMap::new();
    flatten("", &serde_json::from_str(CATALOGUE).unwrap(), &mut catalogue);
    let mut said: BTreeSet<String> = ["between.things", "between.clauses"].map(String::from).into();
    for file in sources(&Path::new(env!("CARGO_MANIFEST_DIR")).join("..")) {
        let text = std::fs::read_to_string(&file).unwrap();
        for call in text.split("message!(\"").skip(1) {
            let (code, rest) = call.split_once('"').unwrap();
            let words = catalogue.get(code).unwrap_or_else(|| panic!("{code} of {} is not in the catalogue", file.display()));
            for form in words.split(" | ") {
                let told: BTreeSet<&str> = form.split('{').skip(1).map(|part| part.split('}').next().unwrap()).collect();
                let given = facts(rest);
                // The number that chooses the form need not be in it: "one splice".
                assert!(told.is_subset(&given) && given.difference(&told).all(|fact| *fact == "n"), "{code} tells {told:?} and is given {given:?}");
            }
            said.insert(code.to_owned());
        }
    }
    let idle: Vec<&String> = catalogue.keys().filter(|code| !said.contains(*code)).collect();
    assert!(idle.is_empty(), "nobody says {idle:?}");
}

fn flatten(at: &str, value: &Value, into: &mut BTreeMap<String, String>) {
    match value {
        Value::Object(all) => all.iter().for_each(|(key, inner)| flatten(&if at.is_empty() { key.clone() } else { format!("{at}.{key}") }, inner, into)),
        words => drop(into.insert(at.to_owned(), words.as_str().unwrap().to_owned())),
    }
}

/// The names of facts in what follows the code of a macro, up to its closing parenthesis.
fn facts(rest: &str) -> BTreeSet<&str> {
    let (mut depth, mut names, mut from) = (1, BTreeSet::new(), 0);
    for (k, letter) in rest.char_indices() {
        match letter {
            '(' | '[' | '{' => depth += 1,
            ')' | ']' | '}' => depth -= 1,
            _ => {}
        }
        if depth == 0 || (depth == 1 && letter == ',') {
            names.extend(rest[from..k].split_once(" = ").map(|(name, _)| name.trim()));
            from = k + 1;
        }
        if depth == 0 {
            break;
        }
    }
    names
}

fn sources(folder: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path());
    entries
        .flat_map(|path| match path {
            path if path.is_dir() && !path.ends_with("tests") => sources(&path),
            path if path.extension().is_some_and(|e| e == "rs") && !path.ends_with("message.rs") => vec![path],
            _ => Vec::new(),
        })
        .collect()
}
