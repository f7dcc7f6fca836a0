//! The registry as the system names and keeps it.

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RawValue {
    pub name: String,
    /// Its type number: 1 is a plain string, 2 an expandable one.
    pub kind: u32,
    /// Its bytes; for strings UTF-16 in little-endian order, most often ending in a zero.
    pub bytes: Vec<u8>,
}

/// A root of the registry ("Predefined Keys").
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hive {
    /// The user's, `HKEY_CURRENT_USER`.
    CurrentUser,
    /// The machine's, `HKEY_LOCAL_MACHINE`.
    LocalMachine,
}

impl Hive {
    pub fn name(self) -> &'static str {
        match self {
            Self::CurrentUser => "HKEY_CURRENT_USER",
            Self::LocalMachine => "HKEY_LOCAL_MACHINE",
        }
    }
}
