//! Figures of the whole, single objects by hand, ambiences, the pocket and the master, measured on
//! what is rendered.

use super::music::{Piece, voice};
use jaunty_core::cut::{Change, Cut, Effect, Film, FilmChange, LevelsChange, Readings, Setup, UsedSound, VoiceChange, Work, scene};
use jaunty_core::fit::{FitRequest, Fitting, Passage, Pin, fittings};
use jaunty_core::mix::{Hear, Heard, master, meters, render};
use jaunty_core::picture::{Line, Picture};
use jaunty_core::plan::{AmbienceInput, AmbienceWish, BedAgainst, BedInput, FilmInput, FilmWish, Inputs, PieceInput, Plan, Role, SpeechRule, propose};
use jaunty_core::reading::{keep_going, read_bed};
use jaunty_core::shape::pocket::PocketWish;
use jaunty_core::shape::{Closing, Entry, FadeShape, GainCurve, LevelChange, LevelError, LevelName, LevelObject, Opening, ShapeWishes, Slope, entry, sweep};
use jaunty_core::sound::loudness::{block_energies, lufs_from_energy, measure, true_peak_dbtp};
use jaunty_core::sound::{Sound, Source};
use jaunty_core::speech::{Phrase, SpeechReading, read_speech, without_noise};
use jaunty_core::units::{CutLength, FrameRate};
use jaunty_core::voice::{Piece as VoicePiece, move_after, take_out};
use proptest::prelude::*;
use std::collections::HashMap;
use std::sync::LazyLock;

pub const S: u64 = 48_000;
pub const LENGTH: u64 = 60 * S;
const PHRASES: [(f64, f64); 4] = [(6.0, 10.0), (16.0, 24.0), (34.0, 36.5), (44.0, 50.0)];

pub struct Scene {
    pub bed: Sound,
    pub lines: Vec<u64>,
    pub fitting: Fitting,
    pub voice: Sound,
    pub speech: SpeechReading,
    pub room: Sound,
}

pub static SCENE: LazyLock<Scene> = LazyLock::new(|| {
    let bed = Piece::pop(104.0, 48).make().sound;
    let voice = voice(60.0, &PHRASES, 0.12);
    let read = read_bed(&bed, &mut keep_going()).unwrap();
    let fitting = fittings(&bed, &read.reading, &read.likeness, &FitRequest::of_length(LENGTH)).remove(0);
    let speech = read_speech(&voice, &mut keep_going()).unwrap();
    // A room of 11 s: noise that is not the same in both channels.
    let noise = |seed: u32| {
        let mut state = seed;
        (0..11 * S).map(move |_| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            0.05 * (state as f32 / u32::MAX as f32 - 0.5)
        })
    };
    let room = Sound::new(vec![noise(1).collect(), noise(2).collect()]);
    Scene { bed, lines: read.reading.bar_lines_samples(), fitting, voice, speech, room }
});

pub fn plan(shape: &ShapeWishes, ambiences: &[AmbienceWish], before: &[LevelObject]) -> Plan {
    let s = &*SCENE;
    let piece = VoicePiece::whole("voice", s.voice.len_samples());
    let narration = [PieceInput { piece: &piece, source: &s.voice, reading: &s.speech }];
    let ambiences: Vec<AmbienceInput<'_>> = ambiences.iter().map(|wish| AmbienceInput { wish, source: &s.room }).collect();
    let bed = BedInput { sound: "bed", source: &s.bed, fitting: &s.fitting, bar_lines_samples: &s.lines, before };
    propose(Inputs { length_samples: LENGTH, beds: &[bed], narration: &narration, shape: Some(shape), ambiences: &ambiences, ..Inputs::default() })
}

pub fn sounds(name: &str) -> Option<&'static dyn Source> {
    Some(match name {
        "bed" => &SCENE.bed,
        "voice" => &SCENE.voice,
        _ => &SCENE.room,
    })
}

pub fn hear(plan: &Plan, hear: Hear) -> Sound {
    render(plan, &sounds, 0..LENGTH, hear).unwrap()
}

pub fn level_db(sound: &Sound, from_s: f64, to_s: f64) -> f64 {
    let range = (from_s * S as f64) as usize..(to_s * S as f64) as usize;
    let power: f64 = sound.channels().iter().flat_map(|c| &c[range.clone()]).map(|x| f64::from(x * x)).sum();
    10.0 * (power / (2 * range.len()) as f64 + 1e-20).log10()
}

/// Loudness difference of voice and bed while somebody speaks.
fn apart(plan: &Plan) -> f64 {
    let (voice, bed) = (block_energies(&hear(plan, Hear::Voice)), block_energies(&hear(plan, Hear::Bed)));
    let spoken: Vec<usize> = PHRASES.iter().flat_map(|&(a, b)| (a * 10.0) as usize..(b * 10.0) as usize).collect();
    let mean = |of: &[f64]| spoken.iter().map(|&k| of[k]).sum::<f64>() / spoken.len() as f64;
    lufs_from_energy(mean(&voice)) - lufs_from_energy(mean(&bed))
}

#[test]
fn the_bed_lies_as_far_under_the_voice_as_asked() {
    for under in [12.0, 20.0, 26.0, 32.0] {
        let made = plan(&ShapeWishes { under_speech_db: under, ..ShapeWishes::default() }, &[], &[]);
        assert!((apart(&made) - under).abs() < 0.8, "{under} asked, {:.2} measured", apart(&made));
    }
}

#[test]
fn the_bed_rises_by_what_was_asked_however_little_and_not_at_all_by_nothing() {
    for (under, alone) in [(20.0, 7.0), (10.0, 7.0), (9.0, 8.0), (10.0, 10.0), (7.0, 10.0)] {
        let made = plan(&ShapeWishes { under_speech_db: under, alone_db: alone, ..ShapeWishes::default() }, &[], &[]);
        let levels = &made.bed().unwrap().levels;
        let alone_for: Vec<f64> =
            levels.iter().filter_map(|o| if let LevelObject::Swell { under_speech_db, .. } = *o { Some(under_speech_db) } else { None }).collect();
        // Before the first words, three gaps, and behind the last.
        assert_eq!(alone_for, vec![alone; if under > alone { 5 } else { 0 }], "{under} under, {alone} alone");
    }
}

#[test]
fn without_a_voice_the_bed_lies_under_the_films_own_sound_and_without_that_at_a_loudness() {
    let s = &*SCENE;
    let bed = BedInput { sound: "bed", source: &s.bed, fitting: &s.fitting, bar_lines_samples: &s.lines, before: &[] };
    let lufs_of = |plan: &Plan, what: Hear| measure(&hear(plan, what)).integrated_lufs.unwrap();
    let made = |shape: &ShapeWishes, wish: Option<&FilmWish>| {
        let film = wish.map(|wish| FilmInput { sound: "room", wish, source: &s.room, talk: None, until_samples: LENGTH });
        propose(Inputs { length_samples: LENGTH, beds: &[bed], film, shape: Some(shape), ..Inputs::default() })
    };
    let room = measure(&s.room).integrated_lufs.unwrap();
    for (alone_db, gain_db) in [(7.0, 0.0), (3.0, 0.0), (12.0, -6.0)] {
        let plan = made(&ShapeWishes { alone_db, ..ShapeWishes::default() }, Some(&FilmWish { gain_db, ..FilmWish::default() }));
        let under = room + gain_db - lufs_of(&plan, Hear::Bed);
        assert!(plan.bed_against == BedAgainst::Film && (under - alone_db).abs() < 1.0, "{alone_db} asked, {under:.1} under the film's sound");
    }
    // What nobody hears is nothing to lie under, nor is what is heard in a part of the cut.
    let (hardly, partly) =
        (FilmWish { gain_db: -60.0, ..FilmWish::default() }, FilmWish { place: Some(Passage { start_samples: 0, end_samples: S }), ..FilmWish::default() });
    for film in [None, Some(&hardly), Some(&partly)] {
        for bed_alone_lufs in [-23.0, -16.0, -35.0] {
            let plan = made(&ShapeWishes { bed_alone_lufs, ..ShapeWishes::default() }, film);
            let lufs = lufs_of(&plan, Hear::Bed);
            assert!(plan.bed_against == BedAgainst::Itself && (lufs - bed_alone_lufs).abs() < 1.0, "{bed_alone_lufs} asked, {lufs:.1}");
        }
    }
    assert_eq!(plan(&ShapeWishes::default(), &[], &[]).bed_against, BedAgainst::Voice);
}

#[test]
fn tops_of_swells_prefer_downbeats() {
    let made = plan(&ShapeWishes::default(), &[], &[]);
    let downbeats: Vec<u64> = SCENE.fitting.bar_lines(&SCENE.lines).iter().map(|l| l.0).collect();
    let tops: Vec<u64> = made
        .bed()
        .unwrap()
        .levels
        .iter()
        .filter_map(|o| match o {
            LevelObject::Swell { start_samples, rise_samples, .. } if *rise_samples > 0 => Some(start_samples + rise_samples),
            _ => None,
        })
        .collect();
    let on = tops.iter().filter(|t| downbeats.contains(t)).count();
    assert!(tops.len() >= 3 && on >= tops.len() / 2, "{on} of {} tops on downbeats", tops.len());
}

#[test]
fn staged_slopes_go_a_quarter_of_their_way_in_three_fifths_of_their_time() {
    let swell = |rise_slope, fall_slope| LevelObject::Swell {
        start_samples: 0,
        end_samples: 10 * S,
        rise_samples: 3 * S,
        fall_samples: 3 * S,
        gain_db: 12.0,
        under_speech_db: 7.0,
        rise_slope,
        fall_slope,
        by_hand: true,
    };
    // Common practice, no source: a staged fall goes quickly until about three quarters, then slowly; a staged rise is its mirror.
    let curve = GainCurve::of(&[swell(Slope::GentlyThenSharply, Slope::SharplyThenGently)]);
    assert!((curve.level_db(18 * S / 10) - 3.0).abs() < 0.01, "the rise: {}", curve.level_db(18 * S / 10));
    assert!((curve.level_db(7 * S + 12 * S / 10) - 3.0).abs() < 0.01, "the fall: {}", curve.level_db(7 * S + 12 * S / 10));
    let plain = GainCurve::of(&[swell(Slope::One, Slope::One)]);
    assert!((plain.level_db(15 * S / 10) - 6.0).abs() < 0.01 && plain.level_db(5 * S) == 12.0);
}

#[test]
fn fades_have_the_shapes_that_they_are_named_after() {
    let half = |shape| {
        let fade = LevelObject::FadeIn { start_samples: 0, length_samples: 2 * S, shape, by_hand: true };
        GainCurve::of(&[fade]).gain(S)
    };
    assert!((half(FadeShape::Linear) - 0.5).abs() < 1e-9 && (half(FadeShape::S) - 0.5).abs() < 1e-9);
    // Equal power: both sides of a cross at its middle are 3.01 dB down.
    assert!((20.0 * half(FadeShape::EqualPower).log10() + 3.01).abs() < 0.01);
    assert!((20.0 * half(FadeShape::LinearDb).log10() + 30.0).abs() < 0.01, "half of 60 dB");
}

#[test]
fn one_phrase_is_emphasised_and_nothing_else_changes() {
    let plain = plan(&ShapeWishes::default(), &[], &[]);
    let phrase = plain.phrases[1].clone();
    let before = [LevelObject::Emphasis { start_samples: phrase.start_samples, end_samples: phrase.end_samples, deeper_db: 6.0 }];
    let emphasised = plan(&ShapeWishes::default(), &[], &before);
    let (a, b) = (hear(&plain, Hear::Bed), hear(&emphasised, Hear::Bed));
    assert!((level_db(&a, 18.0, 22.0) - level_db(&b, 18.0, 22.0) - 6.0).abs() < 0.05);
    let outside = |sound: &Sound| [&sound.channels()[0][..15 * S as usize], &sound.channels()[0][26 * S as usize..]].concat();
    assert!(outside(&a) == outside(&b));
}

#[test]
fn what_was_set_by_hand_stays_when_the_figures_change_and_can_be_given_back() {
    let mut first = plan(&ShapeWishes::default(), &[], &[]);
    let index = first
        .bed()
        .unwrap()
        .levels
        .iter()
        .position(|o| matches!(o, LevelObject::Swell { rise_samples, fall_samples, .. } if *rise_samples > 0 && *fall_samples > 0))
        .unwrap();
    let change = LevelChange { under_speech_db: Some(11.0), rise_s: Some(0.8), rise_slope: Some(Slope::GentlyThenSharply), ..LevelChange::default() };
    first.change_level(named(&first, index), &change).unwrap();
    let set = first.bed().unwrap().levels[index].clone();
    let softer = ShapeWishes { alone_db: 9.0, under_speech_db: 24.0, ..ShapeWishes::default() };
    let again = plan(&softer, &[], &first.bed().unwrap().levels);
    let kept = &again.bed().unwrap().levels[index];
    assert!(
        matches!(kept, LevelObject::Swell { under_speech_db, rise_samples: 38_400, rise_slope: Slope::GentlyThenSharply, by_hand: true, .. } if *under_speech_db == 11.0),
        "{set:?} {kept:?}"
    );
    // Given back, it follows the rule again.
    let mut objects = first.bed().unwrap().levels.clone();
    objects.remove(index);
    let back = plan(&softer, &[], &objects);
    assert!(!back.bed().unwrap().levels[index].by_hand());
    // A rise that is longer than its swell is refused.
    assert!(first.change_level(named(&first, index), &LevelChange { rise_s: Some(50.0), ..LevelChange::default() }).is_err());
}

/// The name of a level object of the bed at hand.
fn named(plan: &Plan, index: usize) -> LevelName {
    LevelName::of(&plan.bed().unwrap().levels[index]).unwrap()
}

fn ambience(rule: SpeechRule) -> AmbienceWish {
    AmbienceWish { rule, ..AmbienceWish::new("room", "workshop", 14.0) }
}

#[test]
fn ambiences_keep_their_rule_for_speech() {
    let speaking = (18.0, 22.0);
    let silent = (28.0, 31.0);
    let levels = |rule| {
        let heard = hear(&plan(&ShapeWishes::default(), &[ambience(rule)], &[]), Hear::Ambiences);
        (level_db(&heard, silent.0, silent.1), level_db(&heard, speaking.0, speaking.1))
    };
    let (base, same) = levels(SpeechRule::Untouched);
    assert!((base - same).abs() < 0.3, "untouched: {base} and {same}");
    let (between, under) = levels(SpeechRule::Out);
    assert!((between - base).abs() < 0.3 && under < base - 80.0, "out: {between} and {under}");
    let (between, under) = levels(SpeechRule::Low);
    assert!((between - base).abs() < 0.3 && (base - under - 9.0).abs() < 0.4, "low: {between} and {under}");
    let (between, under) = levels(SpeechRule::OnlyUnder);
    assert!(between < base - 80.0 && (under - base).abs() < 0.3, "only under: {between} and {under}");
}

#[test]
fn an_ambience_goes_on_without_a_seam_and_ends_where_it_was_told() {
    let wish = AmbienceWish { start_samples: 5 * S, end_samples: Some(55 * S), ..ambience(SpeechRule::Untouched) };
    let heard = hear(&plan(&ShapeWishes::default(), &[wish], &[]), Hear::Ambiences);
    let tenths: Vec<f64> = (70..530).map(|k| level_db(&heard, f64::from(k) / 10.0, f64::from(k + 1) / 10.0)).collect();
    let mean = tenths.iter().sum::<f64>() / tenths.len() as f64;
    // Eleven seconds last fifty, and no tenth of a second tells where a turn began.
    let worst = tenths.iter().map(|t| (t - mean).abs()).fold(0.0, f64::max);
    assert!(worst < 0.7, "{worst:.2} dB off");
    assert!(level_db(&heard, 0.0, 4.9) < -100.0 && level_db(&heard, 55.01, 60.0) < -100.0);
}

#[test]
fn stems_sum_to_the_mix_and_any_range_is_that_of_the_whole() {
    let shape = ShapeWishes { pocket: Some(PocketWish::NARROW), even_voice: true, ..ShapeWishes::default() };
    let mut made = plan(&shape, &[ambience(SpeechRule::Low)], &[]);
    made.master = master(&made, &sounds, -16.0).unwrap();
    let whole = hear(&made, Hear::Everything);
    let stems = [Hear::Bed, Hear::Voice, Hear::Film, Hear::Ambiences].map(|h| hear(&made, h));
    // Null test: the difference lies below -120 dBFS.
    for channel in 0..2 {
        let worst = (0..LENGTH as usize)
            .map(|k| (whole.channels()[channel][k] - stems.iter().map(|s| s.channels()[channel][k]).sum::<f32>()).abs())
            .fold(0.0, f32::max);
        assert!(worst < 1e-6, "{worst}");
    }
    for (from, to) in [(0, 1), (7 * S + 1, 9 * S), (16 * S - 77, 16 * S + 77), (LENGTH - 5, LENGTH)] {
        let part = render(&made, &sounds, from..to, Hear::Everything).unwrap();
        assert!(part.channels()[0] == whole.channels()[0][from as usize..to as usize] || SCENE.fitting.speed != 1.0, "{from}..{to}");
    }
}

#[test]
fn the_whole_comes_to_the_loudness_that_was_asked_for() {
    for target in [-23.0, -16.0] {
        let mut made = plan(&ShapeWishes::default(), &[], &[]);
        made.master = master(&made, &sounds, target).unwrap();
        let told = made.master.unwrap();
        let heard = hear(&made, Hear::Everything);
        let measured = measure(&heard).integrated_lufs.unwrap();
        assert!((measured - (target - told.held_back_db)).abs() < 0.1, "{target}: {measured}");
        assert!(true_peak_dbtp(&heard).unwrap() < -0.9, "the guard keeps the peaks");
    }
    // What cannot be reached is said.
    let mut loud = plan(&ShapeWishes::default(), &[], &[]);
    loud.master = master(&loud, &sounds, -4.0).unwrap();
    assert!(loud.master.unwrap().held_back_db > 3.0);
}

#[test]
fn uneven_phrases_are_brought_together_and_what_stays_uneven_is_told() {
    let s = &*SCENE;
    // The second and the fourth phrase softer by so much: common practice raises a voice by 12 dB and no more.
    for (softer_db, apart_then) in [(6.0, 0.0..1.5), (9.0, 0.0..1.5), (20.0, 6.5..10.0)] {
        let mut voice = s.voice.clone();
        for (from, to) in [(15.0, 25.0), (43.0, 51.0)] {
            let gain = 10f32.powf(-softer_db / 20.0);
            for plane in voice.channels_mut() {
                plane[(from * S as f64) as usize..(to * S as f64) as usize].iter_mut().for_each(|x| *x *= gain);
            }
        }
        let speech = read_speech(&voice, &mut keep_going()).unwrap();
        let piece = VoicePiece::whole("voice", voice.len_samples());
        let narration = [PieceInput { piece: &piece, source: &voice, reading: &speech }];
        let heard = |even_voice| {
            let shape = ShapeWishes { even_voice, ..ShapeWishes::default() };
            let made = propose(Inputs { length_samples: LENGTH, narration: &narration, shape: Some(&shape), ..Inputs::default() });
            let sound = render(&made, &|_| Some(&voice as &dyn Source), 0..LENGTH, Hear::Voice).unwrap();
            let levels: Vec<f64> = PHRASES.iter().map(|p| level_db(&sound, p.0 + 0.3, p.1 - 0.3)).collect();
            let apart = levels.iter().copied().fold(f64::MIN, f64::max) - levels.iter().copied().fold(f64::MAX, f64::min);
            (apart, made.uneven_db.unwrap())
        };
        let (before, told_before) = heard(false);
        let (after, told_after) = heard(true);
        assert!(before > f64::from(softer_db) - 1.0 && apart_then.contains(&after), "{softer_db} dB softer: {before:.1} dB apart, then {after:.1}");
        assert!((told_before - before).abs() < 1.5 && (told_after - after).abs() < 1.5, "told {told_before:.1} and {told_after:.1}");
    }
}

#[test]
fn the_bed_is_held_under_each_phrase_within_a_decibel() {
    let off = |hold_each_phrase| {
        let made = plan(&ShapeWishes { hold_each_phrase, ..ShapeWishes::default() }, &[], &[]);
        let told = meters(&made, &sounds).unwrap();
        assert_eq!(told.phrases.len(), made.phrases.len());
        told.phrases.iter().map(|p| (p.bed_under_db.unwrap() - p.asked_db.unwrap()).abs()).fold(0.0, f64::max)
    };
    let (breathes, held) = (off(false), off(true));
    assert!(held < 1.0 && held < breathes, "phrase by phrase at most {held:.2} dB off, {breathes:.2} without");
}

#[test]
fn the_meters_tell_what_is_there() {
    let made = plan(&ShapeWishes::default(), &[], &[]);
    let told = meters(&made, &sounds).unwrap();
    assert_eq!(told.momentary_lufs.len(), 600);
    let speaking: Vec<f32> = (190..240).filter_map(|k| told.voice_over_bed_db[k]).collect();
    assert!(speaking.len() > 40 && speaking.iter().all(|db| (17.0..27.0).contains(db)), "{speaking:?}");
    assert!(told.voice_over_bed_db[310].is_none(), "nobody speaks there");
    let whole = hear(&made, Hear::Everything);
    assert!((told.true_peak_dbtp.unwrap() - true_peak_dbtp(&whole).unwrap()).abs() < 1e-6);
    let heard = Heard::new(&made, &sounds, Hear::Everything).unwrap();
    assert_eq!((heard.len_samples(), made.layers.iter().filter(|l| l.role == Role::Bed).count()), (LENGTH, 1));
}

#[test]
fn a_passage_is_taken_out_and_room_is_made() {
    let piece =
        |from: u64, to: u64, at: u64| VoicePiece { source_start_samples: from, source_end_samples: to, cut_start_samples: at, ..VoicePiece::whole("a", 0) };
    let spans = |pieces: &[VoicePiece]| pieces.iter().map(|p| (p.source_start_samples, p.on_cut().start, p.on_cut().end)).collect::<Vec<_>>();
    let mut pieces = vec![piece(0, 1000, 0), piece(1000, 1500, 2000)];
    let mut lines: Vec<Line> = [100, 450, 750].map(|start_samples| Line { start_samples, words: String::new() }).to_vec();
    take_out(&mut pieces, &mut lines, 400..700);
    assert_eq!(lines.iter().map(|l| l.start_samples).collect::<Vec<_>>(), [100, 450], "words go with what was said");
    assert_eq!(spans(&pieces), [(0, 0, 400), (700, 400, 700), (1000, 1700, 2200)]);
    move_after(&mut pieces, &mut lines, 500, 250);
    assert_eq!(spans(&pieces), [(0, 0, 400), (700, 400, 500), (800, 750, 950), (1000, 1950, 2450)]);
    // Earlier only as far as there is room.
    move_after(&mut pieces, &mut lines, 1000, -5000);
    assert_eq!(spans(&pieces).last(), Some(&(1000, 950, 1450)));
}

/// The opening of a spoken show: the bed falls over four seconds, quickly until about three quarters
/// of the way, and the voice enters half-way through (common practice, no source).
#[test]
fn the_bed_opens_alone_and_falls_under_the_first_words_in_two_stages() {
    let opening = Opening::default();
    let made = plan(&ShapeWishes { opening: Some(opening), ..ShapeWishes::default() }, &[], &[]);
    let curve = GainCurve::of(&made.bed().unwrap().levels);
    let voice = made.phrases[0].start_samples;
    let (end, fall) = opening.fall(voice);
    assert_eq!((end, fall), (voice + 2 * S, 4 * S));
    let (top, under) = (curve.level_db(end - fall), curve.level_db(end));
    assert!((top - under - 13.0).abs() < 0.5, "13 dB between alone and under the voice: {:.2}", top - under);
    // Staged: three quarters of the way after two fifths of the time.
    let way = |share: f64| (top - curve.level_db(end - fall + (fall as f64 * share) as u64)) / (top - under);
    assert!((way(0.4) - 0.75).abs() < 0.02 && way(0.5) > 0.75, "{:.2} and {:.2}", way(0.4), way(0.5));
    assert_eq!(curve.level_db(S), top, "alone until then");
    // Nothing behind the opening is another.
    let plain = GainCurve::of(&plan(&ShapeWishes::default(), &[], &[]).bed().unwrap().levels);
    assert!((end..LENGTH).step_by(480).all(|at| curve.level_db(at) == plain.level_db(at)));
    // A voice that enters early leaves less time.
    assert_eq!(opening.fall(S), (3 * S, 3 * S));
    assert_eq!(Opening { enters: 1.0, ..opening }.fall(10 * S), (10 * S, 4 * S), "complete before the first syllable");
}

#[test]
fn the_bed_rises_behind_the_last_words_slowly_and_then_quickly() {
    let made = plan(&ShapeWishes { closing: Some(Closing::default()), ..ShapeWishes::default() }, &[], &[]);
    let last = made.phrases.last().unwrap().end_samples;
    let swell = made.bed().unwrap().levels.iter().find(|o| matches!(o, LevelObject::Swell { end_samples: LENGTH, .. })).unwrap();
    let LevelObject::Swell { start_samples, rise_samples, fall_samples, rise_slope, .. } = *swell else { unreachable!() };
    assert!(last - start_samples == S && fall_samples == 0, "from the last second of the words on, and it stays up");
    assert!(rise_samples.abs_diff(4 * S) <= 7 * S / 10 && rise_slope == Slope::GentlyThenSharply, "four seconds, or on a downbeat near: {rise_samples}");
    let curve = GainCurve::of(&made.bed().unwrap().levels);
    let level = |share: f64| curve.level_db(start_samples + (rise_samples as f64 * share) as u64);
    let way = |share: f64| (level(share) - level(0.0)) / (level(1.0) - level(0.0));
    assert!((way(0.6) - 0.25).abs() < 0.02, "{:.2} of the way after three fifths of the time", way(0.6));
    let behind = plan(&ShapeWishes { closing: Some(Closing { under_words_s: 0.0, ..Closing::default() }), ..ShapeWishes::default() }, &[], &[]);
    let begins =
        |plan: &Plan| plan.bed().unwrap().levels.iter().find_map(|o| matches!(o, LevelObject::Swell { end_samples: LENGTH, .. }).then(|| o.span().unwrap().0));
    assert!(begins(&behind).is_some_and(|at| at >= last && at < last + S / 2), "behind the last words, if that is asked for");
    // Said by its place: three seconds before the words are over.
    let mut cut = cut_of(made);
    say(&mut cut, LevelsChange::RiseFrom { at_samples: last - 3 * S, bed_samples: None });
    assert_eq!(begins(&plan(&cut.setup.shape, &[], &[])), Some(last - 3 * S));
    // With a place of the bed, which goes along when the close begins elsewhere.
    cut.setup.add_candidate("bed", "bed.wav", None);
    cut.setup.bed = Some(UsedSound { hash: "bed".into(), name: "bed.wav".into() });
    let pins = |cut: &Cut| cut.setup.wishes("bed").unwrap().pins.clone();
    let pin = |cut_samples| vec![Pin { bed_samples: 20 * S, cut_samples }];
    assert_eq!(say(&mut cut, LevelsChange::RiseFrom { at_samples: last - 2 * S, bed_samples: Some(20 * S) }), Effect::Refit);
    assert_eq!(pins(&cut), pin(last - 2 * S));
    assert_eq!(say(&mut cut, LevelsChange::RiseFrom { at_samples: last - 4 * S, bed_samples: None }), Effect::Refit);
    assert_eq!(pins(&cut), pin(last - 4 * S));
    assert!(ShapeWishes { closing: Some(Closing { rise_s: 31.0, ..Closing::default() }), ..ShapeWishes::default() }.check().is_err());
}

#[test]
fn the_voice_waits_for_a_downbeat_or_a_section() {
    let (downbeats, sections) = ([0, 2 * S, 4 * S, 6 * S, 8 * S], [0, 8 * S]);
    let at = |alone: u64, on| entry(alone, on, &downbeats, &sections);
    assert_eq!((at(3 * S, Entry::There), at(3 * S, Entry::Downbeat), at(3 * S, Entry::Section)), (Some(3 * S), Some(4 * S), Some(8 * S)));
    assert_eq!(at(4 * S + 1000, Entry::Downbeat), Some(4 * S), "a hair late is on it");
    assert_eq!((at(9 * S, Entry::Downbeat), at(9 * S, Entry::Section)), (None, None));
}

/// A film with a sound that is not heard yet.
pub fn film() -> Film {
    Film {
        hash: "film".into(),
        name: "film.mp4".into(),
        rate: FrameRate::new(25, 1, false).unwrap(),
        length_frames: 1500,
        first_frame: None,
        sound: Some("sound".into()),
        sound_on: false,
        wish: FilmWish::default(),
        talk: false,
        edits: Vec::new(),
        width_px: 4,
        height_px: 3,
    }
}

/// A cut that is nothing but a plan.
pub fn cut_of(plan: Plan) -> Cut {
    let length = CutLength::from_seconds(FrameRate::new(25, 1, false).unwrap(), 60.0).unwrap();
    Cut { plan, ..Cut::new(Setup::new("Levels", Picture::new(length))) }
}

fn say(cut: &mut Cut, change: LevelsChange) -> Effect {
    Change::Levels(change).apply(cut, &Readings::default()).unwrap()
}

/// One knob moves the whole curve: what was set by hand keeps its distance from what was not, and at the end of one figure
/// all of them stop.
#[test]
fn the_whole_curve_moves_and_keeps_its_shape() {
    let first = plan(&ShapeWishes::default(), &[], &[]);
    let dip = first.bed().unwrap().levels.iter().find(|o| matches!(o, LevelObject::Dip { .. })).and_then(LevelName::of).unwrap();
    let mut cut = cut_of(first);
    say(&mut cut, LevelsChange::Set { lane: None, levels: vec![dip], change: LevelChange { under_speech_db: Some(14.0), ..LevelChange::default() } });
    let curve = |cut: &Cut| GainCurve::of(&plan(&cut.setup.shape, &[], &cut.plan.bed().unwrap().levels).bed().unwrap().levels);
    for (by_db, moved) in [(3.0, -3.0), (-5.0, 2.0), (-100.0, 7.0), (100.0, -20.0)] {
        let start = curve(&cut);
        let was = cut.setup.shape.alone_db;
        say(&mut cut, LevelsChange::Balance { by_db });
        let by = was - cut.setup.shape.alone_db;
        let end = curve(&cut);
        let off = (0..LENGTH).step_by(4800).map(|at| (end.level_db(at) - start.level_db(at) - by).abs()).fold(0.0, f64::max);
        assert!(off < 1e-6, "{by_db} dB: the shape is {off} dB off");
        assert!((7.0 - cut.setup.shape.alone_db - moved).abs() < 1e-9, "{by_db}: {:?}", cut.setup.shape.alone_db);
    }
    assert_eq!(say(&mut cut, LevelsChange::Balance { by_db: 1.0 }), Effect::Unchanged(None), "there is no further");
    // One that was set further under by hand than a figure may lie does not hold the others.
    let deep = LevelChange { under_speech_db: Some(50.0), ..LevelChange::default() };
    say(&mut cut, LevelsChange::Balance { by_db: -5.0 });
    say(&mut cut, LevelsChange::Set { lane: None, levels: vec![dip], change: deep });
    assert_eq!(say(&mut cut, LevelsChange::Balance { by_db: 1.0 }), Effect::Reshape);
}

/// Talk in the film's own sound is speech: the bed lies as far under it as under a narration, its gaps get swells, and where a
/// narration speaks over it, that is what counts.
#[test]
fn the_talk_in_a_film_is_speech_where_that_is_asked_for() {
    let s = &*SCENE;
    let bed = BedInput { sound: "bed", source: &s.bed, fitting: &s.fitting, bar_lines_samples: &s.lines, before: &[] };
    let wish = FilmWish::default();
    let made = |talk: Option<&[Phrase]>, narration: &[PieceInput<'_>]| {
        let film = Some(FilmInput { sound: "voice", wish: &wish, source: &s.voice, talk, until_samples: LENGTH });
        propose(Inputs { length_samples: LENGTH, beds: &[bed], narration, film, ..Inputs::default() })
    };
    let plain = made(None, &[]);
    assert!(plain.phrases.is_empty() && plain.bed_against == BedAgainst::Film);
    let talk = made(Some(&s.speech.phrases), &[]);
    assert_eq!((talk.phrases.clone(), talk.bed_against), (s.speech.phrases.clone(), BedAgainst::Voice));
    let (film, under) = (block_energies(&hear(&talk, Hear::Film)), block_energies(&hear(&talk, Hear::Bed)));
    let spoken: Vec<usize> = PHRASES.iter().flat_map(|&(a, b)| (a * 10.0) as usize..(b * 10.0) as usize).collect();
    let mean = |of: &[f64]| lufs_from_energy(spoken.iter().map(|&k| of[k]).sum::<f64>() / spoken.len() as f64);
    let apart = mean(&film) - mean(&under);
    assert!((apart - 20.0).abs() < 0.8, "20 asked, {apart:.2} measured");
    let told = meters(&talk, &sounds).unwrap().phrases;
    assert!(told.len() == 4 && told.iter().all(|p| p.bed_under_db.is_some_and(|db| (12.0..28.0).contains(&db))), "{told:?}");
    assert!(talk.bed().unwrap().levels.iter().filter(|o| matches!(o, LevelObject::Swell { .. })).count() >= 4);
    // The same film beside a narrator who speaks over its second phrase only.
    let (from, to) = ((15.0 * S as f64) as u64, 25 * S);
    let piece = VoicePiece { sound: "other".into(), source_start_samples: from, source_end_samples: to, cut_start_samples: from, scratch: None };
    let both = made(Some(&s.speech.phrases), &[PieceInput { piece: &piece, source: &s.voice, reading: &s.speech }]);
    assert_eq!(both.phrases.len(), talk.phrases.len());
    assert_eq!(both.layers.iter().filter(|l| l.role == Role::Narration).count(), 1, "the film stays a layer of its own");
}

/// What somebody says about a phrase of the film is kept with the film, and its edges follow.
#[test]
fn phrases_of_a_film_are_corrected_like_those_of_a_take() {
    let mut cut = cut_of(plan(&ShapeWishes::default(), &[], &[]));
    let no_film = Change::Film(FilmChange::Talk { on: true }).apply(&mut cut, &Readings::default());
    assert!(no_film.is_err());
    cut.setup.film = Some(film());
    let effect = Change::Film(FilmChange::Talk { on: true }).apply(&mut cut, &Readings::default()).unwrap();
    assert_eq!(effect, Effect::Note(Some(Work::Read { sound: "sound".into(), role: Role::Narration })));
    assert_eq!(cut.setup.film.as_ref().unwrap().talks(), Some("sound"), "who wants it understood wants it heard");
    let first = cut.plan.phrases[0].clone();
    let middle = (first.start_samples + first.end_samples) / 2;
    Change::Voice(VoiceChange::NotSpeech { phrase: middle }).apply(&mut cut, &Readings::default()).unwrap();
    let speech = HashMap::from([("sound".to_owned(), SCENE.speech.clone())]);
    let before = SCENE.speech.phrases.len();
    assert_eq!((cut.setup.edits("sound").len(), scene(&cut.setup, &speech).phrases.len()), (1, before - 1));
    cut.setup.film.as_mut().unwrap().talk = false;
    assert!(scene(&cut.setup, &speech).phrases.is_empty());
}

/// "Low under speech" sinks by what its number says.
#[test]
fn what_is_low_sinks_by_its_number() {
    for lower_db in [0.0, 4.0, 9.0, 20.0] {
        let wish = AmbienceWish { lower_db, ..ambience(SpeechRule::Low) };
        let heard = hear(&plan(&ShapeWishes::default(), &[wish], &[]), Hear::Ambiences);
        let sunk = level_db(&heard, 28.0, 31.0) - level_db(&heard, 18.0, 22.0);
        assert!((sunk - lower_db).abs() < 0.4, "{lower_db} asked, {sunk:.2} measured");
    }
}

/// A passage by hand begins and ends over as long as somebody wants, in the same words as swells.
#[test]
fn a_sweep_eases_as_long_as_wanted() {
    let mut objects = plan(&ShapeWishes::default(), &[], &[]).bed().unwrap().levels.clone();
    let (from, to) = (11 * S, 15 * S);
    sweep(&mut objects, from, to, -8.0).unwrap();
    let change = |rise_s, fall_s, slope| LevelChange { rise_s: Some(rise_s), fall_s: Some(fall_s), rise_slope: Some(slope), ..LevelChange::default() };
    let plain = GainCurve::of(&plan(&ShapeWishes::default(), &[], &[]).bed().unwrap().levels);
    let mut by = |change: &LevelChange, at: u64| {
        objects.iter_mut().find(|o| matches!(o, LevelObject::Sweep { .. })).unwrap().change(change)?;
        Ok::<f64, LevelError>(GainCurve::of(&objects).level_db(at) - plain.level_db(at))
    };
    let long = change(2.0, 1.0, Slope::One);
    assert!((by(&long, from + S).unwrap() + 4.0).abs() < 1e-9, "half of it half-way down");
    assert!((by(&long, from + 2 * S).unwrap() + 8.0).abs() < 1e-9 && (by(&long, to - S / 2).unwrap() + 4.0).abs() < 1e-9);
    // Staged as swells are: a quarter of the way after three fifths of the time.
    assert!((by(&change(2.0, 1.0, Slope::GentlyThenSharply), from + 6 * S / 5).unwrap() + 2.0).abs() < 1e-9);
    assert!(by(&change(0.0, 0.0, Slope::One), from + 1).unwrap() < -7.99, "at once, where that is asked for");
    assert_eq!(by(&change(3.0, 1.5, Slope::One), from), Err(LevelError::Length));
}

/// "The drag changed more than I meant" is the complaint (common practice): a sweep is heard in its
/// passage and nowhere else.
#[test]
fn a_sweep_changes_its_passage_and_nothing_else() {
    let before = plan(&ShapeWishes::default(), &[], &[]);
    let mut objects = before.bed().unwrap().levels.clone();
    let (from, to) = (12 * S, 15 * S);
    sweep(&mut objects, from, to, -6.0).unwrap();
    let after = plan(&ShapeWishes::default(), &[], &objects);
    let (old, new) = (GainCurve::of(&before.bed().unwrap().levels), GainCurve::of(&after.bed().unwrap().levels));
    for at in (0..LENGTH).step_by(96) {
        let by = new.level_db(at) - old.level_db(at);
        let wanted = if (from..to).contains(&at) { -6.0..=0.0 } else { 0.0..=0.0 };
        assert!(wanted.contains(&by) || by.abs() < 1e-9, "{by} dB at {:.2} s", at as f64 / S as f64);
    }
    assert!((new.level_db(13 * S) - old.level_db(13 * S) + 6.0).abs() < 1e-9);
    let (a, b) = (hear(&before, Hear::Bed), hear(&after, Hear::Bed));
    let same = |range: std::ops::Range<u64>| range.map(|k| k as usize).all(|k| a.channels()[0][k] == b.channels()[0][k]);
    assert!(same(0..from - 64) && same(to + 64..LENGTH) && !same(from + S / 2..to), "to the sample, but for one step of the curve");
    // Again: it adds up, and back to nothing it is gone.
    sweep(&mut objects, from, to, 6.0).unwrap();
    assert!(!objects.iter().any(|o| matches!(o, LevelObject::Sweep { .. })));
    assert_eq!((sweep(&mut objects, from, from + 10, 1.0), sweep(&mut objects, from, to, 21.0)), (Err(LevelError::Passage), Err(LevelError::Sweep)));
}

/// The clip's own sound gives over to the bed: both at equal power, as two beds do.
#[test]
fn the_films_own_sound_hands_over_to_the_bed_and_keeps_out_of_the_speech() {
    let s = &*SCENE;
    let later = Fitting { start_samples: 10 * S, ..s.fitting.clone() };
    let bed = BedInput { sound: "bed", source: &s.bed, fitting: &later, bar_lines_samples: &[], before: &[] };
    let wish = FilmWish { gain_db: -3.0, rule: SpeechRule::Out, place: Some(Passage { start_samples: 0, end_samples: 14 * S }), ..FilmWish::default() };
    let film = Some(FilmInput { sound: "room", wish: &wish, source: &s.room, talk: None, until_samples: LENGTH });
    let piece = VoicePiece::whole("voice", s.voice.len_samples());
    let narration = [PieceInput { piece: &piece, source: &s.voice, reading: &s.speech }];
    let made = propose(Inputs { length_samples: LENGTH, beds: &[bed], narration: &narration, film, ..Inputs::default() });
    let own = made.layers.iter().find(|l| l.role == Role::Film).unwrap();
    let (film_curve, bed_curve) = (GainCurve::of(&own.levels), GainCurve::of(&made.bed().unwrap().levels));
    for at in (10 * S..14 * S).step_by(2400) {
        // Without what each does anyway: amplitudes whose powers add up to one (equal-power law).
        let share = |curve: &GainCurve| curve.gain(at) / 10f64.powf(curve.level_db(at) / 20.0);
        let power = share(&film_curve).powi(2) + share(&bed_curve).powi(2);
        assert!((power - 1.0).abs() < 1e-3, "{power} at {:.1} s", at as f64 / S as f64);
    }
    assert_eq!(film_curve.gain(15 * S), 0.0);
    assert!((film_curve.level_db(2 * S) + 3.0).abs() < 1e-9 && film_curve.level_db(8 * S) < -60.0, "out while somebody speaks");
    // All over the cut it gives over to nobody.
    let all = FilmWish::default();
    let film = Some(FilmInput { sound: "room", wish: &all, source: &s.room, talk: None, until_samples: LENGTH });
    let made = propose(Inputs { length_samples: LENGTH, beds: &[bed], film, ..Inputs::default() });
    let own = made.layers.iter().find(|l| l.role == Role::Film).unwrap();
    assert!((0..LENGTH).step_by(4800).all(|at| GainCurve::of(&own.levels).gain(at) == 1.0));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// A voice that comes later takes its objects with it, and what was set by hand goes along.
    #[test]
    fn objects_follow_the_narration(shift_tenths in 0u64..40, level in 2.0f64..18.0) {
        let s = &*SCENE;
        let at = |shift: u64, before: &[LevelObject]| {
            let piece = VoicePiece { cut_start_samples: shift, ..VoicePiece::whole("voice", s.voice.len_samples() - shift) };
            let narration = [PieceInput { piece: &piece, source: &s.voice, reading: &s.speech }];
            let bed = BedInput { sound: "bed", source: &s.bed, fitting: &s.fitting, bar_lines_samples: &[], before };
            propose(Inputs { length_samples: LENGTH, beds: &[bed], narration: &narration, ..Inputs::default() })
        };
        let shift = shift_tenths * 4800;
        let mut first = at(0, &[]);
        let index = first.bed().unwrap().levels.iter().position(|o| matches!(o, LevelObject::Dip { start_samples, .. } if *start_samples > 15 * S)).unwrap();
        first.change_level(named(&first, index), &LevelChange { under_speech_db: Some(level + 10.0), ..LevelChange::default() }).unwrap();
        let moved = at(shift, &first.bed().unwrap().levels);
        let (old, new) = (&first.bed().unwrap().levels[index], &moved.bed().unwrap().levels[index]);
        if let (LevelObject::Dip { start_samples: a, .. }, LevelObject::Dip { start_samples: b, under_speech_db, by_hand, .. }) = (old, new) {
            prop_assert_eq!(*b, a + shift);
            prop_assert!(*by_hand && (*under_speech_db - level - 10.0).abs() < 1e-9);
        } else {
            prop_assert!(false, "{:?} {:?}", old, new);
        }
    }
}

/// Steady noise goes down between the words and the words stay where they are. White noise 30 dB
/// under the voice: what it is taken down by is measured, not promised by the crate.
#[test]
fn steady_noise_goes_and_the_voice_stays_in_step() {
    let clean = voice(20.0, &[(2.0, 7.0), (11.0, 17.0)], 0.2);
    let mut state = 5u32;
    let noisy: Vec<f32> = clean.channels()[0]
        .iter()
        .map(|x| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            x + 0.01 * (state as f32 / u32::MAX as f32 - 0.5)
        })
        .collect();
    let noisy = Sound::new(vec![noisy]);
    let quiet = without_noise(&noisy, &mut keep_going()).unwrap();
    assert_eq!((quiet.len_samples(), quiet.channel_count()), (noisy.len_samples(), 1));
    let level = |sound: &Sound, from: f64, to: f64| {
        let part = &sound.channels()[0][(from * S as f64) as usize..(to * S as f64) as usize];
        10.0 * (part.iter().map(|x| f64::from(x * x)).sum::<f64>() / part.len() as f64 + 1e-20).log10()
    };
    let less = level(&noisy, 8.5, 10.5) - level(&quiet, 8.5, 10.5);
    assert!((10.0..=20.5).contains(&less), "{less:.1} dB less noise");
    assert!((level(&noisy, 3.0, 6.0) - level(&quiet, 3.0, 6.0)).abs() < 3.0, "the voice itself stays");
    // In step: the two are most alike when neither is moved.
    let alike = |lag: i64| {
        let at = |k: i64| k as usize;
        (3 * S as i64..4 * S as i64).map(|k| f64::from(noisy.channels()[0][at(k)]) * f64::from(quiet.channels()[0][at(k + lag)])).sum::<f64>()
    };
    let best = (-600..=600).max_by(|a, b| alike(*a).total_cmp(&alike(*b))).unwrap();
    assert!(best.abs() <= 2, "{best} samples off");
    assert!(without_noise(&noisy, &mut |_, _| false).is_err(), "it can be cancelled");
    assert!(without_noise(&Sound::new(vec![vec![f32::NAN; 2000]]), &mut keep_going()).unwrap().channels()[0].iter().all(|x| x.is_finite()));
}
