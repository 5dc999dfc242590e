//! Several fittings of one request that differ for the ear, each with a name that says how.

use super::FitRequest;
use super::ask::Ask;
use super::bed::HEAD_SAMPLES;
use super::exact::Exact;
use super::fitting::{Fitting, FittingEnd, FittingStart, Piece};
use super::planner::{Arrival, End, Played, Start};
use super::request::{Request, base_taste};
use super::scene::{Scene, SceneTables};
use super::taste::Taste;
use super::telling::{MET_SAMPLES, advice, bar_times, gives_up, missed_by, name_all, notes_of, why_first};
use super::wishes::{EndWish, Passage, StartWish, Wishes};
use jaunty_reading::reading::{BarLikeness, EndingKind, Reading};
use jaunty_sound::sound::{Looped, Source};
use jaunty_sound::splice::SpliceAt;
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use jaunty_units::units::CutLength;

/// As many alternatives are offered at most.
const MOST: usize = 8;
/// An alternative with a splice whose estimate is below this is none, unless there is no better.
const LEAST_GOODNESS: f32 = 0.6;
/// Alternatives differ when this share of the time sounds different.
const DIFFERENT: f32 = 0.15;
/// Bars less alike than this sound different.
const ALIKE: f32 = 0.8;
/// So many fittings may be one passage as it is, where there are enough others: an editor can cut one out alone.
const MOST_PASSAGES: usize = 2;
/// As many fittings are enough to choose from.
const ENOUGH: usize = 4;

/// What one alternative is after.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum After {
    Best,
    OwnEnding,
    FewSplices,
    Stop,
    Fade,
    Strong,
    Builds,
    Cold,
    Calm,
    OwnOrder,
}

const ALL: [After; 10] =
    [After::Best, After::OwnEnding, After::FewSplices, After::Strong, After::Stop, After::Builds, After::Cold, After::Fade, After::Calm, After::OwnOrder];

/// The ask and the weights of one alternative; `None` where the wishes leave it no room.
fn variant(after: After, wishes: &Wishes, ask: &Ask, base: Taste) -> Option<(Ask, Taste)> {
    let (mut ask, mut taste) = (ask.clone(), base);
    let (free_end, free_start) = (wishes.end == EndWish::Free, wishes.start == StartWish::Free);
    match after {
        After::Best => {}
        After::OwnEnding if free_end && ask.ends.own => (ask.ends.stop, ask.ends.fade) = (false, false),
        After::Stop if free_end => (ask.ends.own, ask.ends.fade) = (false, false),
        After::Fade if free_end => (ask.ends.own, ask.ends.stop) = (false, false),
        After::Cold if free_start => (ask.starts.top, ask.starts.pickup) = (false, false),
        After::FewSplices => taste.join = 2.0 * base.join + 1.0,
        After::Strong => taste.weak += 0.25,
        After::Calm => taste.strong += 0.25,
        After::Builds => taste.builds += 0.5,
        After::OwnOrder => taste.again += 1.0,
        _ => return None,
    }
    Some((ask, taste))
}

/// The fittings of a bed to a request, best first; at least one, at most eight.
///
/// A bed without at least two bars cannot be re-cut: the one fitting then plays it once, as far
/// as it goes, and says so in its notes. Wishes that cannot hold together are set aside one by
/// one, and every fitting says which and why.
pub fn fittings(bed: &dyn Source, reading: &Reading, likeness: &BarLikeness, request: &FitRequest) -> Vec<Fitting> {
    some_fittings(bed, reading, likeness, request, &ALL)
}

/// The best fitting alone, for while a length is being dragged.
pub fn quick_fitting(bed: &dyn Source, reading: &Reading, likeness: &BarLikeness, request: &FitRequest) -> Fitting {
    some_fittings(bed, reading, likeness, request, &ALL[..1]).swap_remove(0)
}

fn some_fittings(bed: &dyn Source, reading: &Reading, likeness: &BarLikeness, request: &FitRequest, which: &[After]) -> Vec<Fitting> {
    let place = request.place();
    let length = place.end_samples - place.start_samples;
    if reading.bar_count() < 2 || length == 0 || length > CutLength::MOST_SAMPLES {
        return vec![played_once(bed, reading, place)];
    }
    let likings = request.wishes.likings;
    let scene = Scene {
        phrases: request.scene.phrases.clone(),
        cuts: if likings.downbeats_on_cuts { request.scene.cuts.clone() } else { Vec::new() },
        hits: if likings.hits_on_moments { request.scene.hits.clone() } else { Vec::new() },
    };
    let tables = SceneTables::new(&scene, place.start_samples as i64, length as i64);
    let looped = Looped(bed);
    let bed: &dyn Source = if reading.is_loop() { &looped } else { bed };
    let mut job = Request { reading, likeness, wishes: request.wishes.clone(), place, scene: tables };
    let (aside, mut best) = job.settle();
    let base = base_taste(&job.wishes);
    let ask = job.ask(&job.wishes);
    let mut found: Vec<Fitting> = Vec::new();
    let mut passages: Vec<Fitting> = Vec::new();
    let mut played: Vec<Played> = Vec::new();
    let mut used: Vec<(usize, usize)> = Vec::new();
    for after in which {
        if found.len() == MOST {
            break;
        }
        let Some((mut ask, taste)) = variant(*after, &job.wishes, &ask, base) else { continue };
        ask.used_joins = used.clone();
        let plan = match after {
            After::Best => best.take(),
            _ => job.plan(&ask, taste, &played),
        };
        let Some(plan) = plan else { continue };
        let exact = Exact {
            bed,
            reading,
            likeness,
            ask: &ask,
            touches: &job.wishes.touches,
            place_start: place.start_samples,
            line_surprises: &reading.line_surprises,
            known: &[],
        };
        let fitting = exact.fitting(&plan);
        let poor = fitting.splices.iter().any(|s| s.goodness < LEAST_GOODNESS);
        let misses = ask.pins.iter().any(|pin| missed_by(&fitting, pin) > MET_SAMPLES);
        if !found.is_empty() && (poor || misses || found.iter().chain(&passages).any(|other| !differ(other, &fitting, likeness, &ask))) {
            continue;
        }
        if fitting.splices.is_empty() && found.iter().filter(|f| f.splices.is_empty()).count() >= MOST_PASSAGES {
            passages.push(fitting);
            continue;
        }
        let lines: Vec<(i64, usize)> = bar_times(&fitting, &ask).into_iter().map(|(at, bar)| (at as i64 - place.start_samples as i64, bar)).collect();
        played.push(Played::new(&lines, ask.bucket, ask.wanted));
        used.extend(plan.runs.windows(2).map(|w| (w[0].1, w[1].0)));
        found.push(fitting);
    }
    let missing = ENOUGH.saturating_sub(found.len());
    found.extend(passages.into_iter().take(missing));
    if found.is_empty() {
        found.push(played_once(bed, reading, place));
    }
    // The first stays first: the others pay for a taste of their own.
    found[1..].sort_by(|a, b| a.cost.total_cmp(&b.cost));
    name_all(&mut found, reading, &ask, &scene);
    let far = if which.len() > 1 { advice(&job, &ask, base, &found[0]) } else { None };
    if which.len() > 1 {
        let (first, others) = found.split_at_mut(1);
        first[0].why = why_first(&job, &ask, base, &first[0]);
        others.iter_mut().for_each(|other| other.why = gives_up(other, &first[0]));
    }
    for fitting in &mut found {
        let mut notes = aside.clone();
        notes.extend(notes_of(fitting, reading, &ask));
        notes.extend(far.clone());
        notes.append(&mut fitting.notes);
        fitting.notes = notes;
    }
    found
}

/// A fitting with the splices at `touched` as `request` has them by now, changed by hand or no longer; its runs and its
/// other splices stay.
pub fn retouched(bed: &dyn Source, reading: &Reading, likeness: &BarLikeness, request: &FitRequest, fitting: &Fitting, touched: &[SpliceAt]) -> Fitting {
    let place = request.place();
    if reading.bar_count() < 2 || fitting.pieces.is_empty() || fitting.end == FittingEnd::Silence {
        return fitting.clone();
    }
    let looped = Looped(bed);
    let bed: &dyn Source = if reading.is_loop() { &looped } else { bed };
    let ask = Ask::new(reading, &request.wishes, place.start_samples, place.end_samples - place.start_samples);
    let first = &fitting.pieces[0];
    let start = match fitting.start {
        FittingStart::Cold => Start::Cold(first.start_bar),
        FittingStart::FadeIn => Start::FadeIn(first.start_bar),
        FittingStart::Top => {
            let beats = reading.downbeats[0] + 1..reading.downbeats[1];
            let near = |beat: &usize| reading.beats_samples[*beat].abs_diff(first.source_start_samples.max(0) as u64 + HEAD_SAMPLES) < 100;
            beats.into_iter().find(near).map_or(Start::Top, Start::Pickup)
        }
    };
    let runs: Vec<(usize, usize)> = fitting.pieces.iter().map(|p| (p.start_bar, p.end_bar)).collect();
    let end = match fitting.end {
        FittingEnd::OwnEnding | FittingEnd::OwnFade => End::Own,
        FittingEnd::Stop => End::Stop(runs[runs.len() - 1].1),
        FittingEnd::Fade | FittingEnd::Silence => End::Fade,
    };
    let known: Vec<_> = fitting.splices.iter().filter(|s| !touched.contains(&s.at)).collect();
    let exact = Exact {
        bed,
        reading,
        likeness,
        ask: &ask,
        touches: &request.wishes.touches,
        place_start: place.start_samples,
        line_surprises: &reading.line_surprises,
        known: &known,
    };
    let made = exact.fitting(&Arrival { start, runs, end, cost: fitting.cost });
    Fitting { name: fitting.name.clone(), why: fitting.why.clone(), notes: fitting.notes.clone(), ..made }
}

/// Whether two fittings sound different: another end or start, or other bars for long enough.
fn differ(a: &Fitting, b: &Fitting, likeness: &BarLikeness, ask: &Ask) -> bool {
    if a.end != b.end || a.start != b.start {
        return true;
    }
    let at = |lines: &[(u64, usize)], time: u64| lines.partition_point(|l| l.0 <= time).checked_sub(1).map(|k| lines[k].1);
    let (one, two) = (bar_times(a, ask), bar_times(b, ask));
    let steps = (a.start_samples..a.end_samples()).step_by(ask.bucket.max(1) as usize);
    let (mut all, mut other) = (0, 0);
    for time in steps {
        all += 1;
        if let (Some(x), Some(y)) = (at(&one, time), at(&two, time)) {
            other += usize::from(likeness.of(x, y) < ALIKE);
        }
    }
    other as f32 > DIFFERENT * all.max(1) as f32
}

/// The bed once, from its first sound, as far as it goes.
fn played_once(bed: &dyn Source, reading: &Reading, place: Passage) -> Fitting {
    let wanted = place.end_samples - place.start_samples;
    let start = reading.music_start_samples.min(bed.len_samples());
    let has = reading.ending.music_end_samples.max(start) - start;
    let why = match reading.bar_count() {
        0 => message!("fitting.once.noBars"),
        1 => message!("fitting.once.oneBar"),
        _ if wanted > CutLength::MOST_SAMPLES => message!("fitting.once.tooLong"),
        _ => message!("fitting.once.noFitting"),
    };
    let (end, note) = if has >= wanted {
        (FittingEnd::Fade, message!("fitting.once.faded", why = why, seconds = Fact::length(wanted)))
    } else {
        (FittingEnd::Silence, message!("fitting.once.silent", why = why, length = Fact::length(has), silence = Fact::length(wanted - has)))
    };
    let own_hit = end == FittingEnd::Silence && reading.ending.kind == EndingKind::OwnEnding;
    Fitting {
        start_samples: place.start_samples,
        length_samples: wanted,
        pieces: vec![Piece {
            start_bar: 0,
            end_bar: reading.bar_count(),
            source_start_samples: start as i64,
            cut_start_samples: place.start_samples,
            cut_end_samples: place.end_samples,
            speed: 1.0,
            bends: Vec::new(),
        }],
        splices: Vec::new(),
        start: FittingStart::Top,
        end,
        last_hit_samples: own_hit.then(|| place.start_samples + reading.ending.last_hit_samples.saturating_sub(start)),
        ring_out: None,
        speed: 1.0,
        cost: 10.0,
        name: message!("fitting.once.name"),
        why: Message::default(),
        notes: vec![note],
    }
}
