//! Which system's rules apply. Both systems' rules are ordinary code that is tested everywhere.

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum System {
    Unix,
    Windows,
}

impl System {
    /// What separates the entries of PATH (POSIX.1-2017, "Environment Variables"; Windows, "Environment Variables").
    pub fn path_separator(self) -> u8 {
        match self {
            Self::Unix => b':',
            Self::Windows => b';',
        }
    }
}
