//! Whether macOS could start a program here: the slice it takes, and what that slice asks for.

use std::path::Path;

use super::loading::{Brought, Fit, Lack};
use super::macho_facts::{MachoFacts, MachoSlice};

pub trait MacView {
    fn processor(&self) -> &str;
    fn macos(&self) -> Option<[u16; 2]>;
    /// Whether programs for Intel processors are translated ("About the Rosetta translation environment").
    fn translates_intel(&self) -> bool;
    fn exists(&self, path: &Path) -> bool;
}

/// What the system brings; it keeps these libraries in one file, and not at their paths ("macOS Big Sur 11.0.1 release notes").
const OF_SYSTEM: [&str; 2] = ["/usr/lib/", "/System/"];

pub(super) fn fit_macho(program: &MachoFacts, brought: &Brought<'_>, view: &dyn MacView) -> Fit {
    let mut fit = Fit::default();
    let of = |arch: &str| program.slices.iter().find(|slice| slice.arch == arch);
    let slice: &MachoSlice = match (of(view.processor()), of("x86_64")) {
        (Some(native), _) => native,
        (None, Some(intel)) if view.processor() == "aarch64" => {
            fit.is_translated = true;
            if !view.translates_intel() {
                let words = "the translator for programs of Intel processors";
                fit.missing.push(Lack::new(words).remedy("run `softwareupdate --install-rosetta`"));
            }
            intel
        }
        // Of the processor itself others speak.
        _ => return fit,
    };
    if let (Some(least), Some(here)) = (slice.least_macos, view.macos())
        && least > here
    {
        let words = format!("macOS {}.{} or later (here: {}.{})", least[0], least[1], here[0], here[1]);
        fit.missing.push(Lack::new(words));
    }
    // On these processors the kernel ends what is not signed ("macOS Big Sur 11.0.1 universal apps release notes").
    if view.processor() == "aarch64" && slice.arch == "aarch64" && !slice.is_signed {
        fit.missing.push(Lack::new("a signature").remedy("if you trust it, sign it: `codesign --sign - FILE`"));
    }
    for library in &slice.libraries {
        let name = library.rsplit('/').next().unwrap_or(library).to_lowercase();
        if OF_SYSTEM.iter().any(|folder| library.starts_with(folder)) || brought.contains_key(&name) {
            continue;
        }
        if !library.starts_with('/') {
            fit.unknown.push(format!("its loader may not find {library}"));
        } else if !view.exists(Path::new(library)) {
            fit.missing.push(Lack::library(library, ""));
        }
    }
    fit
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Mac {
        processor: &'static str,
        translates: bool,
    }

    impl MacView for Mac {
        fn processor(&self) -> &str {
            self.processor
        }
        fn macos(&self) -> Option<[u16; 2]> {
            Some([13, 6])
        }
        fn translates_intel(&self) -> bool {
            self.translates
        }
        fn exists(&self, path: &Path) -> bool {
            path == Path::new("/opt/tide/lib/libtide.dylib")
        }
    }

    /// A header by its bytes: the processor, the least version of macOS, a signature, a library.
    fn made(cpu: u32, least: u32, signed: bool, library: &str) -> Vec<u8> {
        let mut commands = vec![vec![0x32_u32, 24, 1, least << 16, 0, 0]];
        let mut name = library.as_bytes().to_vec();
        name.resize(name.len() / 8 * 8 + 8, 0);
        let words = name.chunks(4).map(|four| u32::from_le_bytes(four.try_into().unwrap()));
        let size = u32::try_from(24 + name.len()).unwrap();
        commands.push([0xc, size, 24, 0, 0, 0].into_iter().chain(words).collect());
        if signed {
            commands.push(vec![0x1d, 16, 0, 0]);
        }
        let count = u32::try_from(commands.len()).unwrap();
        let size = u32::try_from(commands.iter().flatten().count() * 4).unwrap();
        let header = [0xfeed_facf, cpu, 0, 2, count, size, 0, 0];
        header.into_iter().chain(commands.into_iter().flatten()).flat_map(u32::to_le_bytes).collect()
    }

    fn universal(slices: &[(u32, Vec<u8>)]) -> Vec<u8> {
        let mut file: Vec<u8> = [0xcafe_babe_u32, u32::try_from(slices.len()).unwrap()].map(u32::to_be_bytes).concat();
        let mut at = 8 + 20 * slices.len();
        for (cpu, slice) in slices {
            let place = [*cpu, 0, u32::try_from(at).unwrap(), u32::try_from(slice.len()).unwrap(), 3];
            file.extend(place.map(u32::to_be_bytes).concat());
            at += slice.len();
        }
        file.extend(slices.iter().flat_map(|(_, slice)| slice.clone()));
        file
    }

    #[test]
    fn slices_versions_signatures_and_libraries_count() {
        const ARM: u32 = 0x0100_000c;
        const INTEL: u32 = 0x0100_0007;
        const SYSTEM: &str = "/usr/lib/libSystem.B.dylib";
        let arm = Mac { processor: "aarch64", translates: false };
        let translating = Mac { processor: "aarch64", translates: true };
        let intel = Mac { processor: "x86_64", translates: false };
        let both = universal(&[(INTEL, made(INTEL, 12, false, SYSTEM)), (ARM, made(ARM, 12, true, SYSTEM))]);
        let intel_only = made(INTEL, 12, false, SYSTEM);
        for (content, mac, expected, translated) in [
            (&both, &arm, None, false),
            (&both, &intel, None, false),
            (&intel_only, &intel, None, false),
            (&intel_only, &arm, Some("the translator for programs of Intel processors"), true),
            (&intel_only, &translating, None, true),
            (&made(ARM, 14, true, SYSTEM), &arm, Some("macOS 14.0 or later (here: 13.6)"), false),
            (&made(ARM, 13, false, SYSTEM), &arm, Some("a signature"), false),
            (&made(ARM, 13, true, "/opt/tide/lib/libtide.dylib"), &arm, None, false),
            (&made(ARM, 13, true, "/opt/ebb.dylib"), &arm, Some("the library /opt/ebb.dylib"), false),
            (&made(ARM, 13, true, "@rpath/brought.dylib"), &arm, None, false),
        ] {
            let facts = MachoFacts::of(&content[..]).unwrap();
            let fit = fit_macho(&facts, &Brought::from([("brought.dylib".to_owned(), None)]), mac);
            assert_eq!(fit.missing.first().map(|lack| &*lack.words), expected);
            assert_eq!((fit.is_translated, fit.unknown.len()), (translated, 0));
        }
        let facts = MachoFacts::of(&made(ARM, 13, true, "@rpath/ebb.dylib")[..]).unwrap();
        assert_eq!(fit_macho(&facts, &Brought::new(), &arm).unknown, ["its loader may not find @rpath/ebb.dylib"]);
    }
}
