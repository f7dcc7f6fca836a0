//! Whether Windows could start a program here: its search for libraries over a view of a machine (Microsoft, "Dynamic-link library
//! search order").

use std::collections::HashSet;
use std::path::{Path, PathBuf};
use std::rc::Rc;

use super::loading::{Brought, Fit, Lack};
use super::pe_facts::PeFacts;

pub trait DllView {
    /// What is at a path: nothing, something that can't be read, or a library.
    fn look_at_dll(&self, path: &Path) -> Option<Option<Rc<PeFacts>>>;
    /// The system's folders, then those of PATH.
    fn dll_folders(&self) -> &[PathBuf];
    fn windows(&self) -> Option<[u16; 2]>;
    fn windows_build(&self) -> Option<u32>;
    fn processor(&self) -> &str;
}

/// On such a machine the system's own libraries serve programs of other machines as well ("Arm64X PE files").
const ARM64: u16 = 0xaa64;
const X64: u16 = 0x8664;
/// The first build for such machines that runs x64 programs ("How emulation works on Arm": Windows 11).
const FIRST_WITH_X64: u32 = 22_000;

/// Compares a program with a machine. `origin` is the folder it lies in, where it is in place.
pub(super) fn fit_pe(program: &PeFacts, origin: Option<&Path>, brought: &Brought<'_>, view: &dyn DllView) -> Fit {
    let mut fit = Fit::default();
    if let Some(here) = view.windows().filter(|here| program.least_windows > *here) {
        let [major, minor] = program.least_windows;
        fit.missing
            .push(Lack::new(format!("version {major}.{minor} of Windows (newest here: {}.{})", here[0], here[1])));
    }
    if view.processor() == "aarch64" && program.machine != ARM64 {
        fit.is_translated = true;
        if program.machine == X64 && view.windows_build().is_some_and(|build| build < FIRST_WITH_X64) {
            fit.missing.push(Lack::new("Windows 11, which runs programs for x64 on this processor"));
        }
    }
    let needs_no_file = |library: &str| {
        // Names that the loader maps to libraries itself ("Windows API sets").
        let lower = library.to_lowercase();
        lower.starts_with("api-ms-win-") || lower.starts_with("ext-ms-") || brought.contains_key(&lower)
    };
    let find = |library: &str| {
        let folders = origin.into_iter().chain(view.dll_folders().iter().map(PathBuf::as_path));
        let mut seen = folders.filter_map(|folder| view.look_at_dll(&folder.join(library)));
        seen.find(|seen| seen.as_ref().is_none_or(|facts| [program.machine, ARM64].contains(&facts.machine)))
    };
    for library in program.delayed.iter().filter(|library| !needs_no_file(library) && find(library).is_none()) {
        fit.unknown.push(format!("it may need the library {library}, which is missing"));
    }
    for import in &program.imports {
        let library = &import.library;
        if needs_no_file(library) {
            continue;
        }
        let Some(found) = find(library) else {
            fit.missing.push(Lack::library(library, ""));
            continue;
        };
        let Some(found) = found else {
            fit.unknown.push(format!("the library {library} may be incompatible"));
            continue;
        };
        if found.machine != program.machine || found.exports.is_empty() {
            continue;
        }
        let offered: HashSet<&String> = found.exports.iter().collect();
        let lacking = import.functions.iter().find(|function| !offered.contains(function));
        fit.missing.extend(lacking.map(|function| Lack::new(format!("the function {function} of {library}"))));
    }
    fit
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::super::pe_facts::PeImport;
    use super::*;

    struct Made {
        files: BTreeMap<&'static str, PeFacts>,
        folders: Vec<PathBuf>,
        processor: &'static str,
        build: u32,
    }

    impl DllView for Made {
        fn look_at_dll(&self, path: &Path) -> Option<Option<Rc<PeFacts>>> {
            // The rules are those of Windows, wherever they are tested.
            let path = path.to_str().unwrap().replace('\\', "/").to_lowercase();
            match self.files.get(&*path) {
                Some(facts) => Some(Some(Rc::new(facts.clone()))),
                None => path.contains("odd").then_some(None),
            }
        }

        fn dll_folders(&self) -> &[PathBuf] {
            &self.folders
        }

        fn windows(&self) -> Option<[u16; 2]> {
            Some([10, 0])
        }

        fn windows_build(&self) -> Option<u32> {
            Some(self.build)
        }

        fn processor(&self) -> &str {
            self.processor
        }
    }

    #[test]
    fn libraries_functions_and_the_version_of_windows_count() {
        let library = |machine, exports: &[&str]| PeFacts {
            machine,
            exports: exports.iter().map(ToString::to_string).collect(),
            ..PeFacts::default()
        };
        let view = Made {
            files: BTreeMap::from([
                ("/sys/tide.dll", library(X64, &["Rise", "Fall"])),
                ("/sys/narrow.dll", library(0x14c, &["Rise"])),
                ("/own/ebb.dll", library(X64, &["Rise"])),
            ]),
            folders: vec!["/sys".into()],
            processor: "x86_64",
            build: 19_045,
        };
        for (library, function, least, expected) in [
            ("TIDE.dll", "Rise", [6, 0], Ok(())),
            ("tide.dll", "Neap", [6, 0], Err("the function Neap of tide.dll")),
            ("gone.dll", "Rise", [6, 0], Err("the library gone.dll")),
            ("narrow.dll", "Rise", [6, 0], Err("the library narrow.dll")),
            ("ebb.dll", "Rise", [10, 0], Ok(())),
            ("brought.dll", "Rise", [10, 0], Ok(())),
            ("api-ms-win-tide-l1-1-0.dll", "Rise", [10, 0], Ok(())),
            ("tide.dll", "Fall", [11, 0], Err("version 11.0 of Windows (newest here: 10.0)")),
        ] {
            let imports = vec![PeImport { library: library.to_owned(), functions: vec![function.to_owned()] }];
            let program = PeFacts { machine: X64, least_windows: least, imports, ..PeFacts::default() };
            let brought = Brought::from([("brought.dll".to_owned(), None)]);
            let fit = fit_pe(&program, Some(Path::new("/own")), &brought, &view);
            assert_eq!(fit.missing.first().map_or(Ok(()), |first| Err(&*first.words)), expected, "{library}");
        }
        let imports = vec![PeImport { library: "odd.dll".to_owned(), functions: Vec::new() }];
        let program = PeFacts { machine: X64, imports, ..PeFacts::default() };
        let fit = fit_pe(&program, None, &Brought::new(), &view);
        assert_eq!((fit.missing.len(), fit.unknown.len()), (0, 1));
        let delayed = ["gone.dll", "tide.dll", "api-ms-win-tide-l1-1-0.dll"].map(str::to_owned).to_vec();
        let fit = fit_pe(&PeFacts { machine: X64, delayed, ..PeFacts::default() }, None, &Brought::new(), &view);
        assert_eq!(
            (fit.missing.len(), &*fit.unknown),
            (0, &["it may need the library gone.dll, which is missing".to_owned()][..])
        );
    }
    #[test]
    fn programs_for_other_processors_are_translated_where_windows_does() {
        const X86: u16 = 0x14c;
        for (processor, build, machine, translated, runs) in [
            ("x86_64", 19_045, X86, false, true),
            ("aarch64", 19_045, X86, true, true),
            ("aarch64", 19_045, X64, true, false),
            ("aarch64", 22_631, X64, true, true),
            ("aarch64", 22_631, ARM64, false, true),
        ] {
            let view = Made { files: BTreeMap::new(), folders: Vec::new(), processor, build };
            let program = PeFacts { machine, ..PeFacts::default() };
            let fit = fit_pe(&program, None, &Brought::new(), &view);
            assert_eq!(
                (fit.is_translated, fit.missing.is_empty()),
                (translated, runs),
                "{processor} {build} {machine}"
            );
        }
    }
}
