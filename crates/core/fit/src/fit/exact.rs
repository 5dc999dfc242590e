//! Making the planned runs exact to the sample.
//!
//! Splices are aligned first, which moves lengths by some milliseconds. What is then left over is
//! taken up where nobody hears it: by the silence around the music (a quarter of a second at most),
//! by the length of a ring-out or a fade, and else by a change of speed between two fixed points:
//! the start, the pins, and the end.

use super::ask::Ask;
use super::bed::{MOST_SHIFT_SAMPLES, spare_samples};
use super::fitted::FittedBed;
use super::planner::{Arrival, Bars, End, Judged, Start, judge, start_samples, voice};
use super::telling::splices::why_spliced;
use super::{Audible, Bend, Fitting, FittingEnd, FittingStart, Piece, Splice, Term};
use jaunty_reading::reading::{BarLikeness, EndingKind, Reading};
use jaunty_sound::sound::Source;
use jaunty_sound::splice::{self, Join, LEAD_SAMPLES, RingOut, SpliceAt, Touch, surprise};
use jaunty_units::SAMPLE_RATE_HZ;
use jaunty_units::message;
use jaunty_units::message::Message;

/// How far beside a run a pinned moment may lie: what the alignment of a join moves at most, 25 ms.
pub const PINNED_BESIDE: i64 = 1200;

/// How far the speed of the stretch before a pin may go beyond what is allowed, so that the pin is met to the sample.
const ROUNDING: f64 = 0.0025;

/// What it costs to meet beside the bar line at all, for each beat, and where somebody sings on across, in dB of the bands.
const BESIDE_DB: f32 = 1.0;
const BEAT_DB: f32 = 0.3;
const SUNG_DB: f32 = 20.0;
/// Beats of both sides that are so much apart are out of step: 10 ms.
const OUT_OF_STEP_SAMPLES: u64 = 480;

/// A place at which bed and cut are fixed to each other: run, sample of the bed, sample of the place.
#[derive(Clone, Copy)]
struct Anchor {
    run: usize,
    bed: i64,
    at: i64,
}

/// What is needed to make a plan exact.
pub struct Exact<'a> {
    /// The bed.
    pub bed: &'a dyn Source,
    /// Its reading.
    pub reading: &'a Reading,
    /// Its bars' likeness.
    pub likeness: &'a BarLikeness,
    /// The request.
    pub ask: &'a Ask,
    /// What was changed of splices by hand.
    pub touches: &'a [Touch],
    /// Where on the cut the place begins.
    pub place_start: u64,
    /// Surprises of the bed's own bar lines, rising.
    pub line_surprises: &'a [f32],
    /// Splices that were made before and stay as they are: aligned and measured once.
    pub known: &'a [&'a Splice],
}

/// A run as samples of the bed; the last one's end is where it may stop.
struct Span {
    start: i64,
    end: i64,
}

impl Exact<'_> {
    /// The fitting of a plan.
    pub fn fitting(&self, plan: &Arrival) -> Fitting {
        let Self { ask, reading, .. } = *self;
        let lines = &ask.lines;
        let about = Bars::new(reading, lines);
        let judged: Vec<Judged> = plan.runs.windows(2).map(|w| judge(reading, self.likeness, &about, w[0].1, w[1].0)).collect();
        let align = |(w, judged): (&[(usize, usize)], &Judged)| {
            let (leave, enter) = (w[0].1, w[1].0);
            if let Some(known) = self.known(leave, enter) {
                return known.join;
            }
            let lines = SpliceAt { leave_samples: lines[leave] as u64, enter_samples: lines[enter] as u64 };
            splice::align(self.bed, lines, self.later_samples(leave, enter), judged.is_sequel, self.touch(leave, enter))
        };
        let joins: Vec<Join> = plan.runs.windows(2).zip(&judged).map(align).collect();
        let spans = self.spans(plan, &joins);
        let anchors = self.anchors(plan, &spans);
        let pieces = self.pieces(plan, &spans, &anchors);
        let splices = (1..pieces.len()).map(|k| self.splice(plan, &pieces, k, &judged[k - 1], &joins[k - 1])).collect();
        let widest = |a: f64, b: f64| if (b - 1.0).abs() > (a - 1.0).abs() { b } else { a };
        let speed = pieces.iter().flat_map(|p| std::iter::once(p.speed).chain(p.bends.iter().map(|b| b.speed))).fold(1.0, widest);
        let mut fitting = Fitting {
            start_samples: self.place_start,
            length_samples: ask.wanted as u64,
            pieces,
            splices,
            start: match plan.start {
                Start::Top | Start::Pickup(_) => FittingStart::Top,
                Start::Cold(_) => FittingStart::Cold,
                Start::FadeIn(_) => FittingStart::FadeIn,
            },
            end: match plan.end {
                End::Own if reading.ending.kind == EndingKind::FadesOut => FittingEnd::OwnFade,
                End::Own => FittingEnd::OwnEnding,
                End::Stop(_) => FittingEnd::Stop,
                End::Fade => FittingEnd::Fade,
            },
            last_hit_samples: None,
            ring_out: None,
            speed,
            cost: plan.cost,
            name: Message::default(),
            why: Message::default(),
            notes: Vec::new(),
        };
        let last = fitting.pieces.last().expect("an edit has a run");
        match plan.end {
            End::Own if fitting.end == FittingEnd::OwnFade => {}
            End::Own => fitting.last_hit_samples = Some(last.cut_position(reading.ending.last_hit_samples as f64).round().max(0.0) as u64),
            End::Stop(bar) => {
                let at = last.cut_position(lines[bar] as f64).round().max(0.0) as u64;
                let end = self.place_start + ask.wanted as u64;
                let fed = self.fed_samples(bar).min(end.saturating_sub(at));
                fitting.last_hit_samples = Some(at);
                fitting.ring_out =
                    Some(RingOut { fed_from_samples: lines[bar] as u64, fed_samples: fed, at_samples: at, length_samples: end.saturating_sub(at) });
            }
            End::Fade => {}
        }
        self.measure_surprise(&mut fitting);
        fitting
    }

    fn known(&self, leave_bar: usize, enter_bar: usize) -> Option<&Splice> {
        self.known.iter().find(|s| (s.leave_bar, s.enter_bar) == (leave_bar, enter_bar)).copied()
    }

    /// How much later than the bar lines both sides of a splice meet, with what is asked for around it: none where
    /// somebody chose the place, or where beats that must or must not sound would be exchanged.
    fn later_samples(&self, leave: usize, enter: usize) -> i64 {
        let Self { ask, reading, .. } = *self;
        let is_asked_for = self.touch(leave, enter).is_some() || ask.musts.contains(&(leave, enter));
        let near_an_end = leave.max(enter) + 1 >= ask.last_bar || enter == 0;
        let silent = [leave - 1, leave, enter.saturating_sub(1), enter].iter().any(|bar| ask.silent.get(*bar).copied().unwrap_or(true));
        let is_kept = ask.keep.iter().any(|k| [k.0, k.1].iter().any(|line| [leave, enter].contains(line)));
        let lines = SpliceAt { leave_samples: ask.lines[leave] as u64, enter_samples: ask.lines[enter] as u64 };
        let beat = 60.0 * f64::from(SAMPLE_RATE_HZ) / reading.tempo_bpm.max(20.0);
        let is_pinned = ask.pins.iter().any(|p| [ask.lines[leave], ask.lines[enter]].iter().any(|line| ((p.bed - line).abs() as f64) < 3.0 * beat));
        if is_asked_for || near_an_end || silent || is_kept || is_pinned {
            return 0;
        }
        // Half beats of what comes, where there are as many of what is left.
        let beats = &reading.beats_samples;
        let half_beat = |line: usize, half: isize| {
            let at = |beat: isize| Some(*beats.get(line.checked_add_signed(beat)?)? as i64);
            Some((at(half.div_euclid(2))? + at((half + 1).div_euclid(2))?) / 2 - beats[line] as i64)
        };
        let (left, entered) = (reading.downbeats[leave], reading.downbeats[enter]);
        // Where one side runs faster than the other, what lies between would be out of step.
        let in_step = |half: isize| half_beat(entered, half).filter(|to| half_beat(left, half).is_some_and(|from| from.abs_diff(*to) < OUT_OF_STEP_SAMPLES));
        let offsets: Vec<i64> = [-1, 1, -2, 2, -3, 3, -4, 4].into_iter().filter_map(in_step).collect();
        let could_follow = self.likeness.could_follow(leave, enter);
        let dear = |later: i64| {
            let sung = voice(reading, ask.lines[leave] + later, ask.lines[enter] + later, could_follow);
            SUNG_DB * sung + if later == 0 { 0.0 } else { BESIDE_DB + BEAT_DB * (later.abs() as f64 / beat) as f32 }
        };
        splice::meeting::later_samples(self.bed, &lines, &offsets, dear)
    }

    fn touch(&self, leave: usize, enter: usize) -> Option<&Touch> {
        let near = |a: u64, line: usize| a.abs_diff(self.ask.lines[line] as u64) <= self.ask.bucket as u64;
        self.touches.iter().rev().find(|t| near(t.splice.leave_samples, leave) && near(t.splice.enter_samples, enter))
    }

    /// The beat that a stop on `bar` lets sound, nearly whole.
    fn fed_samples(&self, bar: usize) -> u64 {
        let beats = &self.reading.beats_samples;
        let beat = self.reading.downbeats[bar];
        let length = match beats.get(beat + 1) {
            Some(next) => next - beats[beat],
            None if beat > 0 => beats[beat] - beats[beat - 1],
            None => 24_000,
        };
        let rest = self.reading.length_samples.saturating_sub(beats[beat]);
        (length * 9 / 10).min(rest).max(1)
    }

    fn spans(&self, plan: &Arrival, joins: &[Join]) -> Vec<Span> {
        let lines = &self.ask.lines;
        let lead = LEAD_SAMPLES as i64;
        // Only a loop has something before its beginning: its end.
        let earliest = if self.reading.is_loop() { -(self.reading.length_samples as i64) } else { 0 };
        let start = |index: usize, from: usize| match index.checked_sub(1) {
            Some(before) => (lines[from] + joins[before].moved_samples + joins[before].later_samples - lead).max(earliest),
            None => start_samples(plan.start, self.reading, lines),
        };
        let end = |index: usize, to: usize| match (joins.get(index), plan.end) {
            (Some(join), _) => lines[to] + join.later_samples - lead,
            (None, End::Own) => self.reading.ending.music_end_samples as i64,
            (None, End::Stop(bar)) => lines[bar] + self.fed_samples(bar) as i64,
            (None, End::Fade) => self.reading.length_samples as i64,
        };
        plan.runs
            .iter()
            .enumerate()
            .map(|(k, &(from, to))| {
                let start = start(k, from);
                Span { start, end: end(k, to).max(start + 1) }
            })
            .collect()
    }

    /// The start, the pins and, where it is fixed, the end.
    fn anchors(&self, plan: &Arrival, spans: &[Span]) -> Vec<Anchor> {
        let ask = self.ask;
        let mut anchors = vec![Anchor { run: 0, bed: spans[0].start, at: 0 }];
        for pin in &ask.pins {
            let from = anchors[anchors.len() - 1];
            // The run that holds the pin nearest to when it is wanted.
            let distance = |run: usize| natural(spans, &from, run, pin.bed) - (pin.at - from.at);
            // The alignment of a join may have cut off a few milliseconds of what was planned.
            let holds = |run: &usize| {
                let (first, last) = (spans[*run].start - PINNED_BESIDE, spans[*run].end + PINNED_BESIDE);
                (first..=last).contains(&pin.bed) && (*run > from.run || pin.bed >= from.bed)
            };
            let Some(run) = (from.run..spans.len()).filter(holds).min_by_key(|run| distance(*run).abs()) else { continue };
            anchors.push(Anchor { run, bed: pin.bed, at: pin.at });
        }
        // The first stretch may begin a little later, if its end is fixed.
        let (last, end) = (anchors[anchors.len() - 1], spans.len() - 1);
        if plan.end == End::Own && !ask.hit_is_pinned() {
            let music_end = spans[end].end;
            let leftover = (ask.wanted - last.at) - natural(spans, &last, end, music_end);
            let spare = (-leftover).clamp(0, spare_samples(self.reading));
            let shift = (leftover + spare).clamp(-MOST_SHIFT_SAMPLES, MOST_SHIFT_SAMPLES);
            anchors.push(Anchor { run: end, bed: music_end, at: ask.wanted - shift + spare });
        }
        if let [first, second, ..] = &mut anchors[..]
            && !(second.run == end && second.bed == spans[end].end)
        {
            let early = (second.at - first.at) - natural(spans, first, second.run, second.bed);
            first.at = early.clamp(0, MOST_SHIFT_SAMPLES);
        }
        anchors
    }

    fn pieces(&self, plan: &Arrival, spans: &[Span], anchors: &[Anchor]) -> Vec<Piece> {
        let ask = self.ask;
        let limit = ask.most_speed_change;
        // Speed of the stretch that begins at each anchor.
        let speed_after = |k: usize| match anchors.get(k + 1) {
            Some(next) => {
                let here = &anchors[k];
                let speed = natural(spans, here, next.run, next.bed) as f64 / (next.at - here.at).max(1) as f64;
                // The alignment of the splices may ask for a hair more than was planned.
                let hair = if limit > 0.0 { 1e-3 } else { 0.0 };
                speed.clamp(1.0 - limit - hair, 1.0 + limit + hair)
            }
            None => 1.0,
        };
        let mut pieces: Vec<Piece> = Vec::new();
        let mut at = anchors[0].at;
        let mut speed = speed_after(0);
        let mut next = 1;
        for (run, span) in spans.iter().enumerate() {
            let (start_bar, end_bar) = plan.runs[run];
            let last = run + 1 == spans.len();
            let mut piece = Piece {
                start_bar,
                end_bar,
                source_start_samples: span.start,
                cut_start_samples: self.place_start + at as u64,
                cut_end_samples: 0,
                speed,
                bends: Vec::new(),
            };
            let mut from = (span.start, at);
            while let Some(anchor) = anchors.get(next).filter(|a| a.run == run && !(last && a.bed == span.end)) {
                if run > 0 && anchor.bed <= span.start && from.0 == span.start {
                    // What is pinned lies within what the join cut off: what comes lies as if it had been heard.
                    speed = speed_after(next);
                    from.1 = anchor.at + (span.start - anchor.bed);
                    (piece.cut_start_samples, piece.speed) = (self.place_start + from.1 as u64, speed);
                    if let Some(before) = pieces.last_mut() {
                        before.cut_end_samples = piece.cut_start_samples;
                    }
                    next += 1;
                    continue;
                }
                // The last stretch before a pin makes up for what rounding left.
                if anchor.at > from.1 {
                    let exact = (anchor.bed - from.0) as f64 / (anchor.at - from.1) as f64;
                    if (exact - 1.0).abs() <= limit + ROUNDING {
                        match piece.bends.last_mut() {
                            Some(bend) => bend.speed = exact,
                            None => piece.speed = exact,
                        }
                    }
                }
                speed = speed_after(next);
                if anchor.bed < span.end {
                    piece.bends.push(Bend { cut_samples: self.place_start + anchor.at as u64, source_samples: anchor.bed as u64, speed });
                }
                from = (anchor.bed, anchor.at);
                next += 1;
            }
            at = if last { ask.wanted } else { from.1 + ((span.end - from.0) as f64 / speed).round() as i64 };
            at = at.min(ask.wanted).max((piece.cut_start_samples - self.place_start) as i64);
            piece.cut_end_samples = self.place_start + at as u64;
            pieces.push(piece);
        }
        pieces
    }

    fn splice(&self, plan: &Arrival, pieces: &[Piece], k: usize, judged: &Judged, join: &Join) -> Splice {
        let lines = &self.ask.lines;
        let (leave_bar, enter_bar) = (plan.runs[k - 1].1, plan.runs[k].0);
        let enter = lines[enter_bar] + join.moved_samples;
        let mut terms: Vec<Term> = judged.terms().filter(|(_, cost)| cost.abs() >= 0.005).map(|(about, cost)| Term { name: about.message(), cost }).collect();
        terms.sort_by(|a, b| b.cost.total_cmp(&a.cost));
        Splice {
            leave_bar,
            enter_bar,
            at: SpliceAt { leave_samples: lines[leave_bar] as u64, enter_samples: lines[enter_bar] as u64 },
            leave_samples: lines[leave_bar] as u64,
            enter_samples: enter.max(0) as u64,
            at_samples: pieces[k].cut_position(enter as f64).round().max(0.0) as u64,
            goodness: judged.chance,
            is_sequel: judged.is_sequel,
            audible: Audible::of(judged.chance),
            surprise_rank: 0.5,
            join: *join,
            terms,
            why: if self.reading.is_loop() && (leave_bar, enter_bar) == (self.reading.bar_count(), 0) {
                message!("splice.loop")
            } else {
                why_spliced(self.reading, self.likeness, judged, (leave_bar, enter_bar), join)
            },
            by_hand: self.ask.musts.contains(&(leave_bar, enter_bar)) || self.touch(leave_bar, enter_bar).is_some(),
        }
    }

    fn measure_surprise(&self, fitting: &mut Fitting) {
        if fitting.splices.is_empty() {
            return;
        }
        let heard = FittedBed::new(self.bed, fitting);
        let measured = |s: &Splice| surprise::rank(self.line_surprises, surprise::surprise(&heard, s.meets_samples()));
        let rank = |s: &Splice| self.known(s.leave_bar, s.enter_bar).map_or_else(|| measured(s), |known| known.surprise_rank);
        let ranks: Vec<f32> = fitting.splices.iter().map(rank).collect();
        for (splice, rank) in fitting.splices.iter_mut().zip(ranks) {
            splice.surprise_rank = rank;
        }
    }
}

/// Natural length from an anchor to sample `bed` of run `run`.
fn natural(spans: &[Span], from: &Anchor, run: usize, bed: i64) -> i64 {
    if run == from.run {
        return bed - from.bed;
    }
    let between: i64 = spans[from.run + 1..run].iter().map(|s| s.end - s.start).sum();
    (spans[from.run].end - from.bed) + between + (bed - spans[run].start)
}
