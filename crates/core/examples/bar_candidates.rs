//! Prints the ways in which beats could be counted in bars, one JSON line a piece: for each line read, which names a file of
//! inputs of the network (as `reading_inputs` writes them) and beats in seconds. What `tools/reading/metre.py` learns from.

#[derive(serde::Deserialize)]
struct Piece {
    file: String,
    beats: Vec<f64>,
}

fn main() {
    for line in std::io::stdin().lines() {
        let piece: Piece = serde_json::from_str(&line.expect("a line")).expect("a file and its beats");
        let bytes = std::fs::read(&piece.file).expect("a file of inputs");
        let inputs: Vec<f32> = bytes.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect();
        let ways: Vec<_> = jaunty_core::reading::bar_candidates(&inputs, &piece.beats)
            .into_iter()
            .map(|(metre, first, features)| serde_json::json!({ "metre": metre, "first": first, "features": features.to_vec() }))
            .collect();
        println!("{}", serde_json::json!({ "file": piece.file, "ways": ways }));
    }
}
