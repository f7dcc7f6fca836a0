//! A change of a line that somebody else has written, proposed as a unified diff.

use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;
use similar::TextDiff;

use crate::folders::{Below, mention};
use crate::report::ReportPath;
use crate::terminal::Origin;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Proposal {
    pub entry: ReportPath,
    /// The file, or another place that put the entry there.
    pub place: String,
    pub line: Option<u32>,
    /// The change, as a unified diff; null where nothing can be said.
    pub diff: Option<String>,
}

/// Lines that still do something when the folder is gone from them begin with none of these.
const ONLY_PATH: [&str; 8] = [
    "PATH=$PATH",
    "export PATH=$PATH",
    "PATH=${PATH}",
    "export PATH=${PATH}",
    "set -gx PATH $PATH",
    "set -x PATH $PATH",
    "setenv PATH ${PATH}",
    "set path = ( $path )",
];

impl Proposal {
    /// For an entry, from what is known of where it comes from.
    pub(super) fn of(entry: &ReportPath, origin: Option<&Origin>, home: &Path) -> Self {
        let (place, line) = origin.map_or(("not known".to_owned(), None), |o| (o.place.clone(), o.line));
        let diff = line.and_then(|line| {
            let text = fs::read_to_string(&place).ok()?;
            let changed = without(&text, usize::try_from(line).ok()?.checked_sub(1)?, &entry.text(), home)?;
            let diff = TextDiff::from_lines(&text, &changed);
            Some(diff.unified_diff().context_radius(1).header(&place, &place).to_string())
        });
        Self { entry: entry.clone(), place, line, diff }
    }
}

/// The text with one entry taken out of a line, or without the line where nothing else is in it; `None` where the line
/// does not name the folder.
fn without(text: &str, at: usize, entry: &str, home: &Path) -> Option<String> {
    let mut spellings = vec![entry.to_owned()];
    if let Ok(below) = PathBuf::from(entry).strip_prefix(home) {
        spellings.extend(["$HOME", "${HOME}", "~"].map(|begin| format!("{begin}/{}", below.display())));
    }
    let mut lines: Vec<String> = text.split_inclusive('\n').map(str::to_owned).collect();
    let line = lines.get_mut(at)?;
    let found = spellings.iter().find_map(|spelling| mention(line, spelling, Below::No));
    match found {
        Some(found) => {
            let (before, after) = (&line[..found.start], &line[found.end..]);
            // With it goes one of what separates it from the others.
            let shorter = if let Some(after) = after.strip_prefix([':', ' ']) {
                format!("{before}{after}")
            } else {
                format!("{}{after}", before.strip_suffix(':').unwrap_or(before))
            };
            let bare: String = shorter.trim().chars().filter(|c| !matches!(c, '"' | '\'')).collect();
            let is_list = line.contains("PATH") || line.contains("path");
            *line = if !is_list || ONLY_PATH.contains(&bare.as_str()) { String::new() } else { shorter };
        }
        None => return None,
    }
    Some(lines.concat())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_entry_goes_from_its_line() {
        let cases = [
            ("PATH=\"/h/a:/b:$PATH\"\n", "/h/a", Some("PATH=\"/b:$PATH\"\n")),
            ("export PATH=\"$HOME/a:$PATH\"\n", "/h/a", Some("")),
            ("PATH=$PATH:~/a; x=1\n", "/h/a", Some("PATH=$PATH; x=1\n")),
            ("setenv PATH ${HOME}/a:${PATH}\n", "/h/a", Some("")),
            ("set -gx PATH $HOME/a $PATH\n", "/h/a", Some("")),
            ("add_folder /opt/tide\n", "/opt/tide", Some("")),
            ("PATH=/usr/sbin:/usr/bin:/sbin:/bin\n", "/sbin", Some("PATH=/usr/sbin:/usr/bin:/bin\n")),
            ("PATH=/usr/bin:/bin\n", "/bin", Some("PATH=/usr/bin\n")),
            ("PATH=/opt/tide/bin:$PATH\n", "/opt/tide", None),
            ("for d in $folders; do add $d; done\n", "/opt/tide", None),
        ];
        for (line, entry, expected) in cases {
            let text = format!("# before\n{line}# after");
            let changed = without(&text, 1, entry, Path::new("/h"));
            assert_eq!(changed, expected.map(|line| format!("# before\n{line}# after")), "{line}");
        }
        assert_eq!(without("x", 3, "/a", Path::new("/h")), None);
    }
}
