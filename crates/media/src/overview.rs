//! The few numbers from which a waveform is drawn.

use jaunty_core::sound::Source;

/// Highest absolute sample of each span of a sound.
#[derive(Debug, Clone, PartialEq)]
pub struct Overview {
    /// Length of a span in samples.
    pub span_samples: u64,
    /// 0 to 65535 for 0 to full scale, one a span.
    pub peaks: Vec<u16>,
}

/// Peaks of `source` over spans of `span_samples`.
pub fn overview(source: &dyn Source, span_samples: u64) -> Overview {
    const SPANS_AT_ONCE: u64 = 256;
    let mut block = vec![0.0f32; (span_samples * SPANS_AT_ONCE) as usize];
    let mut peaks = Vec::with_capacity((source.len_samples() / span_samples + 1) as usize);
    for start in (0..source.len_samples()).step_by(block.len()) {
        source.read_mono(start as i64, &mut block);
        let count = (source.len_samples() - start).min(block.len() as u64) as usize;
        for span in block[..count].chunks(span_samples as usize) {
            let peak = span.iter().fold(0.0f32, |top, s| top.max(s.abs()));
            peaks.push((peak.min(1.0) * 65_535.0).round() as u16);
        }
    }
    Overview { span_samples, peaks }
}
