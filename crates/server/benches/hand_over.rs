//! What handing over takes, from the plan to the file as it is kept: a mix of 90 s, and stems of ten minutes with four
//! layers. Prints the memory that each of them fills at most, too.
//!
//!     cargo bench -p jaunty-server --profile dev     the build that ./start makes

use criterion::{BatchSize, Criterion, SamplingMode, criterion_group, criterion_main};
use jaunty_core::cut::{Setup, Take, UsedSound, Work};
use jaunty_core::handover::{Form, SoundForm};
use jaunty_core::picture::Picture;
use jaunty_core::plan::{AmbienceWish, Role};
use jaunty_core::sound::Sound;
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_core::voice::Piece;
use jaunty_demo::{LINES, beds, narration, rooms};
use jaunty_e2e::Database;
use jaunty_media::write_wav;
use jaunty_server::Settings;
use jaunty_server::studio::{Report, Studio};
use std::path::Path;
use std::time::{Duration, Instant};
use tempfile::TempDir;
use tokio::runtime::Runtime;
use uuid::Uuid;

const MINUTE_SAMPLES: u64 = 60 * 48_000;

/// A planned cut of so many seconds: a bed, a narration, and so many ambiences.
async fn cut(studio: &Studio, folder: &Path, length_s: u64, ambience_count: usize) -> Uuid {
    let path = folder.join("sound.wav");
    let keep = async |sound: Sound| {
        write_wav(&path, &sound).unwrap();
        studio.take_in_file(&path, "sound.wav", "wav").await.unwrap()
    };
    let bed = keep(beds::copper_escapement().play().unwrap().sound).await;
    let voice = keep(narration(&LINES[..8], 60.0).unwrap()).await;
    let length = CutLength::new(FrameRate::new(25, 1, false).unwrap(), length_s * 25).unwrap();
    let mut setup = Setup::new("Handed over", Picture::new(length));
    setup.add_candidate(&bed, "bed.wav", None);
    setup.bed = Some(UsedSound { hash: bed.clone(), name: "bed.wav".into() });
    setup.takes.push(Take::new(&voice, "voice.wav"));
    for start in (0..length_s * 48_000).step_by(MINUTE_SAMPLES as usize) {
        let end = MINUTE_SAMPLES.min(length_s * 48_000 - start);
        setup.pieces.push(Piece { sound: voice.clone(), source_start_samples: 0, source_end_samples: end, cut_start_samples: start, scratch: None });
    }
    let mut work = vec![(voice, Role::Narration), (bed, Role::Bed)];
    for room in [rooms::workshop(), rooms::square()].into_iter().take(ambience_count) {
        let hash = keep(room.sound).await;
        setup.ambiences.push(AmbienceWish::new(&hash, room.title, 14.0));
        work.push((hash, Role::Ambience));
    }
    let id = studio.new_cut(&setup).await.unwrap();
    for (sound, role) in work {
        studio.perform(id, &Work::Read { sound, role }, Report::default()).await.unwrap();
    }
    studio.plan(id).await.unwrap();
    id
}

/// The memory that this process has filled and not mapped from files, in MB.
fn memory_mb() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let kb = status.lines().find_map(|line| line.strip_prefix("RssAnon:")?.trim().strip_suffix(" kB")?.parse::<u64>().ok());
    kb.unwrap_or(0) / 1000
}

fn benches(criterion: &mut Criterion) {
    let runtime = Runtime::new().unwrap();
    let (database, folder) = (runtime.block_on(Database::fresh()).unwrap(), TempDir::new().unwrap());
    let settings = Settings::new(&database.url(), folder.path(), Path::new(env!("CARGO_BIN_EXE_jaunty")));
    let studio = runtime.block_on(Studio::open(&settings)).unwrap();
    let mut group = criterion.benchmark_group("hand over");
    group.sample_size(10).measurement_time(Duration::from_secs(20)).sampling_mode(SamplingMode::Flat);
    let cases =
        [("mix of 90 s", 90, 0, Form::Mix { sound: SoundForm::default() }), ("stems of ten minutes, four layers", 600, 2, Form::Stems { with_tail: false })];
    for (name, length_s, ambience_count, form) in cases {
        let id = runtime.block_on(cut(&studio, folder.path(), length_s, ambience_count));
        // What was made before would be there at once.
        let forget = || runtime.block_on(async { sqlx::query("DELETE FROM handed").execute(&studio.pool).await.unwrap() });
        group.bench_function(name, |bencher| {
            bencher.iter_batched(forget, |_| runtime.block_on(studio.hand_over_here(id, form)).unwrap(), BatchSize::PerIteration);
        });
        forget();
        let before = memory_mb();
        let begun = Instant::now();
        let most = std::thread::scope(|scope| {
            let made = scope.spawn(|| runtime.block_on(studio.hand_over_here(id, form)).unwrap());
            let mut most = before;
            while !made.is_finished() {
                std::thread::sleep(Duration::from_millis(5));
                most = most.max(memory_mb());
            }
            most
        });
        println!("{name}: {:.2} s once, {} MB more than the {before} before", begun.elapsed().as_secs_f64(), most - before);
    }
}

criterion_group!(all, benches);
criterion_main!(all);
