//! What the plan changes in a folder, as a diff, and made.

use std::path::{Path, PathBuf};

use rummage_store::RunInfo;
use rummage_triage::{Applied, Changes, DiffLine};
use rummage_view::{counted, diff, safe};
use url::Url;

use super::words;
use crate::args::CheckOptions;
use crate::commands::mend::to_files::{Edits, preview};
use crate::failure::Failure;
use crate::plan_file::PlanFile;
use crate::urls;

/// Where the sources of a site are.
pub(super) struct Ground {
    pub(super) folder: PathBuf,
    pub(super) at: Url,
}

/// The folder that was named, else the one that a run was read from.
pub(super) fn ground(
    files: Option<&Path>,
    at: Option<&str>,
    run: &RunInfo,
) -> Result<Ground, Failure> {
    let options: CheckOptions = serde_json::from_str(&run.options).unwrap_or_default();
    let folder = match files {
        Some(files) => files.to_owned(),
        None if urls::is_folder(&run.given_start) => PathBuf::from(&run.given_start),
        None => {
            return Err(Failure::Usage {
                what: "it is not known which files the plan is for".to_owned(),
                hint: "Begin with rummage triage --files DIR; or apply the plan later, also to \
                       WordPress: rummage mend apply."
                    .to_owned(),
            });
        }
    };
    let at = match at.or(options.at.as_deref()) {
        Some(at) => urls::published_at(at)?,
        None => Url::parse(&run.start).and_then(|start| start.join("/")).map_err(|_| {
            Failure::Usage {
                what: "it is not known where the folder is published".to_owned(),
                hint: "Begin with rummage triage --as https://www.example.test/.".to_owned(),
            }
        })?,
    };
    Ok(Ground { folder, at })
}

/// What the plan changes now.
pub(super) fn look(ground: &Ground, plan: &Path) -> Result<(Edits, Changes), Failure> {
    if !plan.exists() {
        return Err(Failure::Usage {
            what: format!("there is no plan {} yet", plan.display()),
            hint: "c, x, X, t and T put repairs into it.".to_owned(),
        });
    }
    let edits = preview(&ground.folder, &ground.at, &PlanFile::load(plan)?)?;
    let mut lines = Vec::new();
    let (mut files, mut links) = (0, 0);
    for file in edits.changed() {
        let mut text = Vec::new();
        diff(&mut text, &file.name, &file.old_text, &file.new_text)?;
        let text = String::from_utf8_lossy(&text);
        let plain = anstream::adapter::strip_str(&text).to_string();
        lines.extend(plain.lines().enumerate().map(|(at, line)| diff_line(at, line)));
        files += 1;
        links += file.changes.len();
    }
    let by_hand: usize = edits.applied.files.iter().map(|file| file.by_hand.len()).sum();
    for file in &edits.applied.files {
        for one in &file.by_hand {
            let place = format!("{}:{}", safe(&file.name), one.line);
            lines.push(DiffLine::Note(format!(
                "by hand: {place}  {}  ({})",
                safe(&one.target),
                one.why
            )));
        }
    }
    for (name, why) in &edits.applied.unread {
        lines.push(DiffLine::Note(format!("not looked at: {}: {}", safe(name), safe(why))));
    }
    let counted_links = counted(links as u64, "link", "links");
    let counted_files = counted(files as u64, "file", "files");
    let looked_at = edits.applied.looked_at as u64;
    let mut summary = match files {
        0 => format!("nothing to change in {}", counted(looked_at, "file", "files")),
        _ => format!("{counted_links} in {counted_files} of {}", rummage_view::count(looked_at)),
    };
    if by_hand > 0 {
        summary += &format!("; {} to fix by hand", counted(by_hand as u64, "link", "links"));
    }
    Ok((edits, Changes { lines, summary, files }))
}

/// The first line of a diff names the file; the sign of all others says what they are.
fn diff_line(at: usize, line: &str) -> DiffLine {
    let rest = || line.get(1..).unwrap_or_default().to_owned();
    match line.as_bytes().first() {
        _ if at == 0 => DiffLine::File(line.to_owned()),
        Some(b'@') => DiffLine::Hunk(line.to_owned()),
        Some(b'-') => DiffLine::Old(rest()),
        Some(b'+') => DiffLine::New(rest()),
        Some(b' ') => DiffLine::Same(rest()),
        _ => DiffLine::Note(line.to_owned()),
    }
}

/// Makes the changes that were shown, unless they would be others now.
pub(super) fn apply(
    ground: &Ground,
    plan: &Path,
    shown: &Edits,
    words: Vec<String>,
) -> Result<Applied, Failure> {
    let (edits, Changes { summary, .. }) = look(ground, plan)?;
    edits.write(shown)?;
    Ok(Applied { summary: format!("changed {summary}"), command: words::line(&words) })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_of_a_diff_are_told_apart_by_place_and_sign() {
        let text = "+name.html\n@@ -1,2 +1,2 @@\n-old\n+new\n same\n\n";
        let lines: Vec<DiffLine> =
            text.lines().enumerate().map(|(at, line)| diff_line(at, line)).collect();
        let of = |text: &str| text.to_owned();
        assert_eq!(
            lines,
            [
                DiffLine::File(of("+name.html")),
                DiffLine::Hunk(of("@@ -1,2 +1,2 @@")),
                DiffLine::Old(of("old")),
                DiffLine::New(of("new")),
                DiffLine::Same(of("same")),
                DiffLine::Note(String::new()),
            ]
        );
    }
}
