//! What a program sees of the terminal that starts it, beside its arguments and variables.

use std::fmt::Write as _;

/// The first argument of a call that only says in which context it was started.
pub const CONTEXT_ARGUMENT: &str = "terminal-context";

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Descriptor {
    Terminal,
    /// A file or device, by its path's bytes.
    File(Vec<u8>),
    /// A pipe, a socket, or what else has no place.
    Other,
}

/// A limit of resources: its number, and the soft and the hard value (getrlimit(2)).
pub type Limit = (u32, u64, u64);

/// The context of a program in a terminal: what it inherits from the shell without being told.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct TerminalContext {
    /// The bits that new files do not get (umask(2)).
    pub umask: u32,
    /// The ignored signals, a bit each, the lowest for signal 1 (signal(7)).
    pub ignored: u64,
    pub limits: Vec<Limit>,
    /// The open descriptors by their numbers; a number that is missing is closed.
    pub descriptors: Vec<(i32, Descriptor)>,
    /// The current folder, as bytes.
    pub folder: Vec<u8>,
}

impl TerminalContext {
    /// Whether what it writes goes to a terminal.
    pub fn is_at_terminal(&self) -> bool {
        self.descriptors.iter().any(|(number, leads_to)| *number == 1 && *leads_to == Descriptor::Terminal)
    }

    pub fn in_folder(&self, folder: &std::path::Path) -> Self {
        Self { folder: folder.as_os_str().as_encoded_bytes().to_vec(), ..self.clone() }
    }

    /// One line of text for each fact.
    pub fn to_text(&self) -> String {
        let mut text =
            format!("umask {}\nignored {}\nfolder {}\n", self.umask, self.ignored, hex::encode(&self.folder));
        for (number, soft, hard) in &self.limits {
            let _ = writeln!(text, "limit {number} {soft} {hard}");
        }
        for (number, leads_to) in &self.descriptors {
            let _ = match leads_to {
                Descriptor::Terminal => writeln!(text, "descriptor {number} terminal"),
                Descriptor::File(path) => writeln!(text, "descriptor {number} file {}", hex::encode(path)),
                Descriptor::Other => writeln!(text, "descriptor {number} other"),
            };
        }
        text
    }

    /// Reads [`Self::to_text`] back; `None` where it says something else.
    pub fn parse(text: &str) -> Option<Self> {
        let mut context = Self::default();
        let mut is_begun = false;
        for line in text.lines() {
            let words: Vec<&str> = line.split(' ').collect();
            match words[..] {
                ["umask", bits] => (context.umask, is_begun) = (bits.parse().ok()?, true),
                ["ignored", signals] => context.ignored = signals.parse().ok()?,
                ["folder", path] => context.folder = hex::decode(path).ok()?,
                ["limit", number, soft, hard] => {
                    context.limits.push((number.parse().ok()?, soft.parse().ok()?, hard.parse().ok()?));
                }
                ["descriptor", number, "terminal"] => {
                    context.descriptors.push((number.parse().ok()?, Descriptor::Terminal));
                }
                ["descriptor", number, "file", path] => {
                    context.descriptors.push((number.parse().ok()?, Descriptor::File(hex::decode(path).ok()?)));
                }
                ["descriptor", number, "other"] => context.descriptors.push((number.parse().ok()?, Descriptor::Other)),
                _ => return None,
            }
        }
        is_begun.then_some(context)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read() {
        let context = TerminalContext {
            umask: 0o22,
            ignored: 1 << 12,
            limits: vec![(7, 16, u64::MAX)],
            descriptors: vec![
                (1, Descriptor::Terminal),
                (3, Descriptor::File(b"/a\n b".to_vec())),
                (4, Descriptor::Other),
            ],
            folder: b"/h\xff".to_vec(),
        };
        assert_eq!(TerminalContext::parse(&context.to_text()), Some(context.clone()));
        assert!(context.is_at_terminal() && !TerminalContext::default().is_at_terminal());
        for wrong in ["", "umask x\n", "umask 1\nodd\n"] {
            assert_eq!(TerminalContext::parse(wrong), None);
        }
    }
}
