//! How an installer ended, in words.

use std::time::Duration;

use super::facts::InstallerKind;

/// The statuses of Windows Installer that people meet ("MsiExec.exe and InstMsi.exe error messages"), which most other
/// installers for Windows use as well.
const STATUSES: [(i32, bool, &str); 12] = [
    (0, true, "it succeeded"),
    (3010, true, "it succeeded; restart Windows to complete it"),
    (1641, true, "it succeeded, and restarts Windows"),
    (1602, false, "it was cancelled"),
    (1603, false, "it failed with an error; see its log"),
    (1618, false, "another installation is running; try again later"),
    (1619, false, "the package could not be opened"),
    (1620, false, "the package is invalid"),
    (1625, false, "a policy blocks it"),
    (1633, false, "the package is for another processor"),
    (1638, false, "another version of the product is installed"),
    (740, false, "it requires administrator rights"),
];

/// Whether an installer that ended with this status has done its work, and the status in words.
pub(super) fn describe(kind: InstallerKind, status: Option<i32>) -> (bool, String) {
    let Some(status) = status else { return (false, "it was ended by a signal".to_owned()) };
    let known = STATUSES.iter().find(|(known, ..)| *known == status);
    match (kind, known) {
        (InstallerKind::WindowsPackage | InstallerKind::WindowsProgram, Some((_, well, words))) => {
            (*well, (*words).to_owned())
        }
        (_, _) if status == 0 => (true, "it succeeded".to_owned()),
        (_, _) => (false, format!("it failed with status {status}")),
    }
}

/// What is said of one that took too long.
pub(super) fn not_within(limit: Duration) -> String {
    let minutes = limit.as_secs().div_ceil(60);
    format!("it did not finish within {minutes} {}", if minutes == 1 { "minute" } else { "minutes" })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_status_is_told_in_words() {
        let package = InstallerKind::WindowsPackage;
        for (kind, status, well, says) in [
            (package, Some(0), true, "succeeded"),
            (package, Some(3010), true, "restart"),
            (package, Some(1602), false, "cancelled"),
            (package, Some(1618), false, "another installation"),
            (package, Some(17), false, "status 17"),
            (InstallerKind::SelfExtractor, Some(1602), false, "status 1602"),
            (InstallerKind::SelfExtractor, None, false, "signal"),
        ] {
            let (seen, text) = describe(kind, status);
            assert!(seen == well && text.contains(says), "{status:?}: {text}");
        }
    }
}
