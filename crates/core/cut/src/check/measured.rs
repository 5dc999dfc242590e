//! Findings that need the mix to be measured: its peak, how the bed lies under each phrase, silence, the sum of both
//! channels, its end.

use super::{Finding, Weight};
use crate::cut::{Change, Figure, LevelsChange};
use crate::handover::level;
use jaunty_shape::mix::Meters;
use jaunty_shape::shape::{LEAST_UNDER_SPEECH_DB, UNDER_SPEECH_DB};
use jaunty_sound::sound::loudness::BLOCK_SAMPLES;
use jaunty_units::SAMPLE_RATE_HZ;

/// What [`measured_findings`] looks at, as sentences that hold when it finds nothing.
pub const MEASURED: [&str; 7] = [
    "The mix keeps under -1 dBTP by itself.",
    "The bed lies under every phrase as it was asked to, within 3 dB.",
    "No sound of the film that stands out is covered by the bed.",
    "Nowhere in the middle is there silence of more than a second.",
    "Heard in mono, nothing is lost.",
    "The mix swings around zero: it carries no direct current.",
    "The sound ends by itself and is not cut off.",
];

/// A bed that lies so much higher or lower under a phrase than asked is told, in dB: one that breathes by its own music
/// moves by about as much (common practice, no source).
const OFF_DB: f64 = 3.0;
/// Quieter than this is silence to whoever listens, in LUFS (common practice: a room's own noise is over it).
const SILENT_LUFS: f32 = -55.0;
/// What the sum of both channels may lose, in dB: two channels that have nothing to do with each other lose 3.
const MONO_LOSS_DB: f64 = 4.5;
/// Direct current that is told, of full scale (common practice, no source: a cut between two such sounds clicks).
const DIRECT_CURRENT: f64 = 0.005;
/// An end that is so little under the whole is cut off, in dB.
const CUT_OFF_DB: f64 = 8.0;

/// A sound of the film is heard over a bed that lies so far under it, in dB (common practice, no source).
const EFFECT_OVER_BED_DB: f64 = 5.0;
/// Sounds of the film that are no farther apart belong together: 5 s.
const TOGETHER: u64 = 240_000;
/// A bed that would have to sink by more is gone: whether that is meant is not for a key to say, in dB.
const MOST_LOWER_DB: f64 = 10.0;
/// The bed is lowered so long before and behind it: its eases, 0.3 s.
const AROUND_EFFECT: u64 = 14_400;

/// Looks over what was measured of a mix of `length_samples`.
pub fn measured_findings(meters: &Meters, length_samples: u64) -> Vec<Finding> {
    let mut all = Vec::new();
    let mut add = |finding| all.push(finding);
    if let (Some(peak), Some(words)) = (meters.true_peak_dbtp, level(None, meters.true_peak_dbtp, None, false).words()) {
        let text = format!("The mix peaks at {peak:.1} dBTP: on its way out it is {words}.");
        let mend = "Lower what is loud there, or hand over 32-bit floating point, which holds it.";
        add(Finding::new(Weight::Note, meters.peak_at_samples, text, mend));
    }
    for phrase in &meters.phrases {
        let Some(measured) = phrase.bed_under_db else { continue };
        let at = phrase.start_samples;
        // Where no more was asked, the plan's own finding says so.
        if phrase.asked_db.is_some_and(|asked| asked < LEAST_UNDER_SPEECH_DB) {
            continue;
        }
        if measured < LEAST_UNDER_SPEECH_DB - 1.0 {
            // Whole decibels, so that what is said is what is done.
            let deeper_db = (phrase.asked_db.unwrap_or(UNDER_SPEECH_DB).max(LEAST_UNDER_SPEECH_DB) - measured).ceil();
            let text = format!("The bed lies only {measured:.1} dB under this phrase, measured.");
            add(Finding::new(Weight::Look, at, text, "Deepen the dip here at Shape.").mended_by(
                format!("lower the bed by {deeper_db:.0} dB under this phrase"),
                Change::Levels(LevelsChange::Emphasise { phrase: at, deeper_db: Some(deeper_db) }),
            ));
        } else if let Some(asked) = phrase.asked_db.filter(|asked| (measured - asked).abs() > OFF_DB) {
            let where_to = if measured > asked { "lower" } else { "higher" };
            let text = format!("The bed lies {measured:.1} dB under this phrase; {asked:.0} was asked, so the music itself is {where_to} here.");
            add(Finding::new(Weight::Note, at, text, "Move the level of this dip at Shape, if it shows.")
                .mended_by("hold the bed under each phrase", Change::Levels(LevelsChange::Figure { figure: Figure::HoldEachPhrase(true) })));
        }
    }
    // A clock that ticks, steps on a stair: what comes together is one finding.
    for stretch in meters.masked.chunk_by(|a, b| b.start_samples.saturating_sub(a.end_samples) < TOGETHER) {
        let (at, until) = (stretch[0].start_samples, stretch[stretch.len() - 1].end_samples);
        let under_db = stretch.iter().map(|m| m.bed_under_db).fold(f64::INFINITY, f64::min);
        let lower_db = (EFFECT_OVER_BED_DB - under_db).ceil();
        let lies = format!("lies {:.0} dB {}", under_db.abs(), if under_db < 0.0 { "over" } else { "under" });
        let text = match stretch.len() {
            1 => format!("The bed {lies} a sound of the film here, which it covers."),
            n => format!(
                "The bed covers {n} sounds of the film within {:.0} s from here; at most it {lies} them.",
                (until - at) as f64 / f64::from(SAMPLE_RATE_HZ)
            ),
        };
        let finding = Finding::new(Weight::Note, at, text, "Lower the bed in this passage at Shape, if that is meant to be heard.");
        let (start_samples, end_samples) = (at.saturating_sub(AROUND_EFFECT), (until + AROUND_EFFECT).min(length_samples));
        let sweep = LevelsChange::Sweep { lane: None, start_samples, end_samples, by_db: -lower_db };
        add(if lower_db > MOST_LOWER_DB { finding } else { finding.mended_by(format!("lower the bed by {lower_db:.0} dB here"), Change::Levels(sweep)) });
    }
    for (from, to) in silences(&meters.momentary_lufs) {
        let seconds = (to - from) as f64 / 10.0;
        let text = format!("Nothing is heard here for {seconds:.1} s.");
        add(Finding::new(Weight::Look, from as u64 * BLOCK_SAMPLES, text, "Lay a bed or an ambience under it, or accept it."));
    }
    if let Some(loss) = meters.mono_loss_db.filter(|loss| *loss > MONO_LOSS_DB) {
        let text = format!("Heard in mono, the mix loses {loss:.1} dB: parts of both channels cancel.");
        add(Finding::new(Weight::Look, 0, text, "Bring in the sound again with both channels in phase."));
    }
    if meters.direct_current.abs() > DIRECT_CURRENT {
        let text = format!("The mix carries a direct current of {:.1} % of full scale.", 100.0 * meters.direct_current);
        add(Finding::new(Weight::Look, 0, text, "Bring in the sound it comes from again, with what lies under 20 Hz taken out."));
    }
    let (last, whole) = (meters.momentary_lufs.last().copied().flatten(), meters.integrated_lufs);
    if let (Some(end), Some(whole)) = (meters.end_lufs, whole)
        && end > whole - CUT_OFF_DB
        && last.is_some()
    {
        let text = format!("The sound is cut off at the end: its last tenth of a second is still at {end:.0} LUFS.");
        let at = length_samples.saturating_sub(BLOCK_SAMPLES);
        add(Finding::new(Weight::Look, at, text, "Fade it out at Shape, or end the bed by itself at Fit.")
            .mended_by("fade it out over 2 s", Change::Levels(LevelsChange::Figure { figure: Figure::FadeOutS(Some(2.0)) })));
    }
    all
}

/// Stretches of more than a second, in tenths of one, in which nothing is heard between what is.
fn silences(momentary: &[Option<f32>]) -> Vec<(usize, usize)> {
    let is_heard = |k: &usize| momentary[*k].is_some_and(|l| l > SILENT_LUFS);
    let heard: Vec<usize> = (0..momentary.len()).filter(is_heard).collect();
    // A window of 0.4 s still hears what ended before it.
    heard.windows(2).filter(|w| w[1] - w[0] > 10).map(|w| (w[0] + 1, w[1])).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use jaunty_shape::mix::{Masked, PhraseMeter};

    fn meters() -> Meters {
        let phrase = |start_samples: u64, bed_under_db: f64| PhraseMeter {
            start_samples,
            end_samples: start_samples + 48_000,
            asked_db: Some(20.0),
            bed_under_db: Some(bed_under_db),
        };
        let heard = |k: usize| if (40..55).contains(&k) { None } else { Some(-20.0) };
        Meters {
            voice_over_bed_db: Vec::new(),
            momentary_lufs: (0..100).map(heard).collect(),
            short_term_lufs: Vec::new(),
            true_peak_dbtp: Some(0.4),
            peak_at_samples: 96_000,
            integrated_lufs: Some(-18.0),
            range_lu: None,
            phrases: vec![phrase(0, 20.4), phrase(96_000, 24.1), phrase(240_000, 15.0)],
            masked: vec![Masked { start_samples: 336_000, end_samples: 345_600, bed_under_db: -2.4 }],
            mono_loss_db: Some(9.0),
            end_lufs: Some(-20.0),
            direct_current: 0.02,
        }
    }

    #[test]
    fn each_rule_finds_what_it_is_for_and_where() {
        let mut found = measured_findings(&meters(), 480_000);
        assert_eq!(found.len(), 8, "{found:?}");
        let covered = found.remove(3);
        assert!(covered.text.contains("2 dB over a sound of the film") && covered.at_samples == 336_000);
        let lower = LevelsChange::Sweep { lane: None, start_samples: 321_600, end_samples: 360_000, by_db: -8.0 };
        assert_eq!(covered.remedy.map(|r| (r.words, r.change)), Some(("lower the bed by 8 dB here".into(), Change::Levels(lower))));
        assert!(found[0].at_samples == 96_000 && found[0].text.contains("0.4 dBTP") && found[0].text.contains("lowered by 1.4 dB"));
        assert!(found[1].text.contains("24.1 dB") && found[1].text.contains("20 was asked") && found[1].at_samples == 96_000);
        assert!(found[2].text.contains("only 15.0 dB") && found[2].weight == Weight::Look);
        assert!(found[3].text.contains("1.5 s") && found[3].at_samples == 40 * 4800);
        assert!(found[4].text.contains("9.0 dB") && found[5].text.contains("2.0 % of full scale") && found[6].text.contains("-20 LUFS"));
        // What mends it says what it does: 15 measured of 20 asked are 5 more.
        let words: Vec<_> = found.iter().filter_map(|f| f.remedy.as_ref()).map(|r| r.words.as_str()).collect();
        assert_eq!(words, ["hold the bed under each phrase", "lower the bed by 5 dB under this phrase", "fade it out over 2 s"]);
        // A clock ticks five times, once far under the bed: one finding, and no key that takes the bed away.
        let mut ticks = meters();
        let tick = |k: u64| Masked { start_samples: k * 48_000, end_samples: k * 48_000 + 9600, bed_under_db: if k == 2 { -9.0 } else { 1.0 } };
        ticks.masked = (0..5).map(tick).collect();
        let told: Vec<_> = measured_findings(&ticks, 480_000).into_iter().filter(|f| f.text.contains("sounds of the film")).collect();
        assert!(
            told.len() == 1
                && told[0].text.contains("covers 5 sounds of the film within 4 s")
                && told[0].text.contains("9 dB over")
                && told[0].remedy.is_none()
        );
        // What was asked to be so loud is told by the plan alone.
        let mut asked = meters();
        asked.phrases[2].asked_db = Some(14.0);
        assert_eq!(measured_findings(&asked, 480_000).len(), 7);
    }

    #[test]
    fn a_mix_that_is_well_has_no_findings() {
        let well = Meters {
            true_peak_dbtp: Some(-1.5),
            momentary_lufs: vec![None, None, Some(-20.0), None, Some(-20.0), None],
            phrases: Vec::new(),
            masked: Vec::new(),
            mono_loss_db: Some(1.0),
            end_lufs: Some(-60.0),
            direct_current: -0.001,
            ..meters()
        };
        assert!(measured_findings(&well, 480_000).is_empty());
    }
}
