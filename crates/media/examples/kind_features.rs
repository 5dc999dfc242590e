//! Prints the features of the stretches of sound files, one JSON line a file: what
//! `tools/kind/train.py` learns from.

use jaunty_core::kind::stretches;
use jaunty_core::reading::keep_going;
use std::path::Path;

fn main() {
    for name in std::env::args().skip(1) {
        match jaunty_media::decode_to_sound(Path::new(&name)) {
            Ok(sound) => {
                let features = stretches(&sound, &mut keep_going()).expect("nobody cancels");
                println!("{}", serde_json::json!({ "file": name, "stretches": features }));
            }
            Err(cause) => eprintln!("{name}: {cause}"),
        }
    }
}
