//! Keeping what is not saved, and keeping out of other people's way: the edit journal, the lock of a project, files that somebody else
//! changed too, and leaving when the terminal or the system says so.

use super::app::{App, Mode};
use super::painter::Painter;
use super::theme::Role;
use crate::aside;
use crate::failure::Failure;
use crate::{folders, logs};
use estampie_engine::names::NameKey;
use estampie_project::document::{Keep, SaveError, Unsaved};
use ratatui::layout::Rect;
use ratatui::widgets::{Clear, Widget as _};
use serde_json::{Value, json};
use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant, SystemTime};

/// The lock and the journal of the project that is open.
#[derive(Default)]
pub(crate) struct Keeping {
    /// Held as long as the workshop is open.
    lock: Option<File>,
    journal: Option<PathBuf>,
    written: Vec<Unsaved>,
    looked: Option<Instant>,
    /// What an earlier session did not save, until it is decided.
    found: Option<(SystemTime, Vec<Unsaved>)>,
}

fn read_journal(path: &Path) -> Option<(SystemTime, Vec<Unsaved>)> {
    let value: Value = serde_json::from_slice(&std::fs::read(path).ok()?).ok()?;
    let at = SystemTime::UNIX_EPOCH + Duration::from_secs(value["at"].as_u64()?);
    let text = |v: &Value| v.as_str().map(str::to_owned);
    let one = |v: &Value| Some(Unsaved { file: text(&v["file"])?, before: text(&v["before"]), now: text(&v["now"]) });
    let files: Vec<Unsaved> = value["files"].as_array()?.iter().filter_map(one).collect();
    (!files.is_empty()).then_some((at, files))
}

fn write_journal(path: &Path, root: &Path, files: &[Unsaved]) -> std::io::Result<()> {
    if files.is_empty() {
        return match std::fs::remove_file(path) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => Err(error),
            _ => Ok(()),
        };
    }
    let at = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default().as_secs();
    let list: Vec<Value> = files.iter().map(|f| json!({ "file": f.file, "before": f.before, "now": f.now })).collect();
    aside::put(path, json!({ "project": root.display().to_string(), "at": at, "files": list }).to_string().as_bytes())
}

impl Keeping {
    /// Takes hold of a project; gives why it can only be read, if another workshop has it.
    ///
    /// `folder` is where the program remembers things; without one nothing is kept.
    pub(crate) fn open(root: &Path, folder: Option<&Path>) -> (Keeping, Option<String>) {
        let home = root.canonicalize().unwrap_or_else(|_| root.to_owned());
        let Some(folder) = folder else { return (Keeping::default(), None) };
        let name = format!("{:016x}", NameKey::of(&home.display().to_string()).0);
        let mut keeping = Keeping { journal: Some(folder.join("edits").join(format!("{name}.json"))), ..Keeping::default() };
        let locks = folder.join("open");
        let lock = std::fs::create_dir_all(&locks).and_then(|()| File::options().create(true).truncate(false).write(true).open(locks.join(name)));
        match lock {
            Ok(file) => match file.try_lock() {
                Ok(()) => keeping.lock = Some(file),
                Err(std::fs::TryLockError::WouldBlock) => {
                    keeping.journal = None;
                    return (
                        keeping,
                        Some("another workshop has this project open: here it is only read (: and \"edit here too\" edits it all the same)".into()),
                    );
                }
                // Where there are no locks, everybody is alone.
                Err(std::fs::TryLockError::Error(error)) => tracing::warn!(%error, "no lock"),
            },
            Err(error) => tracing::warn!(%error, "no lock"),
        }
        keeping.found = keeping.journal.as_deref().and_then(read_journal);
        (keeping, None)
    }
}

impl App {
    /// Asks about what an earlier session left.
    pub(super) fn offer_journal(&mut self) {
        if self.keeping.found.is_some() {
            self.mode = Mode::BringBack;
        }
    }

    /// Writes down what is not saved, at most once a second; at once if it must be.
    pub(crate) fn keep_journal(&mut self, now: bool) {
        if !now && self.keeping.looked.is_some_and(|at| at.elapsed() < Duration::from_secs(1)) {
            return;
        }
        self.keeping.looked = Some(Instant::now());
        if self.keeping.found.is_some() {
            return;
        }
        let Some(path) = self.keeping.journal.clone() else { return };
        let mut unsaved = self.workspace.unsaved_texts();
        if let Some(take) = self.rehearsal.recording_so_far() {
            unsaved.push(Unsaved { file: self.next_take().1, before: None, now: Some(take.to_string()) });
        }
        if unsaved == self.keeping.written {
            return;
        }
        match write_journal(&path, self.workspace.root(), &unsaved) {
            Ok(()) => self.keeping.written = unsaved,
            Err(error) => {
                tracing::warn!(%error, "the edit journal cannot be written");
                self.keeping.journal = None;
                self.alarm(format!("what is not saved cannot be kept for a crash: {error}; save often"));
            }
        }
    }

    /// Nothing is to be brought back: all is saved, or given up.
    pub(crate) fn end_journal(&mut self) {
        if let Some(path) = self.keeping.journal.take().filter(|_| self.keeping.found.is_none()) {
            let _ = write_journal(&path, self.workspace.root(), &[]);
        }
    }

    pub(super) fn key_bring_back(&mut self, name: &str) {
        match name {
            "enter" | "y" => {
                let Some((_, files)) = self.keeping.found.take() else { return };
                let count = files.len();
                self.workspace.bring_back(files);
                self.recompile();
                self.say(format!("{count} file{} brought back, not saved yet; u takes it back", if count == 1 { " is" } else { "s are" }));
                self.ask_contested();
            }
            "d" => {
                self.keeping.found = None;
                self.keep_journal(true);
                self.say("what was not saved is forgotten");
            }
            _ => self.mode = Mode::BringBack,
        }
    }

    /// When the edits that are offered were made, and in which files.
    pub(super) fn found_words(&self) -> String {
        let Some((at, files)) = &self.keeping.found else { return String::new() };
        let ago = at.elapsed().unwrap_or_default().as_secs();
        let ago = match ago {
            0..60 => "a moment ago".to_owned(),
            60..3_600 => format!("{} min ago", ago / 60),
            3_600..86_400 => format!("{} h ago", ago / 3_600),
            _ => format!("{} days ago", ago / 86_400),
        };
        let names: Vec<&str> = files.iter().map(|f| f.file.as_str()).collect();
        format!("Edits of {ago} were not saved: {}.", names.join(", "))
    }

    /// Edits here too, though another workshop has the project open.
    pub(crate) fn edit_too(&mut self) {
        if self.workspace.only_read().is_none() {
            return self.say("the project is edited here already");
        }
        self.workspace.set_only_read(None);
        self.say("edits are made here too; what the other workshop saves is taken in, and where both change a file it is asked");
    }

    /// Takes in what somebody else has changed on the disk; true if there is something new to show.
    pub(super) fn poll_outside(&mut self) -> bool {
        let Some(look) = self.outside.news() else { return false };
        let written = Arc::clone(look.audio());
        let selected = self.view().selected(self);
        let Some((taken, contested)) = self.workspace.take_in(look) else {
            self.outside.again(self.workspace.stamps());
            return false;
        };
        let mut news = false;
        self.load_written(&written);
        if !taken.is_empty() {
            self.compile();
            // What somebody else put above it does not bring another thing under the keys.
            if let Some((kind, name)) = selected.filter(|before| self.view().selected(self).as_ref() != Some(before)) {
                self.view().select(self, kind, &name);
            }
            let misnamed = if taken.iter().any(|file| file == "audio") { self.workspace.came_misnamed().len() } else { 0 };
            let words = match misnamed {
                0 => String::new(),
                1 => "; one of it is not named by the rule: 7 v".to_owned(),
                n => format!("; {n} of it are not named by the rule: 7 v"),
            };
            // What is wrong is not talked over.
            if !self.message.as_ref().is_some_and(|m| m.alarm) {
                self.say(format!("changed outside and taken in: {}{words}", taken.join(", ")));
            }
            news = true;
        }
        // Where it is being asked already, this would say again what is on the page.
        if !contested.is_empty() && !matches!(self.mode, Mode::Contested) {
            self.alarm(format!("changed here and by somebody else: {}; ctrl-s asks which to keep", contested.join(", ")));
            news = true;
        }
        news
    }

    /// Opens the question about files that somebody else changed too, if there are any.
    pub(super) fn ask_contested(&mut self) {
        if self.workspace.contested().next().is_some() {
            self.scroll = 0;
            self.mode = Mode::Contested;
        }
    }

    pub(super) fn key_contested(&mut self, name: &str) {
        let keep = match name {
            "m" => Keep::Mine,
            "t" => Keep::Theirs,
            "b" => Keep::Both,
            "down" | "j" | "page-down" => {
                self.scroll += if name == "page-down" { 10 } else { 1 };
                self.mode = Mode::Contested;
                return;
            }
            "up" | "k" | "page-up" => {
                self.scroll = self.scroll.saturating_sub(if name == "page-up" { 10 } else { 1 });
                self.mode = Mode::Contested;
                return;
            }
            "esc" | "q" | "ctrl-c" => return,
            _ => {
                self.mode = Mode::Contested;
                return;
            }
        };
        let Some(file) = self.workspace.contested().next().map(str::to_owned) else { return };
        match self.workspace.decide(&file, keep) {
            Ok(copy) => {
                self.recompile();
                let beside = copy.map_or(String::new(), |c| format!("; the other version is kept as {c}"));
                self.say(format!("{file} is decided{beside}"));
            }
            Err(error) => self.alarm(error.to_string()),
        }
        self.ask_contested();
    }

    /// The first contested file, and how it differs.
    pub(super) fn draw_contested(&self, painter: &mut Painter<'_>, area: Rect) {
        Clear.render(area, painter.buffer);
        painter.buffer.set_style(area, self.theme.ground());
        let files: Vec<&str> = self.workspace.contested().collect();
        let Some(file) = files.first() else { return };
        let more = if files.len() > 1 { format!(", and {} more", files.len() - 1) } else { String::new() };
        painter.heading(1, area.y, area.width - 2, &format!("{file}{more}"), "changed here and by somebody else: − here, + theirs");
        let text = self.workspace.contest(file);
        let lines: Vec<&str> = text.lines().skip(2).collect();
        let rows = usize::from(area.height.saturating_sub(3));
        let from = self.scroll.min(lines.len().saturating_sub(rows));
        for (row, line) in lines.iter().skip(from).take(rows).enumerate() {
            let role = match line.as_bytes().first() {
                Some(b'-') => Role::Active,
                Some(b'+') => Role::FromGame,
                Some(b'@') => Role::Rule,
                _ => Role::Secondary,
            };
            painter.text(2, area.y + 2 + row as u16, area.width - 4, line, role);
        }
    }

    /// Saves; what stands in the way is asked about. True if all is saved.
    pub(super) fn save_all(&mut self, protected: bool) -> bool {
        match self.workspace.save(protected) {
            Ok(0) => self.say("nothing to save"),
            Ok(count) => {
                self.keep_journal(true);
                self.say(format!("saved {count} file{}", if count == 1 { "" } else { "s" }));
            }
            Err(SaveError::Contested(_)) => {
                // What may have told of it is answered by asking.
                self.message = None;
                self.ask_contested();
                return false;
            }
            Err(SaveError::Protected(files)) => {
                self.mode = Mode::Protected(files);
                return false;
            }
            Err(error) => {
                self.alarm(format!("not saved: {error}; your edits are still here"));
                return false;
            }
        }
        true
    }
}

/// What the system has asked for, if anything: the number of its signal.
pub(super) struct Signals {
    said: Arc<AtomicUsize>,
    pub(super) stop: Arc<AtomicBool>,
    done: Arc<AtomicBool>,
}

/// A workshop that does not leave when it is told to (its terminal is gone, say) is left by force after so long.
const PATIENCE: Duration = Duration::from_millis(1500);

impl Signals {
    /// Listens for signals, and for the terminal being closed.
    pub(super) fn listen() -> Result<Signals, Failure> {
        let signals = Signals { said: Arc::default(), stop: Arc::default(), done: Arc::default() };
        #[cfg(unix)]
        {
            use signal_hook::consts::{SIGHUP, SIGINT, SIGQUIT, SIGTERM, SIGTSTP};
            for signal in [SIGTERM, SIGINT, SIGHUP, SIGQUIT] {
                signal_hook::flag::register_usize(signal, Arc::clone(&signals.said), signal as usize)?;
            }
            signal_hook::flag::register(SIGTSTP, Arc::clone(&signals.stop))?;
            let (said, done) = (Arc::clone(&signals.said), Arc::clone(&signals.done));
            let watch = move || {
                let mut since: Option<Instant> = None;
                while !done.load(Ordering::Relaxed) {
                    std::thread::sleep(Duration::from_millis(200));
                    let _ = here_after(Duration::ZERO, &said);
                    let signal = said.load(Ordering::Relaxed);
                    if signal != 0 && since.get_or_insert_with(Instant::now).elapsed() > PATIENCE {
                        // What is not saved was written down within the last second.
                        std::process::exit(128 + signal as i32);
                    }
                }
            };
            std::thread::Builder::new().name("signals".into()).spawn(watch)?;
        }
        Ok(signals)
    }

    /// Waits so long for a key, the mouse or another size, and says whether one has come. Of a terminal that is gone nothing is read, which
    /// would never end.
    pub(super) fn come(&self, wait: Duration) -> std::io::Result<bool> {
        if !here_after(Duration::ZERO, &self.said) {
            return Ok(false);
        }
        // What was read before.
        if ratatui::crossterm::event::poll(Duration::ZERO)? {
            return Ok(true);
        }
        #[cfg(unix)]
        return Ok(here_after(wait, &self.said) && ratatui::crossterm::event::poll(Duration::ZERO)?);
        #[cfg(not(unix))]
        ratatui::crossterm::event::poll(wait)
    }

    /// The signal that has come.
    pub(super) fn said(&self) -> Option<i32> {
        let signal = self.said.load(Ordering::Relaxed);
        (signal != 0).then_some(signal as i32)
    }
}

/// Waits until there is something to read, so long at most: whether the terminal is still there. If it is not, that is as if it had been said.
#[cfg(unix)]
fn here_after(wait: Duration, said: &AtomicUsize) -> bool {
    use rustix::event::{PollFd, PollFlags, Timespec, poll};
    let stdin = rustix::stdio::stdin();
    let mut polled = [PollFd::new(&stdin, PollFlags::IN)];
    let wait = Timespec { tv_sec: wait.as_secs() as i64, tv_nsec: wait.subsec_nanos().into() };
    // A signal ends it early.
    let gone = poll(&mut polled, Some(&wait)).is_ok() && polled[0].revents().intersects(PollFlags::HUP | PollFlags::ERR | PollFlags::NVAL);
    if gone {
        let _ = said.compare_exchange(0, signal_hook::consts::SIGHUP as usize, Ordering::Relaxed, Ordering::Relaxed);
    }
    !gone
}

#[cfg(not(unix))]
fn here_after(_: Duration, _: &AtomicUsize) -> bool {
    true
}

impl Drop for Signals {
    fn drop(&mut self) {
        self.done.store(true, Ordering::Relaxed);
    }
}

/// Stops as the shell's job control wants it, and comes back when it says so.
pub(super) fn suspend() {
    #[cfg(unix)]
    {
        let _ = signal_hook::low_level::emulate_default_handler(signal_hook::consts::SIGTSTP);
    }
}

/// Where the report of this run's failure lies, if it has failed.
static REPORT: Mutex<Option<PathBuf>> = Mutex::new(None);

/// Where the report of this run's failure lies.
pub(super) fn newest_report() -> Option<PathBuf> {
    REPORT.lock().ok()?.clone()
}

/// Lets panics of helper threads be logged; one of the page itself becomes a report.
pub(super) fn keep_panics_off_the_page() {
    std::panic::set_hook(Box::new(move |info| {
        if estampie_project::assets::guarded() {
            tracing::info!("a decoder failed: {info}");
        } else if std::thread::current().name() == Some("main") {
            let what = format!("{info}\n\n{}", std::backtrace::Backtrace::force_capture());
            let written = folders::state().and_then(|folder| logs::write_report(&folder, &what).ok());
            if let (Ok(mut report), Some(path)) = (REPORT.lock(), written) {
                // The first says why; what fails after it follows from that.
                report.get_or_insert(path);
            }
            tracing::error!("the page failed: {info}");
        } else {
            tracing::error!("a helper thread failed: {info}");
        }
    }));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_journal_is_read_as_it_was_written() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("edits/one.json");
        let files = vec![
            Unsaved { file: "mix.toml".into(), before: Some("a".into()), now: Some("b".into()) },
            Unsaved { file: "playthroughs/take-1.play".into(), before: None, now: Some("0 end".into()) },
            Unsaved { file: "old.toml".into(), before: Some("x".into()), now: None },
        ];
        write_journal(&path, folder.path(), &files).unwrap();
        let (at, read) = read_journal(&path).unwrap();
        assert!(at.elapsed().unwrap() < Duration::from_secs(60));
        assert_eq!(read, files);
        write_journal(&path, folder.path(), &[]).unwrap();
        assert!(read_journal(&path).is_none() && !path.exists());
        std::fs::write(&path, "{ broken").unwrap();
        assert!(read_journal(&path).is_none());
    }
}
