//! Edits of one take among those of a sound: what of its recording is played, how it fades, and where it loops.

use super::edit::NewValue;
use super::{Refusal, TakeDoc, Workspace};
use crate::stock::{Cut, TRIM_WORDS, Trim, file_of, version_of};

impl Workspace {
    /// What of its recording a take plays; `None` if it is no take of a file. Takes are counted as the document does: by group, and within it.
    #[must_use]
    pub fn trim_of(&self, sound: &str, group: usize, take: usize) -> Option<Trim> {
        let line = &self.document().sounds.iter().find(|s| s.name == sound)?.groups.get(group)?.1.get(take)?.value;
        let TakeDoc::File(file) = &line.take else { return None };
        Some(Cut::read(file).map_or(Trim { from: line.from.0, ..Trim::default() }, |cut| cut.trim))
    }

    /// Sets what of its recording a take plays, as one edit; the file of the recording stays as it is. A take that came of a pattern is named by
    /// itself from then on, and so are the others of that pattern, which is given back: files that come later are not among its takes.
    ///
    /// # Errors
    /// When the take is none of a file, the trim cannot be, or the file cannot be edited; then nothing is changed.
    pub fn trim_take(&mut self, sound: &str, group: usize, take: usize, trim: &Trim) -> Result<Option<String>, Refusal> {
        let document = self.document().clone();
        let doc = document.sounds.iter().find(|s| s.name == sound).ok_or_else(|| Refusal::missing("sound", sound))?;
        let (value, takes) = doc.groups.get(group).ok_or("there is no such take")?;
        let line = &takes.get(take).ok_or("there is no such take")?.value;
        if !matches!(line.take, TakeDoc::File(_)) {
            return Err("only what is played from a file can be trimmed".into());
        }
        if let Some((what, fix)) = trim.wrong() {
            return Err(format!("{what}: {fix}").into());
        }
        let path: Vec<&str> = [Some(sound), Some("takes"), value.as_ref().map(|v| v.value.as_str())].into_iter().flatten().collect();
        let mut list = self.list_in(&doc.place.file, &path).ok_or("its takes cannot be edited until their file is fixed")?;
        let text = list.get(line.entry).ok_or("its takes cannot be edited until their file is fixed")?.clone();
        let mut words = text.split(',').map(str::trim);
        let written = words.next().unwrap_or_default();
        let (trims, others): (Vec<&str>, Vec<&str>) = words.partition(|option| TRIM_WORDS.contains(&option.split(' ').next().unwrap_or_default()));
        let put = |path: &str, trims: &[String]| {
            let options = others.iter().map(|o| (*o).to_owned()).chain(trims.iter().cloned());
            std::iter::once(path.to_owned()).chain(options).collect::<Vec<String>>().join(", ")
        };
        let after = trim.options();
        let before: Vec<String> = trims.iter().map(|t| (*t).to_owned()).collect();
        let of_pattern = written.contains('*');
        let texts: Vec<String> = if of_pattern {
            let mine = takes.iter().enumerate().filter(|(_, t)| t.value.entry == line.entry);
            mine.map(|(at, t)| {
                let TakeDoc::File(name) = &t.value.take else { return put(written, &before) };
                put(self.first_version(file_of(name)), if at == take { &after } else { &before })
            })
            .collect()
        } else {
            vec![put(written, &after)]
        };
        list.splice(line.entry..=line.entry, texts);
        let name = format!("trim of {sound} {}", take + 1);
        self.set_if_read(&name, &[(doc.place.file.as_str(), path, NewValue::List(list))])?;
        Ok(of_pattern.then(|| written.to_owned()))
    }

    /// The file by whose name all its versions are played.
    fn first_version<'a>(&'a self, file: &'a str) -> &'a str {
        let (stem, _) = version_of(file);
        let versions = self.audio().iter().filter(|f| version_of(f).0 == stem);
        versions.min_by_key(|f| version_of(f).1).map_or(file, String::as_str)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn project(takes: &str) -> (tempfile::TempDir, Workspace) {
        let folder = tempfile::tempdir().unwrap();
        let write = |name: &str, text: &str| {
            let path = folder.path().join(name);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        };
        write("estampie.toml", "format = 1\nname = \"t\"\n");
        write("sounds/rope.toml", &format!("[rope]\n{takes}\n"));
        for name in ["pull_01", "pull_02", "pull_03", "pull_02.v2", "slip"] {
            write(&format!("audio/rope/{name}.wav"), "");
        }
        let workspace = Workspace::open(folder.path()).unwrap();
        (folder, workspace)
    }

    fn takes(workspace: &Workspace) -> Vec<String> {
        workspace.list_in("sounds/rope.toml", &["rope", "takes"]).unwrap()
    }

    #[test]
    fn a_take_is_trimmed_and_its_other_options_stay() {
        let (_folder, mut workspace) = project("takes = [\"audio/rope/slip.wav, level -3 dB, from 0.2 s, weight 2\"]");
        assert_eq!(workspace.trim_of("rope", 0, 0), Some(Trim { from: 0.2, ..Trim::default() }));
        let trim = Trim { from: 0.25, to: Some(1.5), fade_in: 0.005, looped: Some((0.5, 1.25)), seam: 0.02, ..Trim::default() };
        assert_eq!(workspace.trim_take("rope", 0, 0, &trim).unwrap(), None);
        let text = "audio/rope/slip.wav, level -3 dB, weight 2, from 0.25 s, to 1.5 s, fade-in 0.005 s, loop 0.5..1.25 s, seam 0.02 s";
        assert_eq!(takes(&workspace), [text]);
        assert_eq!((workspace.trim_of("rope", 0, 0), workspace.faults().len()), (Some(trim), 0));
        // A drag is one edit; nothing said is as before.
        workspace.trim_take("rope", 0, 0, &Trim { from: 0.3, ..trim }).unwrap();
        workspace.trim_take("rope", 0, 0, &Trim::default()).unwrap();
        assert_eq!(takes(&workspace), ["audio/rope/slip.wav, level -3 dB, weight 2"]);
        assert_eq!(workspace.undo().unwrap().as_deref(), Some("trim of rope 1"));
        assert!(takes(&workspace)[0].contains("from 0.2 s, weight 2"));
        // What cannot be is refused, and nothing is changed.
        let refused = workspace.trim_take("rope", 0, 0, &Trim { seam: 0.1, ..Trim::default() }).unwrap_err().to_string();
        assert!(refused.contains("a seam is that of a loop"), "{refused}");
        assert!(workspace.trim_take("rope", 0, 1, &trim).is_err() && workspace.trim_take("cord", 0, 0, &trim).is_err());
        assert!(takes(&workspace)[0].contains("from 0.2 s"));
    }

    #[test]
    fn one_of_a_pattern_is_named_by_itself() {
        let (_folder, mut workspace) = project("takes = [\"audio/rope/pull_*.wav, pitch 2 st, from 0.1 s\", \"audio/rope/slip.wav\"]");
        let trim = Trim { to: Some(0.75), ..Trim::default() };
        assert_eq!(workspace.trim_take("rope", 0, 1, &trim).unwrap().as_deref(), Some("audio/rope/pull_*.wav"));
        let others = |n: u32| format!("audio/rope/pull_0{n}.wav, pitch 2 st, from 0.1 s");
        // Named as it was first, so that the next version is played, too.
        assert_eq!(takes(&workspace), [others(1), "audio/rope/pull_02.wav, pitch 2 st, to 0.75 s".into(), others(3), "audio/rope/slip.wav".into()]);
        assert_eq!((workspace.trim_of("rope", 0, 1), workspace.trim_of("rope", 0, 3)), (Some(trim), Some(Trim::default())));
        workspace.undo().unwrap();
        assert_eq!(takes(&workspace).len(), 2);
    }

    #[test]
    fn takes_told_apart_by_a_value_are_counted_in_theirs() {
        let (_folder, mut workspace) = project(
            "pick = \"by load\"\ntakes = { \"0..1\" = [\"audio/rope/slip.wav\"], \"1..2\" = [\"audio/rope/pull_01.wav\", \"wash\", \"generator hiss\"] }",
        );
        let trim = Trim { fade_out: 0.5, ..Trim::default() };
        workspace.trim_take("rope", 1, 0, &trim).unwrap();
        let text = workspace.list_in("sounds/rope.toml", &["rope", "takes", "1..2"]).unwrap();
        assert_eq!(text, ["audio/rope/pull_01.wav, fade-out 0.5 s", "wash", "generator hiss"]);
        assert!(workspace.trim_take("rope", 1, 1, &trim).is_err() && workspace.trim_of("rope", 1, 2).is_none());
    }
}
