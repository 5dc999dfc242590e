//! Prints what is told of the bar lines of pieces whose bars are known, one JSON line a piece:
//! `SEED.json` with `downbeats`, beside it `SEED.f32` with the inputs of the network. What
//! `tools/reading/sections.py` learns from.

fn main() {
    for name in std::env::args().skip(1) {
        let truth: serde_json::Value = serde_json::from_str(&std::fs::read_to_string(&name).expect("a truth file")).expect("JSON");
        let bytes = std::fs::read(name.replace(".json", ".f32")).expect("inputs beside the truth");
        let inputs: Vec<f32> = bytes.as_chunks::<4>().0.iter().map(|c| f32::from_le_bytes(*c)).collect();
        let mut bar_lines: Vec<f64> = truth["downbeats"].as_array().expect("downbeats").iter().filter_map(serde_json::Value::as_f64).collect();
        // The last bar is as long as the one before.
        if let [.., a, b] = bar_lines[..] {
            bar_lines.push(2.0 * b - a);
        }
        println!("{}", serde_json::json!({ "file": name, "bar_lines": jaunty_core::reading::bar_line_features(&inputs, &bar_lines) }));
    }
}
