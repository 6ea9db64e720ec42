//! What the program writes down for those who mend it: logs of bounded length, and a report when it has failed. What is shown of them hides
//! paths and names that are nobody's business.

use crate::folders;
use std::fs::File;
use std::io::{Read as _, Seek as _, SeekFrom, Write as _};
use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// The version, and the commit that it was built from.
pub(crate) const VERSION: &str = concat!(env!("CARGO_PKG_VERSION"), " (", env!("ESTAMPIE_COMMIT"), ")");

/// The log, and what libraries write to standard error.
pub(crate) const LOG: &str = "estampie.log";
pub(crate) const ERRORS: &str = "errors.log";

/// A log that is longer begins anew; so much of its end is kept beside it, in bytes.
const LONGEST: u64 = 1 << 20;
const KEPT: u64 = 1 << 18;

/// So many reports of failures are kept.
const REPORTS: usize = 5;

/// The end of a file, from the beginning of a line.
fn end_of(path: &Path, bytes: u64) -> std::io::Result<String> {
    let mut file = File::open(path)?;
    let length = file.metadata()?.len();
    file.seek(SeekFrom::Start(length.saturating_sub(bytes)))?;
    let mut end = Vec::new();
    file.read_to_end(&mut end)?;
    let end = String::from_utf8_lossy(&end).into_owned();
    let cut = if length > bytes { end.find('\n').map_or(0, |at| at + 1) } else { 0 };
    Ok(end[cut..].to_owned())
}

/// Lets logs that have become too long begin anew. Whoever has one open goes on at its new end.
pub(crate) fn bound(folder: &Path) {
    for name in [LOG, ERRORS] {
        let path = folder.join(name);
        if std::fs::metadata(&path).is_ok_and(|m| m.len() > LONGEST) {
            let kept = end_of(&path, KEPT).and_then(|end| std::fs::write(folder.join(format!("{name}.1")), end));
            if kept.is_ok() {
                let _ = File::options().write(true).open(&path).and_then(|file| file.set_len(0));
            }
        }
    }
}

/// The first lines of every report.
pub(crate) fn heading() -> String {
    let at = chrono::DateTime::<chrono::Utc>::from(SystemTime::now()).format("%Y-%m-%d %H:%M:%S UTC");
    format!("estampie {VERSION}, {} {}, {at}", std::env::consts::OS, std::env::consts::ARCH)
}

/// The reports of failures in a folder, oldest first.
fn reports(folder: &Path) -> Vec<PathBuf> {
    let names = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let is_report = |path: &PathBuf| path.file_name().and_then(|n| n.to_str()).is_some_and(|n| n.starts_with("failed-") && n.ends_with(".txt"));
    let mut reports: Vec<PathBuf> = names.filter(is_report).collect();
    reports.sort();
    reports
}

/// Writes a report of a failure; gives where it lies. The oldest make room.
pub(crate) fn write_report(folder: &Path, what: &str) -> std::io::Result<PathBuf> {
    std::fs::create_dir_all(folder)?;
    let mut old = reports(folder);
    while old.len() >= REPORTS {
        std::fs::remove_file(old.remove(0))?;
    }
    let at = chrono::DateTime::<chrono::Utc>::from(SystemTime::now()).format("%Y%m%d-%H%M%S%.3f");
    let path = folder.join(format!("failed-{at}.txt"));
    let mut file = File::options().create_new(true).write(true).open(&path)?;
    writeln!(file, "{}\n\n{what}", heading())?;
    file.sync_all()?;
    Ok(path)
}

/// The ends of the logs, and the newest report of a failure, by their names.
pub(crate) fn ends() -> Vec<(String, Vec<String>)> {
    let Some(folder) = folders::state() else { return Vec::new() };
    let newest = reports(&folder).pop();
    let files = [Some(folder.join(LOG)), Some(folder.join(ERRORS)), newest];
    let of = |path: PathBuf| {
        let name = path.file_name()?.to_str()?.to_owned();
        let end = end_of(&path, 8_000).ok()?;
        Some((name, end.lines().map(str::to_owned).collect()))
    };
    files.into_iter().flatten().filter_map(of).collect()
}

/// What is hidden in what is shown to others, and what stands there instead.
pub(crate) struct Hidden(Vec<(String, &'static str)>);

impl Hidden {
    /// The person's home, name and machine.
    pub(crate) fn of_machine() -> Hidden {
        let mut hidden = Hidden(Vec::new());
        if let Some(home) = directories::BaseDirs::new() {
            hidden.add(home.home_dir(), "~");
        }
        for (variable, instead) in [("USER", "USER"), ("LOGNAME", "USER"), ("HOSTNAME", "HOST")] {
            hidden.name(std::env::var(variable).unwrap_or_default(), instead);
        }
        hidden
    }

    /// Hides a path, as it is written and as it is without links; the longest are looked for first.
    pub(crate) fn add(&mut self, path: &Path, instead: &'static str) {
        for path in [path.canonicalize().ok(), std::path::absolute(path).ok()].into_iter().flatten() {
            let text = path.display().to_string();
            // The root is no secret, and stands in every path.
            if text.len() > 1 {
                self.name(text, instead);
            }
        }
    }

    fn name(&mut self, text: String, instead: &'static str) {
        if text.len() > 1 && !self.0.iter().any(|(known, _)| *known == text) {
            self.0.push((text, instead));
            self.0.sort_by_key(|(text, _)| std::cmp::Reverse(text.len()));
        }
    }

    /// A text without them: paths wherever they stand, names where they stand as words.
    pub(crate) fn hide(&self, text: &str) -> String {
        let mut text = text.to_owned();
        for (secret, instead) in &self.0 {
            if secret.contains('/') {
                text = text.replace(secret, instead);
                continue;
            }
            let mut from = 0;
            while let Some(at) = text[from..].find(secret).map(|at| at + from) {
                let end = at + secret.len();
                let inside = |c: Option<char>| c.is_some_and(char::is_alphanumeric);
                if inside(text[..at].chars().next_back()) || inside(text[end..].chars().next()) {
                    from = end;
                } else {
                    text.replace_range(at..end, instead);
                    from = at + instead.len();
                }
            }
        }
        text
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_logs_begin_anew_and_keep_their_end_beside_them() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join(LOG);
        let line = "a line of the log that says what was done\n";
        std::fs::write(&path, line.repeat(1000)).unwrap();
        bound(folder.path());
        assert_eq!(std::fs::metadata(&path).unwrap().len(), 1000 * line.len() as u64, "it is short enough");
        // Somebody has it open, as the log has.
        let mut open = File::options().append(true).open(&path).unwrap();
        for n in 0..30_000 {
            writeln!(open, "{n} {}", line.trim_end()).unwrap();
        }
        bound(folder.path());
        assert_eq!(std::fs::metadata(&path).unwrap().len(), 0);
        let kept = std::fs::read_to_string(folder.path().join("estampie.log.1")).unwrap();
        assert!(kept.len() as u64 <= KEPT && kept.ends_with(&format!("29999 {line}")) && kept.split(' ').next().unwrap().parse::<u32>().is_ok(), "whole lines");
        writeln!(open, "on").unwrap();
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "on\n", "it goes on at the new end");
    }

    #[test]
    fn reports_of_failures_are_kept_but_not_for_ever() {
        let folder = tempfile::tempdir().unwrap();
        for n in 0..8 {
            let path = write_report(folder.path(), &format!("failure {n}")).unwrap();
            assert!(std::fs::read_to_string(path).unwrap().contains(&format!("failure {n}")));
            std::thread::sleep(std::time::Duration::from_millis(2));
        }
        let left = reports(folder.path());
        assert_eq!(left.len(), REPORTS);
        assert!(std::fs::read_to_string(&left[0]).unwrap().contains("failure 3"), "the newest stay");
    }

    #[test]
    fn what_is_nobodys_business_is_hidden() {
        let folder = tempfile::tempdir().unwrap();
        let mut hidden = Hidden(Vec::new());
        hidden.add(folder.path(), "~");
        let inner = folder.path().join("game");
        std::fs::create_dir(&inner).unwrap();
        hidden.add(&inner, "PROJECT");
        hidden.name("ada".into(), "USER");
        let text = format!("{}/sounds/a.toml of {} by ada, in adagio, ada", inner.display(), folder.path().display());
        assert_eq!(hidden.hide(&text), "PROJECT/sounds/a.toml of ~ by USER, in adagio, USER");
    }
}
