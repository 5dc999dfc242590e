//! Prints how long each pitch class sounds, one JSON line a piece: for each file of inputs of the network, as
//! `reading_inputs` writes them. What `tools/reading/key.py` learns from.

fn main() {
    for name in std::env::args().skip(1) {
        let bytes = std::fs::read(&name).expect("a file of inputs");
        let inputs: Vec<f32> = bytes.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect();
        println!("{}", serde_json::json!({ "file": name, "classes": jaunty_core::reading::key_classes(&inputs) }));
    }
}
