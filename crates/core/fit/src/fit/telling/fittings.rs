//! Of fittings: a name for each, why the first is first, what the others give up, and what to mind.

use crate::fit::ask::Ask;
use crate::fit::bed::PlacedPin;
use crate::fit::exact::PINNED_BESIDE;
use crate::fit::fitting::{Fitting, FittingEnd, FittingStart};
use crate::fit::planner::{Arrival, Planner};
use crate::fit::request::Request;
use crate::fit::scene::{ON_CUT_SAMPLES, Scene};
use crate::fit::taste::Taste;
use jaunty_reading::reading::Reading;
use jaunty_units::SAMPLE_RATE_HZ;
use jaunty_units::message;
use jaunty_units::message::{Fact, Message};
use jaunty_units::units::seconds_from_samples;

/// The bars of a fitting by the time at which they are heard.
pub(in crate::fit) fn bar_times(fitting: &Fitting, ask: &Ask) -> Vec<(u64, usize)> {
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
fn heard_sections(fitting: &Fitting, reading: &Reading, ask: &Ask) -> Vec<Message> {
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
    let mut heard: Vec<Message> = inner
        .into_iter()
        .map(|(_, (section, _))| {
            let this = &reading.sections[section];
            let before = reading.sections[..section].iter().filter(|s| s.label == this.label).count();
            let letter = &this.label;
            match (&this.name, before) {
                (Some(name), _) => message!("fitting.section.named", name = name),
                (None, 0) => message!("fitting.section.first", letter = letter),
                (None, 1) => message!("fitting.section.second", letter = letter),
                (None, 2) => message!("fitting.section.third", letter = letter),
                (None, 3) => message!("fitting.section.fourth", letter = letter),
                (None, before) => message!("fitting.section.later", number = before + 1, letter = letter),
            }
        })
        .collect();
    heard.dedup();
    heard
}

/// Names every fitting by what is heard (how it begins, which sections, how it ends), and by what else sets it apart.
pub(in crate::fit) fn name_all(found: &mut [Fitting], reading: &Reading, ask: &Ask, scene: &Scene) {
    let all: Vec<Measured> = found.iter().map(|f| measure(f, ask, scene)).collect();
    let only = |k: usize, of: &dyn Fn(&Measured) -> f32, margin: f32| all.len() > 1 && (0..all.len()).all(|j| j == k || of(&all[k]) >= of(&all[j]) + margin);
    for (k, fitting) in found.iter_mut().enumerate() {
        let m = &all[k];
        let bar = fitting.pieces[0].start_bar;
        let section = reading.sections.iter().find(|s| s.start_bar == bar);
        let mut told = vec![match (fitting.start, section) {
            (FittingStart::Top, _) if m.splices == 0 && fitting.end.is_the_beds() => message!("fitting.asItIs"),
            (FittingStart::Top, _) => message!("fitting.opening"),
            (FittingStart::Cold, Some(s)) => message!("fitting.coldOn", section = s.name.as_ref().unwrap_or(&s.label)),
            (FittingStart::Cold, None) => message!("fitting.coldOnBar", bar = bar + 1),
            (FittingStart::FadeIn, _) => message!("fitting.fadesInAt", bar = bar + 1),
        }];
        told.extend(heard_sections(fitting, reading, ask));
        told.push(match fitting.end {
            FittingEnd::OwnEnding => message!("fitting.ownEnding"),
            FittingEnd::OwnFade => message!("fitting.ownFade"),
            FittingEnd::Stop => message!("fitting.stops"),
            FittingEnd::Fade => message!("fitting.fadesOut"),
            FittingEnd::Silence => message!("fitting.endsEarly"),
        });
        let apart = if only(k, &|m| m.on_cuts as f32, 1.0) {
            Some(message!("fitting.onCuts", met = m.on_cuts, cuts = scene.cuts.len()))
        } else if only(k, &|m| m.growth, 0.08) && m.growth > 0.1 {
            Some(message!("fitting.builds"))
        } else if only(k, &|m| m.level, 0.04) {
            Some(message!("fitting.strong"))
        } else if only(k, &|m| -m.level, 0.04) {
            Some(message!("fitting.calm"))
        } else if m.splices > 0 && only(k, &|m| -(m.splices as f32), 1.0) {
            Some(message!("fitting.fewestSplices"))
        } else if only(k, &|m| f32::from(m.hard), 3.0) {
            Some(message!("fitting.hardestToHear"))
        } else {
            None
        };
        told.extend(apart);
        fitting.name = message!("fitting.name", told = told);
    }
    // Two of one name are told apart by where they first splice.
    for k in 1..found.len() {
        if found[..k].iter().any(|f| f.name == found[k].name) {
            let more = match found[k].splices.first() {
                Some(splice) => message!("fitting.firstSpliceAt", at = Fact::Clock(splice.meets_samples())),
                None => message!("fitting.fromOfBed", at = Fact::Clock(found[k].pieces[0].source_start_samples.max(0) as u64)),
            };
            found[k].name = message!("fitting.name", told = vec![found[k].name.clone(), more]);
        }
    }
}

/// What a fitting gives up that the first one has.
pub(in crate::fit) fn gives_up(fitting: &Fitting, first: &Fitting) -> Message {
    let (worst, of_first) = (fitting.worst_splice().unwrap_or(100), first.worst_splice().unwrap_or(100));
    let harder = (worst + 5 < of_first).then(|| message!("fitting.with.worse", worst = worst, first = of_first));
    let more = match fitting.splices.len().saturating_sub(first.splices.len()) {
        0 => None,
        n => Some(message!("fitting.with.more", n = n)),
    };
    let opening = first.start == FittingStart::Top && fitting.start != FittingStart::Top;
    let lost = match (opening, first.end.is_the_beds() && fitting.end != first.end, first.end == FittingEnd::OwnFade) {
        (false, false, _) => message!("fitting.keepsOthers"),
        (true, false, _) => message!("fitting.givesUp.opening"),
        (false, true, false) => message!("fitting.givesUp.ending"),
        (false, true, true) => message!("fitting.givesUp.fade"),
        (true, true, false) => message!("fitting.givesUp.openingAndEnding"),
        (true, true, true) => message!("fitting.givesUp.openingAndFade"),
    };
    match (more, harder) {
        (None, None) => message!("fitting.otherwise", lost = lost),
        (Some(with), None) | (None, Some(with)) => message!("fitting.otherwiseWith", lost = lost, with = with),
        (Some(more), Some(harder)) => message!("fitting.otherwiseWithBoth", lost = lost, first = more, second = harder),
    }
}

/// Why the first fitting is the first, in one line; where it gives up the opening or the ending, what keeping both
/// would have cost.
pub(in crate::fit) fn why_first(job: &Request<'_>, ask: &Ask, taste: Taste, best: &Fitting) -> Message {
    let splices = match best.splices.len() {
        0 => message!("fitting.splices.none"),
        n => message!("fitting.splices.some", n = n, worst = best.worst_splice().unwrap_or(100)),
    };
    let sequels = best.splices.iter().filter(|s| s.is_sequel).count();
    let splices = match (sequels, best.splices.len()) {
        (0, _) => splices,
        (1, 1) => message!("fitting.splices.sequel", splices = splices),
        (n, _) => message!("fitting.splices.sequels", splices = splices, sequels = n),
    };
    let (top, own) = (best.start == FittingStart::Top, best.end.is_the_beds());
    let (may_top, may_own) = (ask.starts.top && !job.reading.is_loop(), ask.ends.own);
    let first = match (top, own) {
        (true, true) => message!("fitting.first.both", splices = splices),
        (true, false) => message!("fitting.first.opening", splices = splices),
        (false, true) => message!("fitting.first.ending", splices = splices),
        (false, false) => message!("fitting.first.neither", splices = splices),
    };
    let (keeps_top, keeps_own) = (top || !may_top, own || !may_own);
    if keeps_top && keeps_own {
        return first;
    }
    let mut both = ask.clone();
    if may_top {
        (both.starts.cold, both.starts.fade_in) = (None, None);
    }
    if may_own {
        (both.ends.stop, both.ends.fade) = (false, false);
    }
    let lost = match (keeps_top, keeps_own) {
        (false, true) => message!("fitting.lost.opening"),
        (true, false) => message!("fitting.lost.ending"),
        _ => message!("fitting.lost.both"),
    };
    let worst = job.cheapest(&both, taste, &[]).map(|plan| job.worst_of(&both, &plan));
    match worst {
        Some(worst) => message!("fitting.first.atThePriceOf", first = first, lost = lost, passes = Fact::figure(100.0 * f64::from(worst), 0)),
        None => message!("fitting.first.noWay", first = first, lost = lost),
    }
}

/// A pin is met within rounding.
pub(in crate::fit) const MET_SAMPLES: u64 = 2;

/// How far a pinned moment of the bed is from where it was pinned to.
pub(in crate::fit) fn missed_by(fitting: &Fitting, pin: &PlacedPin) -> u64 {
    let at = fitting.start_samples + pin.at as u64;
    let beside = PINNED_BESIDE as u64;
    let near = fitting.pieces.iter().filter(|p| (p.cut_start_samples.saturating_sub(beside)..p.cut_end_samples + beside).contains(&at));
    near.map(|p| (p.source_position(at) - pin.bed as f64).abs().round() as u64).min().unwrap_or(u64::MAX)
}

/// What to mind about a fitting.
pub(in crate::fit) fn notes_of(fitting: &Fitting, reading: &Reading, ask: &Ask) -> Vec<Message> {
    let mut notes = Vec::new();
    for pin in ask.pins.iter().filter(|pin| missed_by(fitting, pin) > MET_SAMPLES) {
        let (bed, cut) = (Fact::Clock(pin.bed.max(0) as u64), Fact::Clock(fitting.start_samples + pin.at as u64));
        notes.push(message!("fitting.note.pin", bed = bed, cut = cut));
    }
    if reading.confidence.beats < 0.5 {
        notes.push(message!("fitting.note.beat"));
    }
    let mut counts = vec![0u32; reading.bar_count()];
    bar_times(fitting, ask).iter().for_each(|(_, bar)| counts[*bar] += 1);
    if let Some(most) = counts.iter().max().filter(|n| **n >= 4) {
        let first = counts.iter().position(|n| n == most).unwrap_or(0);
        let last = first + counts[first..].iter().take_while(|n| *n == most).count();
        notes.push(message!("fitting.note.tires", from = first + 1, to = last, times = *most));
    }
    let late = fitting.pieces[0].cut_start_samples - fitting.start_samples;
    if late > SAMPLE_RATE_HZ as u64 / 50 {
        notes.push(message!("fitting.note.late", seconds = Fact::figure(seconds_from_samples(late), 2)));
    }
    notes
}

/// Where nothing good exists, it is said, with what would help.
pub(in crate::fit) fn advice(job: &Request<'_>, ask: &Ask, taste: Taste, best: &Fitting) -> Option<Message> {
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
    let lengths: Vec<u64> = [shorter, longer].into_iter().flatten().map(|l| l as u64).collect();
    let help = match lengths[..] {
        [one, other] => message!("fitting.note.betterAtEither", first = Fact::Clock(one), second = Fact::Clock(other)),
        [one] => message!("fitting.note.betterAt", length = Fact::Clock(one)),
        _ => message!("fitting.note.otherBed"),
    };
    Some(message!("fitting.note.noGoodWay", worst = worst, help = help))
}
