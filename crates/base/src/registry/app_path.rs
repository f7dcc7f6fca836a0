//! Programs that are registered under a name: what the system's own starting of names finds beside PATH ("Application
//! Registration").

use std::path::PathBuf;

use super::place::RegistryPlace;
use super::value::RegistryValue;
use crate::os::Hive;

/// Where they are, in the user's and in the machine's root.
const BELOW: &str = r"Software\Microsoft\Windows\CurrentVersion\App Paths";

/// The program registered under a file name such as `tidelog.exe`: the user's comes before the machine's. `expand` fills in
/// references to variables.
pub fn app_path(file: &str, expand: &dyn Fn(&str) -> String) -> Option<PathBuf> {
    let registered = |hive| {
        let key = RegistryPlace { hive, key: format!(r"{BELOW}\{file}") }.read().ok()?;
        // The value without a name.
        let value = RegistryValue::from_raw(key.raw("")?)?;
        program(&value.text, expand)
    };
    [Hive::CurrentUser, Hive::LocalMachine].into_iter().find_map(registered)
}

/// The path that such a value means: quotes around it are no part of it.
fn program(text: &str, expand: &dyn Fn(&str) -> String) -> Option<PathBuf> {
    let text = expand(text.trim().trim_matches('"'));
    (!text.is_empty()).then(|| PathBuf::from(text))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_registered_path_may_be_quoted_and_refer_to_variables() {
        let expand = |text: &str| text.replace("%X%", "C:");
        assert_eq!(program(r#" "%X%\a b\t.exe" "#, &expand), Some(PathBuf::from(r"C:\a b\t.exe")));
        assert_eq!(program("\"\"", &expand), None);
    }
}
