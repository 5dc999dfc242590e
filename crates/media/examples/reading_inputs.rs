//! Writes what the network of the reading hears of sound files, beside each as `.f32`
//! (little-endian): what `tools/reading/train.py` learns from.

use std::io::Write;
use std::path::Path;

fn main() {
    for name in std::env::args().skip(1) {
        let sound = jaunty_media::decode_to_sound(Path::new(&name)).expect("a sound file");
        let (_, inputs) = jaunty_core::reading::network_inputs(&sound);
        let mut file = std::io::BufWriter::new(std::fs::File::create(format!("{name}.f32")).expect("a folder to write to"));
        for value in inputs {
            file.write_all(&value.to_le_bytes()).expect("room on the disk");
        }
    }
}
