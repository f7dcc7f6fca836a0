//! What a snapshot leaves out: where the home is, and who the user is.

use std::path::Path;

use crate::machine::Machine;
use crate::system::System;

/// What stands for a user's name in a path outside the home.
const USER: &str = "USER";

/// Takes the home and the user's name out of texts.
pub struct Private {
    home: String,
    user: Option<String>,
    system: System,
}

impl Private {
    pub fn of(machine: &Machine) -> Self {
        let environment = &machine.environment;
        let names = ["USER", "LOGNAME", "USERNAME"].iter().find_map(|name| environment.get(name));
        let user = names.map(|name| name.to_string_lossy().into_owned());
        Self {
            home: machine.home.to_string_lossy().into_owned(),
            // The superuser's name is no secret, and stands in many paths.
            user: user.filter(|name| name.len() > 2 && name != "root"),
            system: machine.system(),
        }
    }

    pub fn path(&self, path: &Path) -> String {
        self.text(&path.to_string_lossy())
    }

    /// A text with the home as `~`, and with another word where the user's name is a part of a path.
    pub fn text(&self, text: &str) -> String {
        let is_separator = |c: char| c == '/' || (self.system == System::Windows && c == '\\');
        let text =
            replaced(text, &self.home, "~", |next| next.is_none_or(|c| !c.is_alphanumeric() && !"._-".contains(c)));
        let Some(user) = &self.user else { return text };
        let mut whole = String::with_capacity(text.len());
        for part in text.split_inclusive(is_separator) {
            let name = part.trim_end_matches(is_separator);
            whole.push_str(&if name == user { part.replace(user.as_str(), USER) } else { part.to_owned() });
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
        let of = |home: &str, system| Private { home: home.to_owned(), user: Some("ebba".to_owned()), system };
        let unix = of("/home/ebba", System::Unix);
        for (text, expected) in [
            ("/home/ebba/bin:/home/ebba", "~/bin:~"),
            ("/home/ebbalund/bin", "/home/ebbalund/bin"),
            ("/media/ebba/disk", "/media/USER/disk"),
            ("export PATH=\"/home/ebba/x:$PATH\"", "export PATH=\"~/x:$PATH\""),
            ("/usr/bin", "/usr/bin"),
        ] {
            assert_eq!(unix.text(text), expected);
        }
        let windows = of(r"C:\Users\ebba", System::Windows);
        assert_eq!(windows.text(r"C:\Users\ebba\AppData;D:\ebba\x"), r"~\AppData;D:\USER\x");
    }
}
