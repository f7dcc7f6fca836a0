//! How an installer ended, in words.

use std::time::Duration;

use super::facts::InstallerKind;

/// The statuses of Windows Installer that people meet ("MsiExec.exe and InstMsi.exe error messages"), which most other
/// installers for Windows use as well.
const STATUSES: [(i32, bool, &str); 12] = [
    (0, true, "it ended well"),
    (3010, true, "it ended well; Windows has to be restarted before all of it counts"),
    (1641, true, "it ended well, and restarts Windows"),
    (1602, false, "it was cancelled"),
    (1603, false, "it broke off with an error; its log tells more"),
    (1618, false, "another installation is running; try again when that has ended"),
    (1619, false, "the package could not be opened"),
    (1620, false, "the package can't be understood"),
    (1625, false, "a policy of this machine forbids it"),
    (1633, false, "the package is for another processor"),
    (1638, false, "another version of the product is installed"),
    (740, false, "it asks for an administrator's rights"),
];

/// Whether an installer that ended with this status has done its work, and the status in words.
pub(super) fn words(kind: InstallerKind, status: Option<i32>) -> (bool, String) {
    let Some(status) = status else { return (false, "it was ended by a signal".to_owned()) };
    let known = STATUSES.iter().find(|(known, ..)| *known == status);
    match (kind, known) {
        (InstallerKind::WindowsPackage | InstallerKind::WindowsProgram, Some((_, well, words))) => {
            (*well, (*words).to_owned())
        }
        (_, _) if status == 0 => (true, "it ended well".to_owned()),
        (_, _) => (false, format!("it ended with status {status}")),
    }
}

/// What is said of one that took too long.
pub(super) fn not_within(limit: Duration) -> String {
    let minutes = limit.as_secs().div_ceil(60);
    format!("it did not end within {minutes} {}", if minutes == 1 { "minute" } else { "minutes" })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_status_is_told_in_words() {
        let package = InstallerKind::WindowsPackage;
        for (kind, status, well, says) in [
            (package, Some(0), true, "well"),
            (package, Some(3010), true, "restarted"),
            (package, Some(1602), false, "cancelled"),
            (package, Some(1618), false, "another installation"),
            (package, Some(17), false, "status 17"),
            (InstallerKind::SelfExtractor, Some(1602), false, "status 1602"),
            (InstallerKind::SelfExtractor, None, false, "signal"),
        ] {
            let (seen, text) = words(kind, status);
            assert!(seen == well && text.contains(says), "{status:?}: {text}");
        }
    }
}
