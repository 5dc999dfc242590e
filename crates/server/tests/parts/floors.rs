//! The house has floors: no two files of a crate need each other, and nothing in the server looks up. That no two parts of the core
//! do, Cargo keeps: they are crates.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

/// The files of a folder and all folders in it, with their places from `root` as modules.
fn modules(root: &Path, folder: &Path, all: &mut BTreeMap<String, PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            modules(root, &path, all);
        } else if path.extension().is_some_and(|e| e == "rs") {
            let place = path.strip_prefix(root).unwrap().with_extension("");
            let name = place.to_str().unwrap().replace('/', "::");
            all.insert(name.trim_end_matches("::mod").to_owned(), path);
        }
    }
}

/// What the braces of an import stand for, one by one.
fn spread(import: &str) -> Vec<String> {
    let Some(open) = import.find('{') else { return vec![import.to_owned()] };
    let (mut depth, mut from, mut parts) = (0, open + 1, Vec::new());
    for (at, letter) in import.char_indices().skip(open) {
        match letter {
            '{' => depth += 1,
            ',' if depth == 1 => {
                parts.push(&import[from..at]);
                from = at + 1;
            }
            '}' => {
                depth -= 1;
                if depth == 0 {
                    parts.push(&import[from..at]);
                }
            }
            _ => {}
        }
    }
    parts.into_iter().filter(|p| !p.is_empty()).flat_map(|part| spread(&format!("{}{part}", &import[..open]))).collect()
}

/// Where the items of a file that hands on those of others are at home, by name.
fn handed_on(text: &str) -> BTreeMap<String, String> {
    let uses = text.split(';').filter_map(|s| s.trim().rsplit_once("pub use ").map(|(_, import)| import.split_whitespace().collect::<String>()));
    uses.flat_map(|import| spread(&import)).filter_map(|path| path.rsplit_once("::").map(|(home, item)| (item.to_owned(), home.to_owned()))).collect()
}

/// The files of a crate that each of its files takes something from.
fn imports(of: &str) -> BTreeMap<String, BTreeSet<String>> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(of).join("src");
    let mut all = BTreeMap::new();
    modules(&root, &root, &mut all);
    let texts: BTreeMap<&str, String> = all
        .iter()
        .map(|(name, path)| {
            let text = fs::read_to_string(path).unwrap();
            // Tests may look down from anywhere.
            let own = text.split("#[cfg(test)]").next().unwrap_or_default();
            let code: String = own.lines().filter(|l| !l.trim_start().starts_with("//")).map(|l| format!("{l}\n")).collect();
            (name.as_str(), code)
        })
        .collect();
    let home = |path: &str| -> Option<String> {
        let mut path = path.to_owned();
        // Through what is handed on, to where it is.
        for _ in 0..4 {
            let mut place = path.as_str();
            while !all.contains_key(place) {
                place = place.rsplit_once("::")?.0;
            }
            let item = path[place.len()..].trim_start_matches("::").split("::").next().unwrap_or_default();
            match handed_on(&texts[place]).get(item) {
                Some(inner) => path = format!("{place}::{inner}::{item}"),
                None => return Some(place.to_owned()),
            }
        }
        None
    };
    let mut found: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (name, text) in &texts {
        for statement in text.split(';') {
            let Some((_, import)) = statement.rsplit_once("use ").filter(|(before, _)| !before.trim_end().ends_with("pub")) else { continue };
            for path in spread(&import.split_whitespace().collect::<String>()) {
                let whole = match path.split_once("::") {
                    Some(("crate", rest)) => rest.to_owned(),
                    Some(("super", rest)) => {
                        let above = name.rsplit_once("::").map_or("", |(above, _)| above);
                        format!("{above}::{rest}").trim_start_matches("::").to_owned()
                    }
                    Some((first, _)) if all.contains_key(&format!("{name}::{first}")) => format!("{name}::{path}"),
                    _ => continue,
                };
                // What a folder says of itself stands in its own file, which also puts its parts together.
                let is_own_folder = |place: &str| name.starts_with(&format!("{place}::"));
                if let Some(place) = home(&whole).filter(|place| place != name && !is_own_folder(place)) {
                    found.entry((*name).to_owned()).or_default().insert(place);
                }
            }
        }
    }
    found
}

/// A way from something back to it, if there is one.
fn circle(of: &BTreeMap<String, BTreeSet<String>>) -> Option<Vec<String>> {
    fn walk(of: &BTreeMap<String, BTreeSet<String>>, way: &mut Vec<String>, done: &mut BTreeSet<String>) -> bool {
        let here = way.last().cloned().unwrap_or_default();
        for next in of.get(&here).into_iter().flatten() {
            if way.contains(next) {
                way.push(next.clone());
                return true;
            }
            if done.insert(next.clone()) {
                way.push(next.clone());
                if walk(of, way, done) {
                    return true;
                }
                way.pop();
            }
        }
        false
    }
    of.keys().find_map(|start| {
        let mut way = vec![start.clone()];
        walk(of, &mut way, &mut BTreeSet::new()).then_some(way)
    })
}

#[test]
fn no_two_files_of_a_crate_need_each_other() {
    let floors = ["units", "sound", "picture", "reading", "speech", "fit", "shape", "cut"].map(|floor| (format!("core/{floor}"), 0));
    let others = [("exchange", 0), ("media", 1), ("server", 70)].map(|(name, least)| (name.to_owned(), least));
    let mut all = 0;
    for (name, least) in floors.iter().chain(&others) {
        let files = imports(name);
        let found = files.values().map(BTreeSet::len).sum::<usize>();
        all += found;
        assert!(found >= *least, "{found} imports are found in {name}");
        assert_eq!(circle(&files), None, "{name}");
    }
    assert!(all > 150, "{all} imports are found");
}

#[test]
fn nothing_in_the_server_looks_up() {
    const FLOORS: [&str; 6] = ["settings", "apart", "store", "studio", "work", "http"];
    let floor = |name: &str| FLOORS.iter().position(|floor| name.split("::").next() == Some(floor));
    let all = imports("server");
    let standing: BTreeSet<usize> = all.keys().filter_map(|name| floor(name)).collect();
    assert_eq!(standing.len(), FLOORS.len() - 2, "all but the two lowest floors stand on others");
    for (from, all) in &all {
        for to in all {
            if let Some((here, there)) = floor(from).zip(floor(to)) {
                assert!(there <= here, "{from} needs {to}");
            }
        }
    }
}

/// Files of a folder and of all in it that are written by hand.
fn written(folder: &Path, all: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let is = |endings: &[&str]| endings.iter().any(|end| path.to_str().unwrap().ends_with(end));
        if path.is_dir() {
            if !is(&["gen", "node_modules", "tests"]) {
                written(&path, all);
            }
        } else if is(&[".rs", ".vue", ".ts"]) && !is(&[".test.ts", "tests.rs", "weights.rs"]) {
            all.push(path);
        }
    }
}

#[test]
fn a_long_file_says_at_its_head_why_it_is_one() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut all = Vec::new();
    for folder in [
        "core",
        "core/units",
        "core/sound",
        "core/picture",
        "core/reading",
        "core/speech",
        "core/fit",
        "core/shape",
        "core/cut",
        "media",
        "exchange",
        "server",
        "demo",
    ] {
        written(&root.join("crates").join(folder).join("src"), &mut all);
    }
    written(&root.join("web/src"), &mut all);
    assert!(all.len() > 300, "{} files were found", all.len());
    let silent: Vec<_> = all
        .iter()
        .filter(|path| {
            let text = fs::read_to_string(path).unwrap();
            text.lines().count() > 400 && !text.lines().take_while(|l| l.starts_with("//!")).any(|l| l.contains("one file"))
        })
        .collect();
    assert!(silent.is_empty(), "more than 400 lines without a word why: {silent:?}");
}
