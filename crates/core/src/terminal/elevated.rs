//! What a command run with an administrator's rights searches: a list of its own, where the system has set one.

use std::ffi::OsString;
use std::fs;
use std::io::ErrorKind;
use std::path::Path;

use crate::folders::files_in;

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ElevatedPath {
    Own(OsString),
    Kept,
    /// The rules may not be read by this user.
    Unknown,
}

/// Reads the rules of elevation below `root`; `None` where the system has none.
///
/// Rules: sudoers(5), `secure_path`, "Including other files"; a later line counts, a backslash goes on to the next line.
pub fn elevated_path(root: &Path) -> Option<ElevatedPath> {
    let rules = root.join("etc/sudoers");
    let text = match fs::read_to_string(&rules) {
        Ok(text) => text,
        Err(e) if e.kind() == ErrorKind::NotFound => return None,
        Err(_) => return Some(ElevatedPath::Unknown),
    };
    let mut list = None;
    for line in text.replace("\\\n", " ").lines().map(str::trim) {
        list = secure_path(line).or(list);
        let included =
            line.strip_prefix('@').or(line.strip_prefix('#')).and_then(|rest| rest.strip_prefix("includedir"));
        let Some(folder) = included.map(|folder| folder.trim().trim_start_matches('/')) else { continue };
        for file in files_in(&root.join(folder)) {
            // Files with a dot or a tilde in their names are passed over.
            let counts = file.file_name().is_some_and(|name| !name.to_string_lossy().contains(['.', '~']));
            let text = if counts { fs::read_to_string(&file).unwrap_or_default() } else { String::new() };
            list = text.replace("\\\n", " ").lines().rev().find_map(|line| secure_path(line.trim())).or(list);
        }
    }
    Some(list.map_or(ElevatedPath::Kept, |list| ElevatedPath::Own(list.into())))
}

fn secure_path(line: &str) -> Option<String> {
    let settings = line.strip_prefix("Defaults")?;
    // Settings for some users, hosts or commands only say nothing about this one.
    if !settings.starts_with([' ', '\t']) {
        return None;
    }
    let (_, value) = settings.split_once("secure_path")?;
    let value = value.trim_start().strip_prefix('=')?.trim_start();
    let value = match value.strip_prefix('"') {
        Some(quoted) => quoted.split('"').next()?,
        None => value.split([',', ' ', '\t']).next()?,
    };
    (!value.is_empty()).then(|| value.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_last_list_counts() {
        let cases: [(&str, &str, Option<ElevatedPath>); 6] = [
            (
                "Defaults env_reset\nDefaults\tsecure_path=\"/sbin:/bin\"\n",
                "",
                Some(ElevatedPath::Own("/sbin:/bin".into())),
            ),
            ("Defaults env_reset, secure_path = /a:/b, x\n", "", Some(ElevatedPath::Own("/a:/b".into()))),
            ("Defaults env_reset\n", "", Some(ElevatedPath::Kept)),
            ("Defaults:tide secure_path=/a\n#Defaults secure_path=/b\n", "", Some(ElevatedPath::Kept)),
            (
                "Defaults secure_path=/a\n@includedir /etc/rules\n",
                "Defaults secure_path=/c\n",
                Some(ElevatedPath::Own("/c".into())),
            ),
            ("Defaults \\\n secure_path=/a:/d\n", "", Some(ElevatedPath::Own("/a:/d".into()))),
        ];
        for (rules, more, expected) in cases {
            let root = tempfile::tempdir().unwrap();
            fs::create_dir_all(root.path().join("etc/rules")).unwrap();
            fs::write(root.path().join("etc/sudoers"), rules).unwrap();
            fs::write(root.path().join("etc/rules/tide"), more).unwrap();
            fs::write(root.path().join("etc/rules/old.saved"), "Defaults secure_path=/z\n").unwrap();
            assert_eq!(elevated_path(root.path()), expected, "{rules}");
        }
        assert_eq!(elevated_path(Path::new("/nowhere")), None);
    }
}
