//! Exit statuses by which Windows itself says that a program could not run, in words.

use crate::finding::Code;

/// The statuses that people meet ("NTSTATUS Values", MS-ERREF 2.3.1), and what each comes to.
const STATUSES: [(u32, Code, &str); 9] = [
    (0xC000_0135, Code::LibraryMissing, "a library it needs was not found"),
    (0xC000_0139, Code::LibraryMissing, "a library it needs has the wrong version: a function is missing"),
    (0xC000_0138, Code::LibraryMissing, "a library it needs has the wrong version: a function is missing"),
    (0xC000_007B, Code::ForAnotherMachine, "it, or a library it needs, is for another processor"),
    (0xC000_0142, Code::LibraryMissing, "a library it needs could not be initialised"),
    (0xC000_0005, Code::Crashed, "it crashed: access violation"),
    (0xC000_00FD, Code::Crashed, "it crashed: stack overflow"),
    (0xC000_0409, Code::Crashed, "it crashed: memory corruption or abort"),
    (0xC000_001D, Code::Crashed, "it uses an instruction that this processor lacks"),
];

/// What `cmd` gives for a command that it did not find, and a batch file passes on.
const NOT_RECOGNISED: u32 = 9009;

/// Why a program that ended with this status never got going, or crashed; `None` where the status is the program's own.
/// Statuses of severity "error" are 0xC0000000 and above.
pub fn of_windows(status: u32) -> Option<(Code, String)> {
    if status == NOT_RECOGNISED {
        return Some((Code::DoesNotStart, "it calls a command that was not found".to_owned()));
    }
    match STATUSES.iter().find(|(known, ..)| *known == status) {
        Some((_, code, words)) => Some((*code, format!("{words} (0x{status:08X})"))),
        None if (0xC000_0000..0xD000_0000).contains(&status) => {
            Some((Code::Crashed, format!("the system ended it with status 0x{status:08X}")))
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
            assert_eq!(of_windows(status).map(|(_, words)| words).as_deref(), expected, "{status:x}");
        }
    }
}
