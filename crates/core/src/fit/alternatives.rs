//! Several fittings of one request that differ for the ear, each with a name that says how.

use super::ask::{Ask, Held, clock};
use super::bed::{HEAD_SAMPLES, MOST_SHIFT_SAMPLES, PlacedPin, head_samples};
use super::exact::{Exact, PINNED_BESIDE};
use super::planner::{Arrival, End, Planner, Played, Start};
use super::scene::{ON_CUT_SAMPLES, Scene, SceneTables};
use super::taste::Taste;
use super::wishes::{EndWish, StartWish, Wishes};
use super::{FitRequest, Fitting, FittingEnd, FittingStart, Passage, Piece};
use crate::SAMPLE_RATE_HZ;
use crate::reading::{BarLikeness, EndingKind, Reading};
use crate::sound::{Looped, Source};
use crate::units::{CutLength, seconds_from_samples};

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

/// The weights that the likings of somebody make.
fn base_taste(wishes: &Wishes) -> Taste {
    let l = wishes.likings;
    Taste {
        join: if l.few_splices { 1.5 } else { Taste::BEST.join },
        again: if l.own_order { 1.0 } else { 0.0 },
        builds: if l.builds { 0.5 } else { 0.0 },
        under_speech: if l.quiet_under_speech { 0.3 } else { 0.0 },
        singing_under_speech: if l.no_singing_under_speech { 2.0 } else { 0.0 },
        marks: 0.12,
        ..Taste::BEST
    }
}

/// One request with all that its sweeps share.
struct Request<'a> {
    reading: &'a Reading,
    likeness: &'a BarLikeness,
    wishes: Wishes,
    place: Passage,
    scene: SceneTables,
}

impl Request<'_> {
    fn ask(&self, wishes: &Wishes) -> Ask {
        Ask::new(self.reading, wishes, self.place.start_samples, self.place.end_samples - self.place.start_samples)
    }

    fn plan(&self, ask: &Ask, taste: Taste, played: &[Played]) -> Option<Arrival> {
        let found = self.plan_untiring(ask, taste, played)?;
        let Some(most) = self.wishes.most_plays.filter(|n| *n > 1) else { return Some(found) };
        // How often a bar was heard is no part of a state: what is heard again is made dearer until it holds.
        let mut found = found;
        let mut again = taste.again;
        while plays(&found, self.reading.bar_count()).iter().any(|n| *n > most) {
            again = 2.0 * again + 0.5;
            if again > 40.0 {
                return None;
            }
            found = self.cheapest(ask, Taste { again, ..taste }, played)?;
        }
        Some(found)
    }

    fn cheapest(&self, ask: &Ask, taste: Taste, played: &[Played]) -> Option<Arrival> {
        Planner::new(self.reading, self.likeness, ask, &self.scene, played, taste).sweep(ask.wanted).best(ask.wanted)
    }

    /// The cheapest edit in which no passage is heard three times in a row, if there is one that costs little more: a
    /// splice that is taken twice running is made dearer. What was cut as a loop may go round.
    fn plan_untiring(&self, ask: &Ask, taste: Taste, played: &[Played]) -> Option<Arrival> {
        const TRIES: usize = 4;
        let first = self.cheapest(ask, taste, played)?;
        if self.reading.is_loop() {
            return Some(first);
        }
        let (mut found, mut dearer) = (first.clone(), ask.clone());
        for _ in 0..TRIES {
            let again = running_twice(&found);
            if again.is_empty() {
                return Some(found);
            }
            dearer.used_joins.extend(again);
            let Some(next) = self.cheapest(&dearer, taste, played) else { break };
            found = next;
        }
        Some(if running_twice(&found).is_empty() { found } else { first })
    }

    /// Sets aside what cannot hold. Gives that as sentences, and the best plan of what is left.
    fn settle(&mut self) -> (Vec<String>, Option<Arrival>) {
        let best = |wishes: &Wishes| self.plan(&self.ask(wishes), base_taste(wishes), &[]);
        let holds = |wishes: &Wishes| best(wishes).is_some();
        let first = best(&self.wishes);
        if first.is_some() {
            return (Vec::new(), first);
        }
        let mut rest = self.wishes.clone();
        let mut aside = Vec::new();
        let say = |wishes: &Wishes, held: Held| wishes.why_not(held, self.reading, self.place);
        // One that alone stands in the way, else one after the other, the weakest first.
        while !holds(&rest) {
            let Some(&first) = rest.held().first() else { break };
            let held = rest.held().into_iter().find(|h| holds(&rest.without(*h))).unwrap_or(first);
            aside.push(say(&rest, held));
            rest = rest.without(held);
        }
        let first = best(&rest);
        self.wishes = rest;
        (aside, first)
    }
}

/// The splices that are taken twice running: what lies between is then heard three times in a row.
fn running_twice(plan: &Arrival) -> Vec<(usize, usize)> {
    let joins: Vec<(usize, usize)> = plan.runs.windows(2).map(|w| (w[0].1, w[1].0)).collect();
    joins.windows(2).filter(|w| w[0] == w[1]).map(|w| w[0]).collect()
}

/// How often each bar is played.
fn plays(plan: &Arrival, bars: usize) -> Vec<u32> {
    let mut counts = vec![0; bars];
    plan.runs.iter().for_each(|&(from, to)| counts[from..to.min(bars)].iter_mut().for_each(|n| *n += 1));
    counts
}

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

/// A fitting with its splices as `request` has them by now, changed by hand or no longer; its runs stay.
pub fn retouched(bed: &dyn Source, reading: &Reading, likeness: &BarLikeness, request: &FitRequest, fitting: &Fitting) -> Fitting {
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
        FittingEnd::OwnEnding => End::Own,
        FittingEnd::Stop => End::Stop(runs[runs.len() - 1].1),
        FittingEnd::Fade | FittingEnd::Silence => End::Fade,
    };
    let exact = Exact {
        bed,
        reading,
        likeness,
        ask: &ask,
        touches: &request.wishes.touches,
        place_start: place.start_samples,
        line_surprises: &reading.line_surprises,
    };
    let made = exact.fitting(&Arrival { start, runs, end, cost: fitting.cost });
    Fitting { name: fitting.name.clone(), why: fitting.why.clone(), notes: fitting.notes.clone(), ..made }
}

/// Lengths near the wanted one at which the bed ends by itself at its own speed, with no splice
/// that may be heard, nearest first; its own length is among them where it is near enough.
pub fn natural_lengths(reading: &Reading, likeness: &BarLikeness, request: &FitRequest) -> Vec<u64> {
    /// From and to these shares of the wanted length.
    const NEAR: std::ops::RangeInclusive<f64> = 0.5..=2.0;
    /// As many are worth telling.
    const MOST: usize = 6;
    let place = request.place();
    let wanted = (place.end_samples - place.start_samples) as i64;
    if reading.bar_count() < 2 || wanted == 0 || reading.ending.kind != EndingKind::OwnEnding {
        return Vec::new();
    }
    let wishes = Wishes { end: EndWish::OwnEnding { hit_samples: None }, start: StartWish::Top, ..request.wishes.clone() };
    let ask = Ask::new(reading, &wishes, place.start_samples, wanted as u64);
    let scene = SceneTables::new(&Scene::default(), 0, wanted);
    let planner = Planner::new(reading, likeness, &ask, &scene, &[], Taste::BEST);
    let longest = (wanted as f64 * NEAR.end()) as i64;
    let sweep = planner.sweep(longest);
    let head = head_samples(reading) as i64;
    let natural = |plan: &Arrival| {
        let end = reading.ending.music_end_samples as i64;
        let last = plan.runs.len() - 1;
        let of = |(k, &(from, to)): (usize, &(usize, usize))| {
            let (start, stop) = (if k == 0 { head } else { ask.lines[from] }, if k == last { end } else { ask.lines[to] });
            stop - start
        };
        plan.runs.iter().enumerate().map(of).sum::<i64>() as u64
    };
    let unheard = |plan: &Arrival| plan.end == End::Own && plan.runs.windows(2).all(|w| likeness.could_follow(w[0].1, w[1].0) >= 0.9);
    let shortest = (wanted as f64 * NEAR.start()) as i64;
    let mut all: Vec<u64> =
        (shortest..longest).step_by(SAMPLE_RATE_HZ as usize / 2).filter_map(|l| sweep.best(l)).filter(unheard).map(|p| natural(&p)).collect();
    all.sort_unstable();
    all.dedup_by_key(|l| *l / u64::from(SAMPLE_RATE_HZ));
    // With all that is wished, the fitting of that length must be such a one too.
    let (free, taste) = (Ask::new(reading, &request.wishes, place.start_samples, wanted as u64), base_taste(&request.wishes));
    let planner = Planner::new(reading, likeness, &free, &scene, &[], taste);
    let sweep = planner.sweep(longest);
    all.retain(|&l| sweep.best(l as i64).is_some_and(|p| unheard(&p) && p.start == Start::Top && natural(&p).abs_diff(l) < MOST_SHIFT_SAMPLES as u64));
    all.sort_by_key(|l| l.abs_diff(wanted as u64));
    all.truncate(MOST);
    all
}

fn bar_times(fitting: &Fitting, ask: &Ask) -> Vec<(u64, usize)> {
    let lines: Vec<u64> = ask.lines.iter().map(|l| *l as u64).collect();
    fitting.bar_lines(&lines).into_iter().filter(|(_, bar)| bar + 1 < lines.len()).collect()
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

/// What is measured of a fitting for its name.
struct Measured {
    splices: usize,
    hard: u8,
    level: f32,
    growth: f32,
    on_cuts: usize,
}

fn measure(fitting: &Fitting, ask: &Ask, scene: &Scene) -> Measured {
    let times = bar_times(fitting, ask);
    let ranks: Vec<f32> = times.iter().map(|(_, bar)| ask.rank[*bar]).collect();
    let mean = |r: &[f32]| r.iter().sum::<f32>() / r.len().max(1) as f32;
    let half = ranks.len() / 2;
    let near = |cut: &&u64| times.iter().any(|(at, _)| (*at as i64 - **cut as i64).abs() <= ON_CUT_SAMPLES / 2);
    Measured {
        splices: fitting.splices.len(),
        hard: fitting.worst_splice().unwrap_or(100),
        level: mean(&ranks),
        growth: mean(&ranks[half..]) - mean(&ranks[..half]),
        on_cuts: scene.cuts.iter().filter(near).count(),
    }
}

/// The longest passages between which the opening and the ending stand in a name.
const NAMED: usize = 2;

/// Sections that are heard for two bars or more, in the order in which they come: "B", "second B", or what somebody
/// called them; the longest few.
fn heard_sections(fitting: &Fitting, reading: &Reading, ask: &Ask) -> Vec<String> {
    let ordinal = |number: usize| match number {
        0 => String::new(),
        1 => "second ".into(),
        2 => "third ".into(),
        3 => "fourth ".into(),
        n => format!("{}th ", n + 1),
    };
    let of_bar = |bar: usize| reading.sections.iter().position(|s| (s.start_bar..s.end_bar).contains(&bar));
    let mut passages: Vec<(usize, usize)> = Vec::new();
    for (_, bar) in bar_times(fitting, ask) {
        let Some(section) = of_bar(bar) else { continue };
        match passages.last_mut() {
            Some(last) if last.0 == section => last.1 += 1,
            _ => passages.push((section, 1)),
        }
    }
    // What begins or ends a fitting is told by how it begins and ends.
    let first = usize::from(fitting.start == FittingStart::Top).min(passages.len());
    let until = passages.len() - usize::from(fitting.end == FittingEnd::OwnEnding && passages.len() > first);
    let mut inner: Vec<(usize, (usize, usize))> = passages[first..until].iter().copied().enumerate().filter(|p| p.1.1 >= 2).collect();
    inner.sort_by_key(|p| std::cmp::Reverse(p.1.1));
    inner.truncate(NAMED);
    inner.sort_by_key(|p| p.0);
    let mut words: Vec<String> = inner
        .into_iter()
        .map(|(_, (section, _))| {
            let this = &reading.sections[section];
            let before = reading.sections[..section].iter().filter(|s| s.label == this.label).count();
            this.name.clone().unwrap_or_else(|| format!("{}{}", ordinal(before), this.label))
        })
        .collect();
    words.dedup();
    words
}

/// Names every fitting by what is heard (how it begins, which sections, how it ends), and by what else sets it apart.
fn name_all(found: &mut [Fitting], reading: &Reading, ask: &Ask, scene: &Scene) {
    let all: Vec<Measured> = found.iter().map(|f| measure(f, ask, scene)).collect();
    let only = |k: usize, of: &dyn Fn(&Measured) -> f32, margin: f32| all.len() > 1 && (0..all.len()).all(|j| j == k || of(&all[k]) >= of(&all[j]) + margin);
    for (k, fitting) in found.iter_mut().enumerate() {
        let m = &all[k];
        let bar = fitting.pieces[0].start_bar;
        let section = reading.sections.iter().find(|s| s.start_bar == bar);
        let mut words: Vec<String> = vec![match (fitting.start, section) {
            (FittingStart::Top, _) if m.splices == 0 && fitting.end == FittingEnd::OwnEnding => "as it is".into(),
            (FittingStart::Top, _) => "opening".into(),
            (FittingStart::Cold, Some(s)) => format!("cold on {}", s.name.as_ref().unwrap_or(&s.label)),
            (FittingStart::Cold, None) => format!("cold on bar {}", bar + 1),
            (FittingStart::FadeIn, _) => format!("fades in at bar {}", bar + 1),
        }];
        words.extend(heard_sections(fitting, reading, ask));
        words.push(
            match fitting.end {
                FittingEnd::OwnEnding => "own ending",
                FittingEnd::Stop => "stops and rings out",
                FittingEnd::Fade => "fades out",
                FittingEnd::Silence => "ends early",
            }
            .into(),
        );
        let apart = if only(k, &|m| m.on_cuts as f32, 1.0) {
            Some(format!("a downbeat on {} of {} picture cuts", m.on_cuts, scene.cuts.len()))
        } else if only(k, &|m| m.growth, 0.08) && m.growth > 0.1 {
            Some("builds to the end".into())
        } else if only(k, &|m| m.level, 0.04) {
            Some("mostly the strong parts".into())
        } else if only(k, &|m| -m.level, 0.04) {
            Some("mostly the calm parts".into())
        } else if m.splices > 0 && only(k, &|m| -(m.splices as f32), 1.0) {
            Some("fewest splices".into())
        } else if only(k, &|m| f32::from(m.hard), 3.0) {
            Some("hardest to hear".into())
        } else {
            None
        };
        words.extend(apart);
        fitting.name = words.join(", ");
    }
    // Two of one name are told apart by where they first splice.
    for k in 1..found.len() {
        if found[..k].iter().any(|f| f.name == found[k].name) {
            let more = match found[k].splices.first() {
                Some(splice) => format!("first splice at {}", clock(splice.at_samples)),
                None => format!("from {} of the bed", clock(found[k].pieces[0].source_start_samples.max(0) as u64)),
            };
            found[k].name = format!("{}, {more}", found[k].name);
        }
    }
}

/// What a fitting gives up that the first one has.
fn gives_up(fitting: &Fitting, first: &Fitting) -> String {
    let mut lost: Vec<String> = Vec::new();
    if first.start == FittingStart::Top && fitting.start != FittingStart::Top {
        lost.push("the opening".into());
    }
    if first.end == FittingEnd::OwnEnding && fitting.end != FittingEnd::OwnEnding {
        lost.push("its own ending".into());
    }
    let mut but: Vec<String> = Vec::new();
    match fitting.splices.len().saturating_sub(first.splices.len()) {
        0 => {}
        1 => but.push("one splice more".into()),
        n => but.push(format!("{n} splices more")),
    }
    let (worst, of_first) = (fitting.worst_splice().unwrap_or(100), first.worst_splice().unwrap_or(100));
    if worst + 5 < of_first {
        but.push(format!("a splice that is {worst} of 100 hard to hear, where the first has {of_first}"));
    }
    let lost = if lost.is_empty() { "Keeps other passages".to_owned() } else { format!("Gives up {}", lost.join(" and ")) };
    if but.is_empty() { format!("{lost}.") } else { format!("{lost}, with {}.", but.join(" and ")) }
}

/// Why the first fitting is the first, in one line; where it gives up the opening or the ending, what keeping both
/// would have cost.
fn why_first(job: &Request<'_>, ask: &Ask, taste: Taste, best: &Fitting) -> String {
    let splices = match best.splices.len() {
        0 => "with no splice".to_owned(),
        1 => format!("with one splice, {} of 100 hard to hear", best.worst_splice().unwrap_or(100)),
        n => format!("with {n} splices, the worst {} of 100 hard to hear", best.worst_splice().unwrap_or(100)),
    };
    let (top, own) = (best.start == FittingStart::Top, best.end == FittingEnd::OwnEnding);
    let (may_top, may_own) = (ask.starts.top && !job.reading.is_loop(), ask.ends.own && job.reading.ending.kind == EndingKind::OwnEnding);
    let kept = match (top, own) {
        (true, true) => "it begins and ends as the bed does",
        (true, false) => "it begins as the bed does",
        (false, true) => "it ends as the bed does",
        (false, false) => "it is the least bad",
    };
    let first = format!("First because {kept}, {splices}.");
    if (top || !may_top) && (own || !may_own) {
        return first;
    }
    let mut both = ask.clone();
    if may_top {
        (both.starts.cold, both.starts.fade_in) = (None, None);
    }
    if may_own {
        (both.ends.stop, both.ends.fade) = (false, false);
    }
    let lost = match (top || !may_top, own || !may_own) {
        (false, true) => "Its opening is",
        (true, false) => "Its own ending is",
        _ => "Its opening and its own ending are",
    };
    let worst = job.cheapest(&both, taste, &[]).map(|plan| plan.runs.windows(2).map(|w| job.likeness.could_follow(w[0].1, w[1].0)).fold(1.0, f32::min));
    match worst {
        Some(worst) => format!("{first} {lost} left out: to keep all, a splice would be needed that is right in {:.0} of 100 at best.", 100.0 * worst),
        None => format!("{first} {lost} left out: no way of this length keeps all."),
    }
}

/// A pin is met within rounding.
const MET_SAMPLES: u64 = 2;

/// How far a pinned moment of the bed is from where it was pinned to.
fn missed_by(fitting: &Fitting, pin: &PlacedPin) -> u64 {
    let at = fitting.start_samples + pin.at as u64;
    let beside = PINNED_BESIDE as u64;
    let near = fitting.pieces.iter().filter(|p| (p.cut_start_samples.saturating_sub(beside)..p.cut_end_samples + beside).contains(&at));
    near.map(|p| (p.source_position(at) - pin.bed as f64).abs().round() as u64).min().unwrap_or(u64::MAX)
}

fn notes_of(fitting: &Fitting, reading: &Reading, ask: &Ask) -> Vec<String> {
    let mut notes = Vec::new();
    for pin in ask.pins.iter().filter(|pin| missed_by(fitting, pin) > MET_SAMPLES) {
        let (bed, cut) = (clock(pin.bed.max(0) as u64), clock(fitting.start_samples + pin.at as u64));
        notes.push(format!("The pin of {bed} of the bed on {cut} of the cut cannot be met: pin a bar line, or move it."));
    }
    if reading.confidence.beats < 0.5 {
        notes.push("The beat of this bed is uncertain: listen to every splice.".into());
    }
    let mut counts = vec![0u32; reading.bar_count()];
    bar_times(fitting, ask).iter().for_each(|(_, bar)| counts[*bar] += 1);
    if let Some(most) = counts.iter().max().filter(|n| **n >= 4) {
        let first = counts.iter().position(|n| n == most).unwrap_or(0);
        let last = first + counts[first..].iter().take_while(|n| *n == most).count();
        notes.push(format!("Bars {} to {last} are heard {most} times: that may tire.", first + 1));
    }
    let late = fitting.pieces[0].cut_start_samples - fitting.start_samples;
    if late > SAMPLE_RATE_HZ as u64 / 50 {
        notes.push(format!("The music begins {:.2} s late, so that what follows falls into place.", seconds_from_samples(late)));
    }
    notes
}

/// Where nothing good exists, it is said, with what would help.
fn advice(job: &Request<'_>, ask: &Ask, taste: Taste, best: &Fitting) -> Option<String> {
    /// A worst splice that is harder to hear than this is good enough to say nothing.
    const FAIR: u8 = 40;
    let worst = best.worst_splice().filter(|w| *w < FAIR)?;
    let planner = Planner::new(job.reading, job.likeness, ask, &job.scene, &[], taste);
    let second = i64::from(SAMPLE_RATE_HZ);
    let sweep = planner.sweep(ask.wanted + 12 * second);
    // The nearest lengths at which no join is worse than a fair one.
    let fair = |plan: &Arrival| plan.runs.windows(2).all(|w| job.likeness.could_follow(w[0].1, w[1].0) >= 0.85);
    let good = |by: i64| (by < ask.wanted).then(|| sweep.best(ask.wanted + by)).flatten().filter(fair).map(|_| ask.wanted + by);
    let shorter = (1..=12).find_map(|s| good(-s * second));
    let longer = (1..=12).find_map(|s| good(s * second));
    let lengths: Vec<String> = [shorter, longer].into_iter().flatten().map(|l| clock(l as u64)).collect();
    let help = match lengths.as_slice() {
        [] => "Another bed, a fade, or a shorter least run would help.".to_owned(),
        some => format!("At {} it would be better; so may a fade, or a shorter least run.", some.join(" or ")),
    };
    Some(format!("No good way was found: the worst splice is {worst} of 100 hard to hear, and this is the least bad one. {help}"))
}

/// The bed once, from its first sound, as far as it goes.
fn played_once(bed: &dyn Source, reading: &Reading, place: Passage) -> Fitting {
    let wanted = place.end_samples - place.start_samples;
    let start = reading.music_start_samples.min(bed.len_samples());
    let has = reading.ending.music_end_samples.max(start) - start;
    let (length_s, wanted_s) = (seconds_from_samples(has), seconds_from_samples(wanted));
    let why = match reading.bar_count() {
        0 => "no bars were found in it",
        1 => "it has a single bar",
        _ if wanted > CutLength::MOST_SAMPLES => "beds are re-cut for up to 12 hours",
        _ => "no fitting of its bars has this length",
    };
    let (end, note) = if has >= wanted {
        (FittingEnd::Fade, format!("This bed cannot be re-cut on its beats ({why}): it is played from its start and faded at {wanted_s:.1} s."))
    } else {
        let silence_s = wanted_s - length_s;
        (
            FittingEnd::Silence,
            format!("This bed of {length_s:.1} s cannot be extended ({why}): it is played once and {silence_s:.1} s stay without music. Bring a longer bed."),
        )
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
        name: "played once".into(),
        why: String::new(),
        notes: vec![note],
    }
}
