//! Packages that bring libraries which programs for Windows are built with.

/// Libraries that come in packages of their own, by how their names begin, and what to install.
const RUNTIMES: [(&str, &str); 8] = [
    ("vcruntime140", "the C++ runtime package for Visual Studio 2015 and later"),
    ("msvcp140", "the C++ runtime package for Visual Studio 2015 and later"),
    ("msvcr120", "the C++ runtime package for Visual Studio 2013"),
    ("msvcp120", "the C++ runtime package for Visual Studio 2013"),
    ("msvcr110", "the C++ runtime package for Visual Studio 2012"),
    ("msvcr100", "the C++ runtime package for Visual Studio 2010"),
    ("ucrtbase", "the update that brings the universal C runtime"),
    ("d3dx", "the DirectX end-user runtime"),
];

/// The package that brings a library of Windows, where it is known by its name.
pub(super) fn runtime_package(library: &str) -> Option<&'static str> {
    let lower = library.to_lowercase();
    RUNTIMES.iter().find(|(begin, _)| lower.starts_with(begin)).map(|(_, package)| *package)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_library_is_known_by_how_its_name_begins() {
        assert!(runtime_package("VCRUNTIME140_1.dll").unwrap().contains("2015"));
        assert_eq!(runtime_package("tide.dll"), None);
    }
}
