//! What macOS says of itself in files; elsewhere they are not there.

use std::fs;
use std::path::Path;

/// A setting of the file that tells the system's version, such as `ProductVersion`.
pub fn macos_setting(name: &str) -> Option<String> {
    of_plist(&fs::read_to_string("/System/Library/CoreServices/SystemVersion.plist").ok()?, name)
}

/// Whether the translator for programs of Intel processors is installed.
pub fn translates_intel() -> bool {
    Path::new("/Library/Apple/usr/share/rosetta").exists()
}

fn of_plist(text: &str, name: &str) -> Option<String> {
    let (_, rest) = text.split_once(&format!("<key>{name}</key>"))?;
    let (_, rest) = rest.split_once("<string>")?;
    rest.split_once("</string>").map(|(value, _)| value.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_of_a_list_is_read() {
        let list = "<dict>\n<key>ProductName</key>\n\t<string>tideOS</string>\n</dict>";
        assert_eq!(of_plist(list, "ProductName").as_deref(), Some("tideOS"));
        assert_eq!(of_plist(list, "ProductVersion"), None);
    }
}
