//! Prints the ways in which pieces could be counted, one JSON line a piece: for each file of
//! inputs of the network (`NAME.f32`, as `reading_inputs` writes them). What `tools/reading/level.py` learns from.

fn main() {
    for name in std::env::args().skip(1) {
        let bytes = std::fs::read(&name).expect("a file of inputs");
        let inputs: Vec<f32> = bytes.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect();
        let ways: Vec<_> = jaunty_core::reading::level_candidates(&inputs)
            .into_iter()
            .map(|(beats, features)| serde_json::json!({ "beats": beats, "features": features.to_vec() }))
            .collect();
        println!("{}", serde_json::json!({ "file": name, "ways": ways }));
    }
}
