//! What a snapshot leaves out: where the home is, who the user is, and what the machine is called.

use std::path::Path;

use crate::machine::Machine;
use crate::os;

/// What stands for the names of user and machine in a path outside the home.
const USER: &str = "USER";
const HOST: &str = "HOST";

/// Takes the home, and the names of user and machine, out of texts.
pub struct Private {
    home: String,
    /// The names, each with what stands for it.
    names: Vec<(String, &'static str)>,
}

impl Private {
    pub fn of(machine: &Machine) -> Self {
        let environment = &machine.environment;
        let names = ["USER", "LOGNAME", "USERNAME"].iter().find_map(|name| environment.get(name));
        let user = names.map(|name| (name.to_string_lossy().into_owned(), USER));
        let host = os::host_name().map(|name| (name, HOST));
        Self {
            home: machine.home.to_string_lossy().into_owned(),
            // These are no secrets, and stand in many paths.
            names: user
                .into_iter()
                .chain(host)
                .filter(|(name, _)| name.len() > 2 && !["root", "localhost"].contains(&name.as_str()))
                .collect(),
        }
    }

    pub fn path(&self, path: &Path) -> String {
        self.text(&path.to_string_lossy())
    }

    /// A text with the home as `~`, and with other words where a name is a part of a path.
    pub fn text(&self, text: &str) -> String {
        let is_separator = |c: char| !c.is_alphanumeric() && !"._-".contains(c);
        let text =
            replaced(text, &self.home, "~", |next| next.is_none_or(|c| !c.is_alphanumeric() && !"._-".contains(c)));
        if self.names.is_empty() {
            return text;
        }
        let mut whole = String::with_capacity(text.len());
        for part in text.split_inclusive(is_separator) {
            let name = part.trim_end_matches(is_separator);
            match self.names.iter().find(|(known, _)| known.eq_ignore_ascii_case(name)) {
                Some((_, word)) => whole.extend([word, &part[name.len()..]]),
                None => whole.push_str(part),
            }
        }
        whole
    }
}

/// A text with another in place of each occurrence that ends where `ends` says.
fn replaced(text: &str, old: &str, new: &str, ends: impl Fn(Option<char>) -> bool) -> String {
    if old.len() < 2 {
        return text.to_owned();
    }
    let (mut whole, mut rest) = (String::with_capacity(text.len()), text);
    while let Some(at) = rest.find(old) {
        let behind = &rest[at + old.len()..];
        whole.push_str(&rest[..at]);
        whole.push_str(if ends(behind.chars().next()) { new } else { old });
        rest = behind;
    }
    whole + rest
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn neither_home_nor_user_is_in_it() {
        let of = |home: &str| {
            let names = [("ebba", USER), ("pier-3", HOST)].map(|(name, word)| (name.to_owned(), word)).to_vec();
            Private { home: home.to_owned(), names }
        };
        let unix = of("/home/ebba");
        for (text, expected) in [
            ("/home/ebba/bin:/home/ebba", "~/bin:~"),
            ("/home/ebbalund/bin", "/home/ebbalund/bin"),
            ("/media/ebba/disk", "/media/USER/disk"),
            ("export PATH=\"/home/ebba/x:$PATH\"", "export PATH=\"~/x:$PATH\""),
            ("/usr/bin", "/usr/bin"),
            ("PATH=/media/ebba:\"/srv/ebba\"", "PATH=/media/USER:\"/srv/USER\""),
            ("/net/pier-3/tools:/net/pier-30", "/net/HOST/tools:/net/pier-30"),
        ] {
            assert_eq!(unix.text(text), expected);
        }
        let windows = of(r"C:\Users\ebba");
        assert_eq!(windows.text(r"C:\Users\ebba\AppData;D:\ebba\x"), r"~\AppData;D:\USER\x");
        assert_eq!(windows.text(r"\\PIER-3\tools"), r"\\HOST\tools");
    }
}
