//! Splices from one downbeat to another: what each costs by itself, and the cheapest few of each bar line.

use super::play::Playing;
use jaunty_reading::reading::{BarLikeness, Reading};
use jaunty_sound::splice::LEAD_SAMPLES;

/// Cheapest targets kept of each leave point.
const TARGETS: usize = 8;
/// A splice that is likelier than this to be right is better than losing the opening or the ending; below it none is.
pub const FAIR_CHANCE: f32 = 0.7;
/// What a splice of less pays more, reached this much below it.
const UNFAIR: f32 = 7.0;
const UNFAIR_WITHIN: f32 = 0.05;

/// What is known of single bars before joins between them are priced.
pub struct Bars {
    /// Logarithm of the length.
    log_duration: Vec<f32>,
    /// Whether a section begins there.
    begins_section: Vec<bool>,
    /// How likely somebody sings on across the bar line, 0 to 1.
    sung_across: Vec<f32>,
}

/// Who sings so long before and after a bar line sings across it: a pickup, or a last syllable, is shorter.
const SUNG_BEFORE_SAMPLES: i64 = 24_000;
const SUNG_AFTER_SAMPLES: i64 = 12_000;
/// What it costs to cut a line off, or to begin within one (common practice: never; the finding of voices is unsure).
const CUTS_A_LINE: f32 = 1.0;
/// What it costs to go from within a line into another.
const CHANGES_THE_LINE: f32 = 0.5;

impl Bars {
    /// Looks at all bars between `lines`.
    pub fn new(reading: &Reading, lines: &[i64]) -> Self {
        let mut begins_section = vec![false; lines.len()];
        reading.sections.iter().filter(|s| s.start_bar < lines.len()).for_each(|s| begins_section[s.start_bar] = true);
        let log_duration = lines.windows(2).map(|w| ((w[1] - w[0]) as f32).ln()).collect();
        Self { log_duration, begins_section, sung_across: lines.iter().map(|line| sung_across(reading, *line)).collect() }
    }
}

/// How likely somebody sings on across a place of the bed, 0 to 1.
fn sung_across(reading: &Reading, at: i64) -> f32 {
    let across = |s: &&jaunty_reading::reading::Span| s.start_samples as i64 <= at - SUNG_BEFORE_SAMPLES && at + SUNG_AFTER_SAMPLES <= s.end_samples as i64;
    reading.singing.iter().filter(across).map(|s| s.likelihood).fold(0.0, f32::max)
}

/// What it costs to go from one place of the bed to another where somebody may sing, between bars that could follow each
/// other so well.
pub fn voice(reading: &Reading, leave: i64, enter: i64, could_follow: f32) -> f32 {
    of_lines(sung_across(reading, leave), sung_across(reading, enter), could_follow)
}

fn of_lines(left: f32, entered: f32, could_follow: f32) -> f32 {
    // In an exact repeat the same line goes on.
    let other_line = 1.0 - could_follow.powi(8);
    CUTS_A_LINE * (left - entered).abs() + CHANGES_THE_LINE * left.min(entered) * other_line
}

/// What a term of the price of a join is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum About {
    SungLine,
    ChangeOfSound,
    HeardAgain,
    FarApart,
    Tempo,
    StepInLevel,
    BetweenSections,
    Likeness,
    PlaceInPhrase,
    GoesOn,
    OtherPhrase,
}

/// What is thought of a join.
pub struct Judged {
    /// How likely nobody takes offence at it, 0 to 1.
    pub chance: f32,
    /// Whether another phrase goes on there, not a repeat of what would have come.
    pub is_sequel: bool,
    /// What it costs as what it is.
    itself: [(About, f32); 2],
    /// What it costs whichever it is.
    ways: [(About, f32); 7],
}

impl Judged {
    /// What it costs, term by term.
    pub fn terms(&self) -> impl Iterator<Item = (About, f32)> {
        self.itself.iter().chain(&self.ways).copied()
    }

    fn cost(&self) -> f32 {
        self.terms().map(|t| t.1).sum()
    }
}

/// What a join is worth: as a repeat of what would have come, or as another phrase that may come as well, whichever is
/// better.
pub fn judge(reading: &Reading, likeness: &BarLikeness, about: &Bars, leave: usize, enter: usize) -> Judged {
    let repeat = as_repeat(reading, likeness, about, leave, enter);
    match likeness.sequel_rank(leave, enter).filter(|rank| leave != enter && *rank >= LEAST_RANK) {
        Some(rank) => {
            let sequel = as_sequel(reading, likeness, about, (leave, enter), rank);
            if sequel.cost() < repeat.cost() { sequel } else { repeat }
        }
        None => repeat,
    }
}

fn unlikely(chance: f32) -> f32 {
    8.0 * -chance.max(0.001).ln() + UNFAIR * ((FAIR_CHANCE - chance) / UNFAIR_WITHIN).clamp(0.0, 1.0)
}

/// What it costs to go from one place to another, whatever is heard there, last with how far the level steps.
fn ways(likeness: &BarLikeness, about: &Bars, leave: usize, enter: usize, step: f32) -> [(About, f32); 7] {
    let distance = leave.abs_diff(enter);
    let bars = about.log_duration.len();
    let back = if enter < leave { 0.07 + 0.25 * (1.0 - distance as f32 / 8.0).max(0.0) } else { 0.0 };
    let far = if enter > leave && distance > bars / 2 { 0.03 } else { 0.0 };
    // More than three quarters of the bed's own bar lines change is heard; a splice that surprises more than all of
    // them is as bad as one that is right in four of five.
    let surprise = 2.0 * ((likeness.surprise_rank(leave, enter) - 0.75) / 0.25).max(0.0);
    let tempo = 0.3 * ((about.log_duration[leave - 1] - about.log_duration[enter]) / 0.03).powi(2).min(9.0);
    // From the end of a section into the beginning of one the ear expects something new.
    let section = if about.begins_section[leave] && about.begins_section[enter] { -0.1 } else { 0.0 };
    let voice = of_lines(about.sung_across[leave], about.sung_across[enter], likeness.could_follow(leave, enter));
    [
        (About::SungLine, voice),
        (About::ChangeOfSound, surprise),
        (About::HeardAgain, back),
        (About::FarApart, far),
        (About::Tempo, tempo),
        (About::StepInLevel, step),
        (About::BetweenSections, section),
    ]
}

/// What a step of 3 dB more at the bar line itself costs; 1.5 dB lie within what repeats of players do.
const AT_THE_LINE: f32 = 0.5;

fn as_repeat(reading: &Reading, likeness: &BarLikeness, about: &Bars, leave: usize, enter: usize) -> Judged {
    let chance = likeness.could_follow(leave, enter);
    let phrase = match leave.abs_diff(enter) {
        d if d % 8 == 0 => 0.0,
        d if d % 4 == 0 => 0.04,
        d if d % 2 == 0 => 0.15,
        _ => 0.30,
    };
    let levels = &reading.bar_levels_db;
    let would_come = levels.get(leave).copied().unwrap_or(levels[leave - 1]);
    // The ear hears the step right at the splice, and then whether the bar as a whole is another.
    let lines = &reading.line_levels_db;
    let at_the_line = lines.get(enter).zip(lines.get(leave)).map_or(0.0, |(comes, would)| (comes - would).abs());
    let step = 0.5 * ((levels[enter] - would_come).abs() - 2.0).max(0.0) / 3.0 + AT_THE_LINE * (at_the_line - 1.5).max(0.0) / 3.0;
    let itself = [(About::Likeness, unlikely(chance)), (About::PlaceInPhrase, phrase)];
    Judged { chance, is_sequel: false, itself, ways: ways(likeness, about, leave, enter, step) }
}

/// A step less natural than the middle one of the bed's own is no sequel.
const LEAST_RANK: f32 = 0.5;
/// What such a one and the most natural are taken for. No truth tells how often nobody takes offence, so even the most
/// natural one is worth a listen, and the least is just fair.
const SEQUEL_CHANCES: [f32; 2] = [0.7, 0.85];
/// What a sequel costs more than a repeat that is as likely, for what comes is not what was expected: with less, sequels
/// push out exact repeats of beds that have them (measured on the development set), with this much hardly any.
const NEW: f32 = 3.5;
/// A step in level up to this is within what phrases do, in dB.
const SEQUEL_STEP_DB: f32 = 2.5;

fn as_sequel(reading: &Reading, likeness: &BarLikeness, about: &Bars, (leave, enter): (usize, usize), rank: f32) -> Judged {
    let [least, most] = SEQUEL_CHANCES;
    let chance = least + (most - least) * (rank - LEAST_RANK) / (1.0 - LEAST_RANK);
    let levels = &reading.bar_levels_db;
    let step = ((levels[enter] - levels[leave - 1]).abs() - SEQUEL_STEP_DB).max(0.0) / 3.0;
    let itself = [(About::GoesOn, unlikely(chance)), (About::OtherPhrase, NEW)];
    Judged { chance, is_sequel: true, itself, ways: ways(likeness, about, leave, enter, step) }
}

#[derive(Clone, Copy)]
pub(super) struct Target {
    pub(super) enter: u32,
    pub(super) cost: f32,
    /// The bit of a splice that must be there.
    pub(super) must: u32,
}

fn targets(playing: &Playing<'_>, joins: &[f32], leave: usize) -> Vec<Target> {
    let ask = playing.ask;
    let inside = |bar: usize| ask.keep.iter().any(|k| bar > k.0 && bar < k.1);
    if leave == 0 || leave > playing.last_bar || inside(leave) {
        return Vec::new();
    }
    // A loop goes on at its beginning, whatever lies before it.
    let seam = |enter: usize| enter == 0 && leave == playing.reading.bar_count() && playing.reading.is_loop();
    let must = |enter: usize| ask.musts.iter().position(|m| *m == (leave, enter)).map_or(0, |k| 1 << (ask.keep.len() + k));
    let mut all: Vec<Target> = (0..playing.bars)
        .filter(|&enter| {
            enter != leave
                && (playing.lines[enter] >= 2 * LEAD_SAMPLES as i64 || seam(enter))
                && !ask.silent[enter]
                && !inside(enter)
                && !ask.banned.contains(&(leave, enter))
        })
        .filter(|&enter| enter > leave || ask.plays_again)
        .map(|enter| Target { enter: enter as u32, cost: join_cost(playing, joins, leave, enter), must: must(enter) })
        .collect();
    let order = |a: &Target, b: &Target| (b.must != 0).cmp(&(a.must != 0)).then(a.cost.total_cmp(&b.cost)).then(a.enter.cmp(&b.enter));
    if all.len() > TARGETS {
        all.select_nth_unstable_by(TARGETS, order);
        all.truncate(TARGETS);
    }
    all.sort_by(order);
    all
}

fn join_cost(playing: &Playing<'_>, joins: &[f32], leave: usize, enter: usize) -> f32 {
    let terms = joins[(leave - 1) * playing.bars + enter];
    let again = if enter < leave { playing.taste.again } else { 0.0 };
    let used = 0.8 * playing.ask.used_joins.iter().filter(|j| **j == (leave, enter)).count() as f32;
    playing.taste.join + terms + again + used
}

/// The cheapest joins from each bar line.
pub(super) fn joins(playing: &Playing<'_>) -> Vec<Vec<Target>> {
    let bars = playing.bars;
    let joins = playing.ask.joins.get_or_init(|| {
        let about = Bars::new(playing.reading, &playing.ask.lines);
        let cost = |leave: usize, enter: usize| judge(playing.reading, playing.likeness, &about, leave, enter).cost();
        (1..=bars).flat_map(|leave| (0..bars).map(move |enter| (leave, enter))).map(|(leave, enter)| cost(leave, enter)).collect()
    });
    (0..=bars).map(|leave| targets(playing, joins, leave)).collect()
}
