//! JAMS (Humphrey et al., ISMIR 2014): beats with their place in the bar, and sections.

use super::{Bed, Grid, GridError};
use serde_json::{Value, json};

/// What is observed: a time and a value.
fn observations(annotation: &Value) -> Vec<(f64, Value)> {
    let data = &annotation["data"];
    if let Some(list) = data.as_array() {
        return list.iter().filter_map(|one| Some((one["time"].as_f64()?, one["value"].clone()))).collect();
    }
    // Densely packed: a list for each of time and value.
    let (Some(times), Some(values)) = (data["time"].as_array(), data["value"].as_array()) else { return Vec::new() };
    times.iter().zip(values).filter_map(|(t, v)| Some((t.as_f64()?, v.clone()))).collect()
}

/// Reads the first annotation of beats and the first of sections.
///
/// # Errors
/// [`GridError::Damaged`].
pub fn read(bytes: &[u8], bed: Bed) -> Result<Grid, GridError> {
    let damaged = |cause: String| GridError::Damaged { format: "JAMS file", cause };
    let file: Value = serde_json::from_slice(bytes).map_err(|_| damaged("it is damaged".into()))?;
    let all = file["annotations"].as_array().ok_or_else(|| damaged("it has no annotations".into()))?;
    let named = |wanted: &str| all.iter().find(|a| a["namespace"].as_str().is_some_and(|n| n == wanted || n.starts_with(&format!("{wanted}_"))));
    let mut beats = named("beat").map(observations).unwrap_or_default();
    beats.sort_by(|a, b| a.0.total_cmp(&b.0));
    let first = |value: &Value| value.as_f64().or_else(|| value["position"].as_f64()).is_some_and(|v| (v - 1.0).abs() < 1e-6);
    let mut downbeats: Vec<usize> = (0..beats.len()).filter(|&k| first(&beats[k].1)).collect();
    if downbeats.is_empty() {
        downbeats = (0..beats.len()).step_by(bed.metre.max(1)).collect();
    }
    let sections = named("segment").map(observations).unwrap_or_default();
    let name = |value: &Value| value.as_str().or_else(|| value["label"].as_str()).unwrap_or("").to_owned();
    Ok(Grid { beats_s: beats.into_iter().map(|b| b.0).collect(), downbeats, sections: sections.iter().map(|(at, v)| (*at, name(v))).collect() })
}

/// The grid as JAMS 0.3.
pub fn write(grid: &Grid, title: &str, length_s: f64) -> String {
    let annotation = |namespace: &str, data: Vec<Value>| {
        json!({
            "namespace": namespace, "data": data, "time": 0.0, "duration": length_s, "sandbox": {},
            "annotation_metadata": {
                "curator": { "name": "", "email": "" }, "annotator": {}, "version": "", "corpus": "",
                "annotation_tools": "Jaunty Bar", "annotation_rules": "", "validation": "", "data_source": "program",
            },
        })
    };
    let beats = grid.beats_s.iter().zip(grid.places()).map(|(at, place)| json!({ "time": at, "duration": 0.0, "value": place, "confidence": null }));
    let ends = grid.sections.iter().skip(1).map(|s| s.0).chain(std::iter::once(length_s));
    let sections =
        grid.sections.iter().zip(ends).map(|((at, name), end)| json!({ "time": at, "duration": (end - at).max(0.0), "value": name, "confidence": null }));
    let file = json!({
        "annotations": [annotation("beat", beats.collect()), annotation("segment_open", sections.collect())],
        "file_metadata": { "title": title, "artist": "", "release": "", "duration": length_s, "identifiers": {}, "jams_version": "0.3.4" },
        "sandbox": {},
    });
    serde_json::to_string_pretty(&file).unwrap_or_default()
}
