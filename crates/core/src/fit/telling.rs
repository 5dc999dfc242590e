//! What is said of fittings: a name for each, why the first is first, what the others give up, and what to mind.

use super::ask::{Ask, clock};
use super::bed::PlacedPin;
use super::exact::PINNED_BESIDE;
use super::fitting::{Fitting, FittingEnd, FittingStart};
use super::planner::{Arrival, Planner};
use super::request::Request;
use super::scene::{ON_CUT_SAMPLES, Scene};
use super::taste::Taste;
use crate::SAMPLE_RATE_HZ;
use crate::reading::Reading;
use crate::units::seconds_from_samples;

/// The bars of a fitting by the time at which they are heard.
pub(super) fn bar_times(fitting: &Fitting, ask: &Ask) -> Vec<(u64, usize)> {
    let lines: Vec<u64> = ask.lines.iter().map(|l| *l as u64).collect();
    fitting.bar_lines(&lines).into_iter().filter(|(_, bar)| bar + 1 < lines.len()).collect()
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
    let until = passages.len() - usize::from(fitting.end.is_the_beds() && passages.len() > first);
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
pub(super) fn name_all(found: &mut [Fitting], reading: &Reading, ask: &Ask, scene: &Scene) {
    let all: Vec<Measured> = found.iter().map(|f| measure(f, ask, scene)).collect();
    let only = |k: usize, of: &dyn Fn(&Measured) -> f32, margin: f32| all.len() > 1 && (0..all.len()).all(|j| j == k || of(&all[k]) >= of(&all[j]) + margin);
    for (k, fitting) in found.iter_mut().enumerate() {
        let m = &all[k];
        let bar = fitting.pieces[0].start_bar;
        let section = reading.sections.iter().find(|s| s.start_bar == bar);
        let mut words: Vec<String> = vec![match (fitting.start, section) {
            (FittingStart::Top, _) if m.splices == 0 && fitting.end.is_the_beds() => "as it is".into(),
            (FittingStart::Top, _) => "opening".into(),
            (FittingStart::Cold, Some(s)) => format!("cold on {}", s.name.as_ref().unwrap_or(&s.label)),
            (FittingStart::Cold, None) => format!("cold on bar {}", bar + 1),
            (FittingStart::FadeIn, _) => format!("fades in at bar {}", bar + 1),
        }];
        words.extend(heard_sections(fitting, reading, ask));
        words.push(
            match fitting.end {
                FittingEnd::OwnEnding => "own ending",
                FittingEnd::OwnFade => "own fade",
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
                Some(splice) => format!("first splice at {}", clock(splice.meets_samples())),
                None => format!("from {} of the bed", clock(found[k].pieces[0].source_start_samples.max(0) as u64)),
            };
            found[k].name = format!("{}, {more}", found[k].name);
        }
    }
}

/// What a fitting gives up that the first one has.
pub(super) fn gives_up(fitting: &Fitting, first: &Fitting) -> String {
    let mut lost: Vec<String> = Vec::new();
    if first.start == FittingStart::Top && fitting.start != FittingStart::Top {
        lost.push("the opening".into());
    }
    if first.end.is_the_beds() && fitting.end != first.end {
        lost.push(if first.end == FittingEnd::OwnFade { "its own fade" } else { "its own ending" }.into());
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
pub(super) fn why_first(job: &Request<'_>, ask: &Ask, taste: Taste, best: &Fitting) -> String {
    let splices = match best.splices.len() {
        0 => "with no splice".to_owned(),
        1 => format!("with one splice, {} of 100 hard to hear", best.worst_splice().unwrap_or(100)),
        n => format!("with {n} splices, the worst {} of 100 hard to hear", best.worst_splice().unwrap_or(100)),
    };
    let sequels = best.splices.iter().filter(|s| s.is_sequel).count();
    let splices = match (sequels, best.splices.len()) {
        (0, _) => splices,
        (1, 1) => format!("{splices}, at which another phrase goes on than would have come"),
        (n, _) => format!("{splices}; at {n} of them another phrase goes on than would have come"),
    };
    let (top, own) = (best.start == FittingStart::Top, best.end.is_the_beds());
    let (may_top, may_own) = (ask.starts.top && !job.reading.is_loop(), ask.ends.own);
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
    let worst = job.cheapest(&both, taste, &[]).map(|plan| job.worst_of(&both, &plan));
    match worst {
        Some(worst) => format!("{first} {lost} left out: to keep all, a splice would be needed that passes in {:.0} of 100 at best.", 100.0 * worst),
        None => format!("{first} {lost} left out: no way of this length keeps all."),
    }
}

/// A pin is met within rounding.
pub(super) const MET_SAMPLES: u64 = 2;

/// How far a pinned moment of the bed is from where it was pinned to.
pub(super) fn missed_by(fitting: &Fitting, pin: &PlacedPin) -> u64 {
    let at = fitting.start_samples + pin.at as u64;
    let beside = PINNED_BESIDE as u64;
    let near = fitting.pieces.iter().filter(|p| (p.cut_start_samples.saturating_sub(beside)..p.cut_end_samples + beside).contains(&at));
    near.map(|p| (p.source_position(at) - pin.bed as f64).abs().round() as u64).min().unwrap_or(u64::MAX)
}

pub(super) fn notes_of(fitting: &Fitting, reading: &Reading, ask: &Ask) -> Vec<String> {
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
pub(super) fn advice(job: &Request<'_>, ask: &Ask, taste: Taste, best: &Fitting) -> Option<String> {
    /// A worst splice that is harder to hear than this is good enough to say nothing.
    const FAIR: u8 = 40;
    let worst = best.worst_splice().filter(|w| *w < FAIR)?;
    let planner = Planner::new(job.reading, job.likeness, ask, &job.scene, &[], taste);
    let second = i64::from(SAMPLE_RATE_HZ);
    let sweep = planner.sweep(ask.wanted + 12 * second);
    // The nearest lengths at which no join is worse than a fair one.
    let fair = |plan: &Arrival| job.worst_of(ask, plan) >= 0.85;
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
