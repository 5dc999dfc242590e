use super::*;

#[test]
fn the_best_grid_of_one_tempo_is_found_to_a_frame_over_a_minute() {
    // No whole number of frames apart, and the path slides over to the off-beats.
    let at = |beat: usize, off: f64| ((beat as f64 + off) * 47.3).round() as usize;
    let mut odds = vec![-3.0; 6000];
    (0..126).for_each(|beat| odds[at(beat, 0.0) - 1.min(at(beat, 0.0))..=at(beat, 0.0) + 1].fill(2.0));
    let path: Vec<usize> = (0..60).map(|k| at(k, 0.0)).chain((60..125).map(|k| at(k, 0.5))).collect();
    let (earned, beats) = steady(&odds, &path).unwrap();
    let off = |frame: usize| (frame as f64 / 47.3 - (frame as f64 / 47.3).round()).abs() * 47.3;
    assert!(beats.iter().all(|frame| off(*frame) <= 2.0), "{beats:?}");
    assert!(earned > 1.9 * beats.len() as f32, "{earned} of {}", 2 * beats.len());
}

#[test]
fn a_piece_made_to_a_clock_does_not_slide_to_its_off_beats() {
    // A beat a second for two minutes; in the first the off-beats are heard better than the beats.
    let mut heard = Activations::of_beats(vec![0.01; 6000], vec![0.01; 6000]);
    for k in 0..119 {
        let (on, off) = if k < 60 { (0.4, 0.7) } else { (0.8, 0.3) };
        (heard.beat[50 * k], heard.beat[50 * k + 25]) = (on, off);
    }
    let span = (0, 12_000);
    let at_60 = |path: &&BeatPath| (tempo(&path.beats_s) - 60.0).abs() < 1.0;
    let all = paths(&heard, span);
    let free = all.iter().find(at_60).unwrap();
    let off = |path: &BeatPath| path.beats_s.iter().filter(|s| (*s - s.round()).abs() > 0.2).count();
    assert!(off(free) > 40, "the free path slides: {} of {}", off(free), free.beats_s.len());
    let clocked = to_a_clock(free.clone(), &heard, span);
    assert_eq!(off(&clocked), 0, "{:?}", clocked.beats_s);
    // A tempo that grows steadily is no clock.
    let mut at = 10.0;
    let mut growing = Activations::of_beats(vec![0.01; 6000], vec![0.01; 6000]);
    for k in 0..150 {
        growing.beat[at as usize] = 0.9;
        at += 40.0 - 0.06 * f64::from(k);
    }
    let path = paths(&growing, span).swap_remove(0);
    assert_eq!(to_a_clock(path.clone(), &growing, span), path);
}

#[test]
fn taps_beside_the_beats_are_told_from_taps_on_them() {
    let beats: Vec<f64> = (0..40).map(|k| 0.5 * f64::from(k)).collect();
    let taps = |off: f64, shake: f64| (4..12).map(|k| 0.5 * f64::from(k) + off + if k % 2 == 0 { shake } else { -shake }).collect::<Vec<f64>>();
    assert_eq!(tapped_beside(&beats, &taps(0.03, 0.02)), None, "on them, a little late");
    assert!((tapped_beside(&beats, &taps(0.2, 0.02)).unwrap() - 0.4).abs() < 0.01);
    assert!((tapped_beside(&beats, &taps(-0.15, 0.02)).unwrap() + 0.3).abs() < 0.01);
    for shake in [0.06, 0.12] {
        assert_eq!(tapped_beside(&beats, &taps(0.2, shake)), None, "here and there, by {shake} s");
    }
    assert_eq!(tapped_beside(&beats, &taps(0.2, 0.0)[..3]), None, "hardly at all");
    assert_eq!(tapped_beside(&[], &taps(0.2, 0.0)), None);
}
