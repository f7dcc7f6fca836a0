//! Which of the changes that were seen while an installer ran are its own: those that lead to what it made.

use std::path::Path;

use super::watch::{Differences, StartupDifference, ValueDifference};
use crate::folders::{Below, mention};
use crate::naming::ToolName;
use crate::report::ReportPath;
use crate::yard::StartupText;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Owner {
    Installer,
    Other,
    /// It does nothing, and goes with its neighbours.
    Nobody,
}

impl Owner {
    /// Where the line alone tells.
    pub fn of_line(line: &str) -> Option<Self> {
        (line.trim().is_empty() || line.trim_start().starts_with('#')).then_some(Self::Nobody)
    }
}

/// What is the installer's, by the folders it made and the files it wrote.
#[derive(Debug)]
pub struct Whose<'a> {
    seen: &'a Differences,
    home: String,
    name: Option<String>,
}

impl<'a> Whose<'a> {
    /// Of these changes, for a user with this home folder.
    pub fn of(seen: &'a Differences, home: &Path) -> Self {
        Self { seen, home: home.to_string_lossy().into_owned(), name: None }
    }

    /// Counting what names this tool as well: an installer that failed may have taken away what its lines lead to.
    pub fn or_names(self, name: Option<&ToolName>) -> Self {
        Self { name: name.map(ToString::to_string), ..self }
    }

    fn written_out(&self, text: &str) -> String {
        text.replace("${HOME}", &self.home).replace("$HOME", &self.home).replace("~/", &format!("{}/", self.home))
    }

    /// Whether a text leads to something the installer made.
    fn leads(&self, text: &str) -> bool {
        if self.name.as_ref().is_some_and(|name| has_name(text, name)) {
            return true;
        }
        let text = self.written_out(text);
        let place = Path::new(text.trim_matches('"'));
        // What holds a new folder is the tool's root, where an earlier installation had left that.
        let by_folder = self.seen.folders.iter().any(|f| names(&text, f, Below::Counts) || f.parent() == Some(place));
        let mut files = self.seen.single_files.iter().chain(&self.seen.files_changed);
        // The home folder has files that change all the time.
        let tells = |folder: &Path| folder != Path::new(&self.home) && names(&text, folder, Below::No);
        by_folder || files.any(|file| file.parent().is_some_and(tells))
    }

    /// The lines of a startup file that may be somebody else's: those that neither lead to what the installer made, nor
    /// use a variable that does, nor do anything.
    pub fn strange_lines<'s>(&self, file: &'s StartupDifference) -> Vec<&'s str> {
        let own: Vec<&str> = file.added.iter().filter(|line| self.leads(line)).filter_map(|line| sets(line)).collect();
        let uses = |line: &str| {
            own.iter().any(|name| line.contains(&format!("${name}")) || line.contains(&format!("${{{name}}}")))
        };
        let does_nothing = |line: &str| Owner::of_line(line).is_some();
        let lines = file.added.iter().map(String::as_str);
        lines.filter(|line| !self.leads(line) && !uses(line) && !does_nothing(line)).collect()
    }

    /// What the installer put into a startup file, where that is certain: one piece, and no line of it is strange.
    pub fn own_text(&self, file: &StartupDifference) -> Option<StartupText> {
        let text = file.inserted.clone().filter(|_| self.strange_lines(file).is_empty())?;
        let leads = text.lines().any(|line| self.leads(line));
        leads.then(|| StartupText { file: file.path.to_path_buf(), text, made: file.made })
    }

    /// The texts by which the tool's root is put into PATH, and none of its command folders.
    pub fn root_for_bin(&self, home: &Path, folders: &[ReportPath]) -> Vec<String> {
        let is_wrong = |line: &str| {
            let line = self.written_out(line);
            names(&line, home, Below::Counts)
                && !folders.iter().any(|folder| **folder == *home || names(&line, folder, Below::No))
        };
        let lines = self.seen.startup_files.iter().flat_map(|file| &file.added);
        let of_path = lines.filter(|line| line.contains("PATH=") || line.to_lowercase().contains(" path "));
        let entries = self.seen.values.iter().flat_map(|value| &value.entries).map(|entry| &entry.raw);
        of_path.chain(entries).filter(|line| is_wrong(line)).cloned().collect()
    }

    /// All that was changed and may be somebody else's, each with where.
    pub fn strange(&self) -> Vec<String> {
        let mut strange: Vec<String> = Vec::new();
        for file in &self.seen.startup_files {
            let told = |line: &str| format!("{}: {line}", file.path.display());
            strange.extend(self.strange_lines(file).into_iter().map(told));
        }
        for value in &self.seen.values {
            strange.extend(self.strange_texts(value).into_iter().map(|text| format!("{}: {text}", value.name)));
        }
        strange
    }

    /// What is new in a value and may be somebody else's: entries of PATH, or the whole text.
    pub(super) fn strange_texts<'v>(&self, value: &'v ValueDifference) -> Vec<&'v str> {
        let new: Vec<&str> = match value.entries.is_empty() && value.lost.is_empty() {
            true => value.after.as_deref().into_iter().collect(),
            false => value.entries.iter().map(|entry| entry.raw.as_str()).collect(),
        };
        new.into_iter().filter(|text| !self.leads(text)).collect()
    }
}

/// Whether the words of a name stand in a text one after the other.
fn has_name(text: &str, name: &str) -> bool {
    let words = |text: &str| -> Vec<String> {
        text.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty()).map(str::to_lowercase).collect()
    };
    let name = words(name);
    !name.is_empty() && words(text).windows(name.len()).any(|some| some == name)
}

fn names(text: &str, folder: &Path, below: Below) -> bool {
    mention(text, &folder.to_string_lossy(), below).is_some()
}

/// The variable that a line sets, as Bourne shells (`NAME=`), fish (`set -gx NAME`) and tcsh (`setenv NAME`) do. PATH is
/// everybody's.
fn sets(line: &str) -> Option<&str> {
    let is_name = |word: &&str| {
        word.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
            && word.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
    };
    let line = line.trim();
    let bourne = line.strip_prefix("export ").unwrap_or(line).split_once('=').map(|(name, _)| name).filter(is_name);
    let other = || line.strip_prefix("set ").or_else(|| line.strip_prefix("setenv "));
    let name = bourne.or_else(|| other()?.split_whitespace().find(is_name))?;
    Some(name).filter(|name| !name.eq_ignore_ascii_case("PATH"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_is_the_installers_where_it_leads_to_what_that_made() {
        let single_files = vec!["/h/pat/.local/bin/buoy".into(), "/h/pat/.history".into()];
        let seen = Differences { folders: vec!["/h/pat/buoyctl".into()], single_files, ..Differences::default() };
        let whose = Whose::of(&seen, Path::new("/h/pat"));
        for (lines, strange, own) in [
            (&["PATH=/h/pat/buoyctl/bin:$PATH"][..], &[][..], true),
            (&["# buoyctl", "", "export PATH=\"$HOME/buoyctl/bin:$PATH\""], &[], true),
            (&["PATH=~/buoyctl/bin:$PATH"], &[], true),
            (&["BUOYCTL_HOME=${HOME}/buoyctl", "PATH=$BUOYCTL_HOME/bin:$PATH"], &[], true),
            (&["set -gx BUOY_AT /h/pat/buoyctl", "fish_add $BUOY_AT/bin"], &[], true),
            (&["PATH=/opt/harbour/bin:$PATH"], &["PATH=/opt/harbour/bin:$PATH"], false),
            (&["PATH=~/buoyctl/bin:$PATH", "PATH=/opt:$PATH"], &["PATH=/opt:$PATH"], false),
            (&["# only a remark"], &[], false),
            (&["PATH=\"$HOME/.local/bin:$PATH\""], &[], true),
            // Beside what it made, or below a folder that it only put a file into.
            (&["PATH=$HOME/buoyctl-old/bin"], &["PATH=$HOME/buoyctl-old/bin"], false),
            (&["PATH=~/.local/bin/harbour"], &["PATH=~/.local/bin/harbour"], false),
            (&["PATH=~/harbour:$PATH"], &["PATH=~/harbour:$PATH"], false),
        ] {
            let added: Vec<String> = lines.iter().map(|line| (*line).to_owned()).collect();
            let inserted = Some(lines.join("\n"));
            let file =
                StartupDifference { path: "/h/pat/.profile".into(), added, removed: Vec::new(), inserted, made: false };
            assert_eq!(whose.strange_lines(&file), strange, "{lines:?}");
            assert_eq!(whose.own_text(&file).is_some(), own, "{lines:?}");
        }
    }
}
