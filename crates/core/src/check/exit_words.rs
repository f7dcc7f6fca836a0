//! Exit statuses by which Windows itself says that a program could not run, in words.

/// The statuses that people meet ("NTSTATUS Values", MS-ERREF 2.3.1).
const STATUSES: [(u32, &str); 9] = [
    (0xC000_0135, "a library it needs was not found"),
    (0xC000_0139, "a library it needs lacks a function: it is of another version"),
    (0xC000_0138, "a library it needs lacks a function: it is of another version"),
    (0xC000_007B, "it, or a library it needs, is for another processor"),
    (0xC000_0142, "a library it needs could not be initialised"),
    (0xC000_0005, "it crashed: it touched memory that is not its own"),
    (0xC000_00FD, "it crashed: its stack was used up"),
    (0xC000_0409, "it crashed: it found its own memory damaged, or gave up"),
    (0xC000_001D, "it uses an instruction that this processor does not have"),
];

/// What `cmd` gives for a command that it did not find, and a batch file passes on.
const NOT_RECOGNISED: u32 = 9009;

/// Why a program that ended with this status never got going, or crashed; `None` where the status is the program's own.
/// Statuses of severity "error" are 0xC0000000 and above.
#[must_use]
pub fn of_windows(status: u32) -> Option<String> {
    if status == NOT_RECOGNISED {
        return Some("it calls a command that was not found".to_owned());
    }
    let words = STATUSES.iter().find(|(known, _)| *known == status).map(|(_, words)| *words);
    match words {
        Some(words) => Some(format!("{words} (0x{status:08X})")),
        None if (0xC000_0000..0xD000_0000).contains(&status) => {
            Some(format!("the system ended it with status 0x{status:08X}"))
        }
        None => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn statuses_are_told_in_words() {
        for (status, expected) in [
            (0, None),
            (1, None),
            (127, None),
            (0xFFFF_FFFF, None),
            (9009, Some("it calls a command that was not found")),
            (0xC000_0135, Some("a library it needs was not found (0xC0000135)")),
            (0xC000_0374, Some("the system ended it with status 0xC0000374")),
        ] {
            assert_eq!(of_windows(status).as_deref(), expected, "{status:x}");
        }
    }
}
