//! Pages to print: the music cue sheet and the report of a check. Plain HTML, with no script and nothing from elsewhere.

use jaunty_core::SAMPLE_RATE_HZ;
use jaunty_core::handover::Cue;
use std::fmt::Write;

/// Text as HTML shows it.
fn escaped(text: &str) -> String {
    text.chars().fold(String::with_capacity(text.len()), |mut out, c| {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            c => out.push(c),
        }
        out
    })
}

fn page(title: &str, subtitle: &str, body: &str) -> String {
    format!(
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{t}</title><style>\n\
         body{{font:11pt/1.4 serif;margin:18mm;color:#111}} h1{{font-size:17pt;margin:0}} p.sub{{margin:2mm 0 8mm;color:#444}}\n\
         table{{border-collapse:collapse;width:100%}} th,td{{text-align:left;vertical-align:top;padding:1.5mm 3mm 1.5mm 0;border-bottom:.3pt solid #999}}\n\
         td.n{{font-variant-numeric:tabular-nums;white-space:nowrap}} @page{{size:auto;margin:0}}\n\
         </style></head><body><h1>{t}</h1><p class=\"sub\">{s}</p>\n{body}\n</body></html>\n",
        t = escaped(title),
        s = escaped(subtitle)
    )
}

fn rows(head: &[&str], rows: &[Vec<String>]) -> String {
    let mut out = String::from("<table><thead><tr>");
    for name in head {
        let _ = write!(out, "<th>{}</th>", escaped(name));
    }
    out.push_str("</tr></thead><tbody>\n");
    for row in rows {
        out.push_str("<tr>");
        for cell in row {
            let number = cell.chars().all(|c| c.is_ascii_digit() || ":;.,-− ".contains(c));
            let _ = write!(out, "<td{}>{}</td>", if number { " class=\"n\"" } else { "" }, escaped(cell));
        }
        out.push_str("</tr>\n");
    }
    out.push_str("</tbody></table>");
    out
}

/// The music cue sheet, with the lines to credit by.
pub fn cue_sheet(title: &str, subtitle: &str, cues: &[Cue]) -> String {
    let all: Vec<Vec<String>> = cues
        .iter()
        .map(|cue| {
            let c = &cue.credit;
            let uses: Vec<&str> = cue.uses.iter().map(|u| u.name()).collect();
            let length_s = (cue.end_samples - cue.start_samples) as f64 / f64::from(SAMPLE_RATE_HZ);
            let by: Vec<&str> = [c.maker.as_str(), c.source.as_str()].into_iter().filter(|s| !s.is_empty()).collect();
            let right: Vec<&str> = [c.licence.as_str(), c.terms.as_str()].into_iter().filter(|s| !s.is_empty()).collect();
            vec![c.title.clone(), by.join(", "), right.join(", "), cue.starts.clone(), cue.ends.clone(), format!("{length_s:.1}"), uses.join(", ")]
        })
        .collect();
    let mut body = rows(&["title", "by", "licence", "in", "out", "seconds", "use"], &all);
    let mut credits: Vec<&str> = cues.iter().map(|c| c.credit.line.as_str()).filter(|l| !l.is_empty()).collect();
    credits.dedup();
    if !credits.is_empty() {
        body.push_str("<h2>Credits</h2>");
        for line in credits {
            let _ = write!(body, "<p>{}</p>", escaped(line));
        }
    }
    page(&format!("Music of {title}"), subtitle, &body)
}

/// A report: facts, then what was found (where, what, what to do).
pub fn report(title: &str, subtitle: &str, facts: &[(String, String)], findings: &[Vec<String>]) -> String {
    let facts: Vec<Vec<String>> = facts.iter().map(|(name, value)| vec![name.clone(), value.clone()]).collect();
    let mut body = rows(&["measured", ""], &facts);
    body.push_str("<h2>Found</h2>");
    body.push_str(&if findings.is_empty() { "<p>Nothing to look at.</p>".to_owned() } else { rows(&["at", "what", "what to do"], findings) });
    page(&format!("Check of {title}"), subtitle, &body)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_with_markup_stay_text() {
        let page = report("<b>A & B</b>", "\"x\"", &[("<script>".into(), "1".into())], &[]);
        assert!(page.contains("&lt;b&gt;A &amp; B&lt;/b&gt;") && page.contains("&lt;script&gt;") && !page.contains("<script>"));
    }
}
