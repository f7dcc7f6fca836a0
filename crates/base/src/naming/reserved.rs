//! Names that Windows would take for something else ("Naming Files, Paths, and Namespaces").

#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum WindowsNameError {
    #[error("its name is a Windows device name")]
    Device,
    #[error("its name ends with a dot or space, which Windows removes")]
    End,
    #[error("its name contains a character that Windows does not allow, such as : or ?")]
    Character,
}

/// Names of devices, with any extension and in any case.
const DEVICES: [&str; 6] = ["CON", "PRN", "AUX", "NUL", "CONIN$", "CONOUT$"];
/// Names of devices that a digit follows; the raised digits count as well.
const NUMBERED: [&str; 2] = ["COM", "LPT"];

pub fn check(name: &str) -> Result<(), WindowsNameError> {
    if name.chars().any(|c| c.is_control() || "<>:\"|?*\\/".contains(c)) {
        return Err(WindowsNameError::Character);
    }
    if name.ends_with(['.', ' ']) {
        return Err(WindowsNameError::End);
    }
    let stem = name.split('.').next().unwrap_or_default().trim_end_matches(' ').to_uppercase();
    let numbered = |device: &str| {
        let digit = stem.strip_prefix(device).filter(|rest| rest.chars().count() == 1);
        digit.is_some_and(|d| d.contains(['1', '2', '3', '4', '5', '6', '7', '8', '9', '¹', '²', '³']))
    };
    if DEVICES.contains(&stem.as_str()) || NUMBERED.iter().any(|device| numbered(device)) {
        return Err(WindowsNameError::Device);
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use crate::naming::reserved::*;

    #[test]
    fn names_are_told_for_what_windows_makes_of_them() {
        use WindowsNameError::{Character, Device, End};
        for (name, expected) in [
            ("tidelog.exe", None),
            ("console", None),
            ("com", None),
            ("com10", None),
            ("a.nul", None),
            ("..a", None),
            ("NUL", Some(Device)),
            ("nul.txt", Some(Device)),
            ("Aux.tar.gz", Some(Device)),
            ("con .txt", Some(Device)),
            ("COM1", Some(Device)),
            ("lpt².log", Some(Device)),
            ("conin$", Some(Device)),
            ("a.", Some(End)),
            ("a ", Some(End)),
            ("...", Some(End)),
            ("a:b", Some(Character)),
            ("a?", Some(Character)),
            ("a\tb", Some(Character)),
            ("a\\b", Some(Character)),
        ] {
            assert_eq!(check(name).err(), expected, "{name:?}");
        }
    }
}
