//! Prints what tells how naturally beds go from phrase to phrase, one JSON line a bed. What `tools/reading/sequel.py`
//! learns from.

fn main() {
    for name in std::env::args().skip(1) {
        let Ok(sound) = jaunty_media::decode_to_sound(std::path::Path::new(&name)) else { continue };
        let rows: Vec<_> = jaunty_core::reading::sequel_features(&sound).into_iter().map(|(l, e, c, f)| serde_json::json!([l, e, c, f.to_vec()])).collect();
        println!("{}", serde_json::json!({ "file": name, "rows": rows }));
    }
}
