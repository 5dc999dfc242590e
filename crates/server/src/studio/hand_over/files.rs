//! Everything else that is handed over: film, lists, cue sheet, report, and all in one.

use super::super::task::{Report, TaskError};
use super::super::{Problem, Studio, extension, title_from};
use super::Made;
use super::sound::{MixRange, OnItsWay, Span, problem};
use crate::store::cuts::Revision;
use crate::store::sounds;
use jaunty_core::check;
use jaunty_core::cut::Cut;
use jaunty_core::digest::hex;
use jaunty_core::handover::{
    Coding, Done, FilmContainer, Form, ListForm, SheetForm, SoundForm, SourceName, cue_sheet, done, file_name, level, on_bar_lines, safe_name, stems,
};
use jaunty_core::picture::Picture;
use jaunty_core::plan::{Plan, Role};
use jaunty_core::reading::Reading;
use jaunty_exchange::captions::write_subrip;
use jaunty_exchange::done::{cmx3600, midi, otio, pages, tables};
use jaunty_media::hand_over;
use serde_json::json;
use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::fs::File;
use std::io::{self, BufWriter, Read, Seek, Write};
use tempfile::NamedTempFile;
use uuid::Uuid;
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

impl Studio {
    /// Makes a file.
    pub(super) async fn make(&self, cut: Uuid, found: &Revision, form: &Form, report: &Report) -> Result<Made, TaskError> {
        let span = Span { report: report.clone(), from: 0.0, to: 0.95 };
        let setup = &found.cut.setup;
        let until = if form.with_tail() { u64::MAX } else { setup.picture.picture_samples() };
        let found = &Revision {
            cut: Cut { plan: found.cut.plan.until(until), ..found.cut.clone() },
            what: found.what.clone(),
            made_by: found.made_by.clone(),
            ..*found
        };
        let plan = &found.cut.plan;
        let (picture, title) = (&setup.picture, setup.title.as_str());
        match *form {
            Form::Mix { sound } => self.make_mix(plan, picture, title, MixRange::whole(plan), sound, &span).await,
            Form::Passage { sound, start_samples, end_samples, handle_samples, loops } => {
                let end = end_samples.min(plan.length_samples);
                let range = if loops {
                    on_bar_lines(start_samples..end, &self.bar_lines_of(found).await?)
                } else {
                    start_samples.saturating_sub(handle_samples)..(end.saturating_add(handle_samples)).min(plan.length_samples)
                };
                let frame = |samples| picture.timecode(picture.rate.frame_at_sample(samples));
                let (starts, ends) = (frame(range.start), frame(range.end));
                let mut made = self.make_mix(plan, picture, title, MixRange { range, loops }, sound, &span).await?;
                made.told.push(if loops { format!("it goes round, from {starts} to {ends} of the cut") } else { format!("it begins at {starts} of the cut") });
                Ok(made)
            }
            Form::Stems { .. } => {
                let named = |hash: &str| setup.name_of(hash).map_or_else(String::new, |name| safe_name(&title_from(name)));
                let (stems, level) = self.make_stems(plan, stems(plan, &named), &span).await?;
                let names: Vec<&str> = stems.iter().map(|(name, _)| name.trim_end_matches(".wav")).collect();
                let mut told = vec![names.join(", ")];
                told.extend(level.words());
                Ok(Made { file: self.zipped(&stems)?, told })
            }
            Form::Film { container, keeps_old_sound } => self.make_film(found, container, keeps_old_sound, &span).await,
            Form::List { list } => {
                span.say("writing the list", 0.3)?;
                let (bytes, told) = self.list(found, list).await?;
                Ok(Made { file: self.written(&bytes)?, told })
            }
            Form::CueSheet { sheet } => {
                let bytes = cue_sheet_bytes(found, sheet);
                Ok(Made { file: self.written(bytes.as_bytes())?, told: Vec::new() })
            }
            Form::Report { page } => {
                span.say("measuring the mix", 0.2)?;
                Ok(Made { file: self.written(&self.report(cut, found, page).await?)?, told: Vec::new() })
            }
            Form::Cut => self.make_archive(cut, found.number, &span).await,
            Form::Everything { sound } => self.make_everything(cut, found, sound, &span).await,
        }
    }

    fn written(&self, bytes: &[u8]) -> Result<NamedTempFile, TaskError> {
        let mut file = self.files.unfinished()?;
        file.write_all(bytes)?;
        file.flush()?;
        Ok(file)
    }

    /// Files in one; the same files give the same bytes.
    fn zipped(&self, files: &[(String, NamedTempFile)]) -> Result<NamedTempFile, TaskError> {
        let made = self.files.unfinished()?;
        let mut zip = ZipWriter::new(BufWriter::new(made.reopen()?));
        // Sound gets no smaller, and no time is told but the format's first.
        let options = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored).large_file(true);
        for (name, file) in files {
            zip.start_file(name.as_str(), options).map_err(io::Error::other)?;
            io::copy(&mut file.reopen()?, &mut zip)?;
        }
        zip.finish().map_err(io::Error::other)?.flush()?;
        Ok(made)
    }

    async fn make_film(&self, found: &Revision, container: FilmContainer, keeps_old_sound: bool, span: &Span) -> Result<Made, TaskError> {
        let (setup, plan) = (&found.cut.setup, &found.cut.plan);
        let film = setup.film.as_ref().ok_or_else(|| Problem::bad_value("This cut has no film. Bring one in at Picture."))?;
        let mix = self.rendered(plan, &span.part(0.0, 0.4)).await?;
        let level = mix.level(SoundForm::default());
        let wav = self.files.unfinished()?;
        let out = OnItsWay { gain_db: level.gain_db, limiter: None };
        self.write_wav(&mix, 0..plan.length_samples, wav.path(), true, &out, &span.part(0.4, 0.6)).await?;
        let spoken = plan.phrases.iter().filter_map(|p| Some((p.start_samples, p.end_samples, p.words.as_deref()?)));
        let text = write_subrip(spoken);
        let captions = if text.is_empty() { None } else { Some(self.written(text.as_bytes())?) };
        span.say("putting sound and picture together", 0.65)?;
        let original = self.files.original(&film.hash, &extension(&film.name)).await?;
        let made = self.files.unfinished()?;
        let (sound, to, length) = (wav.path().to_owned(), made.path().to_owned(), plan.length_samples);
        let lines = captions.as_ref().map(|c| c.path().to_owned());
        let mux = move || hand_over::film(&original, &sound, lines.as_deref(), &to, container, keeps_old_sound, length);
        self.compute(mux).await?.map_err(problem)?;
        let mut told: Vec<String> = level.words().into_iter().collect();
        told.push("the picture is copied bit for bit".into());
        if captions.is_some() {
            told.push("with the words as a text track".into());
        }
        Ok(Made { file: made, told })
    }

    async fn bed_reading_of(&self, found: &Revision) -> Result<Option<Reading>, Problem> {
        let Some(bed) = found.cut.plan.bed() else { return Ok(None) };
        Ok(sounds::bed_document(&self.pool, &bed.sound, found.cut.setup.corrections(&bed.sound)).await?)
    }

    /// Bar lines of the beds as they lie on the cut, in order.
    async fn bar_lines_of(&self, found: &Revision) -> Result<Vec<u64>, Problem> {
        let mut lines = Vec::new();
        for layer in found.cut.plan.beds() {
            let reading = sounds::bed_document(&self.pool, &layer.sound, found.cut.setup.corrections(&layer.sound)).await?;
            if let (Some(fitting), Some(reading)) = (&layer.fitting, reading) {
                lines.extend(fitting.bar_lines(&reading.bar_lines_samples()).into_iter().map(|(at, _)| at));
            }
        }
        lines.retain(|at| *at <= found.cut.plan.length_samples);
        lines.sort_unstable();
        Ok(lines)
    }

    async fn done(&self, found: &Revision) -> Result<Done, Problem> {
        let named = self.source_names(found).await?;
        let (setup, plan) = (&found.cut.setup, &found.cut.plan);
        let name = |hash: &str| named.get(hash).cloned().unwrap_or(SourceName { hash: hash.to_owned(), file: "sound".into(), length_samples: 0 });
        Ok(done(&setup.title, &setup.picture, plan, &name))
    }

    /// A list of what was done, and what it cannot say.
    async fn list(&self, found: &Revision, list: ListForm) -> Result<(Vec<u8>, Vec<String>), Problem> {
        let made = self.done(found).await?;
        let mut told: Vec<String> =
            made.tracks.iter().filter(|t| !t.unsaid.is_empty()).map(|t| format!("not said of {}: {}", t.name, t.unsaid.join(", "))).collect();
        let bytes = match list {
            ListForm::OpenTimelineIo => otio::write(&made).into_bytes(),
            ListForm::Cmx3600 => {
                told.push("levels and crossfades stand in comments".into());
                cmx3600::write(&made).into_bytes()
            }
            ListForm::Pieces => tables::pieces(&made).into_bytes(),
            ListForm::Levels => tables::levels(&made).into_bytes(),
            ListForm::Midi => {
                told.clear();
                let reading = self.bed_reading_of(found).await?;
                match (found.cut.plan.bed().and_then(|b| b.fitting.as_ref()), reading) {
                    (Some(fitting), Some(reading)) => midi::write(fitting, &reading, &found.cut.setup.picture),
                    _ => return Err(Problem::bad_value("There are no bars without a bed.")),
                }
            }
        };
        Ok((bytes, told))
    }

    /// What Check found, with what is measured of the mix.
    async fn report(&self, cut: Uuid, found: &Revision, page: bool) -> Result<Vec<u8>, Problem> {
        let (setup, plan) = (&found.cut.setup, &found.cut.plan);
        let ready = self.open_plan(plan.clone()).await?;
        let (loudness, meters) = self.compute(move || Ok::<_, Problem>((ready.loudness()?, ready.meters()?))).await??;
        let reading = self.bed_reading_of(found).await?;
        let mut objections = Vec::new();
        for candidate in setup.candidates.iter().filter(|c| plan.beds().any(|l| l.sound == c.hash)) {
            objections.extend(self.objection_of(cut, setup, candidate).await?.map(str::to_owned));
        }
        let mut findings = check::picture_findings(setup);
        findings.extend(check::findings(plan, reading.as_ref(), &objections));
        findings.extend(check::measured_findings(&meters, plan.length_samples));
        let out = level(loudness.integrated_lufs, loudness.true_peak_dbtp, None, false);
        let at = |samples: u64| setup.picture.timecode(setup.picture.rate.frame_at_sample(samples.min(plan.length_samples)));
        let accepted_by = |f: &check::Finding| setup.accepted.iter().find(|a| a.finding == f.key()).map(|a| a.by.as_str());
        if page {
            let figure = |value: Option<f64>, unit: &str| value.map_or_else(|| "silence".to_owned(), |v| format!("{v:.1} {unit}"));
            let facts = [
                ("Length".to_owned(), setup.picture.rate.timecode(setup.picture.length_frames).to_string()),
                ("Integrated loudness".to_owned(), figure(loudness.integrated_lufs, "LUFS")),
                ("Loudness range".to_owned(), figure(loudness.range_lu, "LU")),
                ("Highest true peak".to_owned(), figure(loudness.true_peak_dbtp, "dBTP")),
                ("On its way out".to_owned(), out.words().unwrap_or_else(|| "the level stays".into())),
            ];
            let done = |f: &check::Finding| accepted_by(f).map_or_else(|| f.mend.clone(), |by| format!("Accepted by {by}."));
            let rows: Vec<Vec<String>> = findings.iter().map(|f| vec![at(f.at_samples), f.text.clone(), done(f)]).collect();
            return Ok(pages::report(&setup.title, &revision_words(found), &facts, &rows).into_bytes());
        }
        let said = json!({
            "title": setup.title, "revision": found.number, "lengthSamples": plan.length_samples, "lookedAt": check::LOOKED_AT,
            "integratedLufs": loudness.integrated_lufs, "rangeLu": loudness.range_lu, "truePeakDbtp": loudness.true_peak_dbtp, "gainOnItsWayOutDb": out.gain_db,
            "findings": findings.iter().map(|f| json!({ "at": at(f.at_samples), "atSamples": f.at_samples, "weight": f.weight, "text": f.text, "mend": f.mend, "acceptedBy": accepted_by(f) })).collect::<Vec<_>>(),
        });
        Ok(format!("{said:#}\n").into_bytes())
    }

    async fn make_everything(&self, cut: Uuid, found: &Revision, sound: SoundForm, span: &Span) -> Result<Made, TaskError> {
        let (setup, plan) = (&found.cut.setup, &found.cut.plan);
        let (pattern, day) = (setup.file_names(), chrono::Utc::now().date_naive());
        let name = |what: &str, end: &str| format!("{}.{end}", file_name(pattern, &setup.title, what, found.number, day));
        // A Broadcast Wave tells the hour at which it was made: the same revision would not give the same bytes.
        let sound = if sound.coding == Coding::Broadcast { SoundForm { coding: Coding::Wav24, ..sound } } else { sound };
        let mix = self.make_mix(plan, &setup.picture, &setup.title, MixRange::whole(plan), sound, &span.part(0.0, 0.3)).await?;
        let mut files = vec![(name("mix", sound.coding.extension()), mix.file)];
        let named = |hash: &str| setup.name_of(hash).map_or_else(String::new, |name| safe_name(&title_from(name)));
        let (stems, _) = self.make_stems(plan, stems(plan, &named), &span.part(0.3, 0.7)).await?;
        files.extend(stems.into_iter().map(|(stem, file)| (format!("stems/{stem}"), file)));
        if let Some(film) = &setup.film {
            let container = if extension(&film.name) == "mp4" { FilmContainer::Mp4 } else { FilmContainer::Mkv };
            let made = self.make_film(found, container, false, &span.part(0.7, 0.9)).await?;
            files.push((name("film with its sound", container.extension()), made.file));
        }
        span.say("writing the lists", 0.92)?;
        for list in [ListForm::OpenTimelineIo, ListForm::Cmx3600, ListForm::Pieces, ListForm::Levels, ListForm::Midi] {
            if list == ListForm::Midi && plan.bed().is_none() {
                continue;
            }
            let form = Form::List { list };
            files.push((name(form.name(), form.extension()), self.written(&self.list(found, list).await?.0)?));
        }
        for sheet in [SheetForm::Csv, SheetForm::Page] {
            let form = Form::CueSheet { sheet };
            files.push((name(form.name(), form.extension()), self.written(cue_sheet_bytes(found, sheet).as_bytes())?));
        }
        for page in [false, true] {
            let form = Form::Report { page };
            files.push((name(form.name(), form.extension()), self.written(&self.report(cut, found, page).await?)?));
        }
        let manifest = manifest(found, &files, &self.source_names(found).await?)?;
        files.insert(0, ("manifest.json".into(), self.written(manifest.as_bytes())?));
        span.say("putting all in one", 0.97)?;
        let mut told = vec![format!("{} files", files.len())];
        if sound.limited {
            told.push("the mix is limited; the stems add up to it before that".into());
        }
        Ok(Made { told, file: self.zipped(&files)? })
    }
}

fn revision_words(found: &Revision) -> String {
    format!("revision {}", found.number)
}

fn cue_sheet_bytes(found: &Revision, sheet: SheetForm) -> String {
    let (setup, plan) = (&found.cut.setup, &found.cut.plan);
    let cues = cue_sheet(&setup.picture, plan, &|hash| setup.credit(hash));
    match sheet {
        SheetForm::Csv => tables::cue_sheet(&cues),
        SheetForm::Page => pages::cue_sheet(&setup.title, &cue_sheet_words(&setup.picture, plan), &cues),
    }
}

fn cue_sheet_words(picture: &Picture, plan: &Plan) -> String {
    let beds = plan.layers.iter().filter(|l| l.role == Role::Bed).count();
    let pieces = if beds == 1 { "one piece".to_owned() } else { format!("{beds} pieces") };
    format!("{pieces} of music, programme length {}", picture.rate.timecode(picture.length_frames))
}

/// What lies in one file with everything: names, sizes and hashes, and of the sources too.
fn manifest(found: &Revision, files: &[(String, NamedTempFile)], sources: &HashMap<String, SourceName>) -> io::Result<String> {
    let mut listed = Vec::new();
    for (name, file) in files {
        let mut open = File::open(file.path())?;
        let (hash, size) = hash_of(&mut open)?;
        listed.push(json!({ "name": name, "bytes": size, "sha256": hash }));
    }
    let mut sources: Vec<&SourceName> = sources.values().collect();
    sources.sort_by(|a, b| a.hash.cmp(&b.hash));
    let sources: Vec<_> = sources.into_iter().map(|s| json!({ "name": s.file, "sha256": s.hash })).collect();
    let setup = &found.cut.setup;
    let said = json!({ "title": setup.title, "revision": found.number, "lengthSamples": found.cut.plan.length_samples, "files": listed, "sources": sources });
    Ok(format!("{said:#}\n"))
}

fn hash_of(file: &mut File) -> io::Result<(String, u64)> {
    file.rewind()?;
    let (mut hasher, mut block, mut size) = (Sha256::new(), vec![0u8; 1 << 16], 0u64);
    loop {
        let count = file.read(&mut block)?;
        if count == 0 {
            return Ok((hex(&hasher.finalize()), size));
        }
        hasher.update(&block[..count]);
        size += count as u64;
    }
}
