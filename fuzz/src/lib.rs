//! What the fuzz targets have in common.

use std::fs;
use std::path::Path;
use std::sync::Once;

use libfuzzer_sys::Corpus;
use wagon_yard_core::archive::{self, Container, DECODER_THREAD, Finish, Limits, Options, Source};
use wagon_yard_core::layout;
use wagon_yard_core::progress::{Processor, Silent, Stop};

/// Small, so that no input takes long.
fn options(leave_out_hazards: bool) -> Options {
    let limits = Limits { entries: 2_000, names: 1 << 18, bytes: 8 << 20, ratio: 250 };
    Options { limits, leave_out_hazards }
}

fn laid_out(bytes: &[u8]) -> tempfile::TempDir {
    // A panic of a decoder is told as damage; every other one ends the run.
    static HOOK: Once = Once::new();
    HOOK.call_once(|| {
        let usual = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |panic| {
            if std::thread::current().name() != Some(DECODER_THREAD) {
                usual(panic);
            }
        }));
    });
    let folder = tempfile::tempdir_in("/dev/shm").or_else(|_| tempfile::tempdir()).expect("a folder");
    fs::write(folder.path().join("t-1.0"), bytes).expect("room for the input");
    folder
}

/// Lists what is taken for a container of this kind; other inputs are not worth keeping.
pub fn list(bytes: &[u8], container: Container) -> Corpus {
    let folder = laid_out(bytes);
    let Ok(source) = Source::open(&folder.path().join("t-1.0"), folder.path(), &Stop::default()) else {
        return Corpus::Keep;
    };
    if source.format.container != container {
        return Corpus::Reject;
    }
    for leave_out in [false, true] {
        if let Ok(mut listing) = archive::list(&source, options(leave_out), &Stop::default()) {
            let wrapper = layout::wrapper(&listing);
            listing.leave_out_links(&wrapper, None).expect("nothing is removed");
        }
    }
    Corpus::Keep
}

/// Unpacks whatever it is. Nothing may land beside the root, nor outside by way of what was unpacked.
pub fn unpack(bytes: &[u8]) {
    let (leave_out, bytes) = (bytes.first().is_some_and(|b| b & 1 == 1), bytes.get(1..).unwrap_or_default());
    let folder = laid_out(bytes);
    let (file, root) = (folder.path().join("t-1.0"), folder.path().join("root"));
    fs::create_dir(&root).expect("a folder");
    if let Ok(source) = Source::open(&file, folder.path(), &Stop::default()) {
        let options = options(leave_out);
        let unpacked = archive::unpack(&source, &root, options, &Silent, &Stop::default(), &Processor::free());
        if let Ok(mut listing) = unpacked {
            let wrapper = layout::wrapper(&listing);
            if leave_out {
                listing.leave_out_links(&wrapper, Some(&root)).expect("what was unpacked can be removed");
            }
            if let Ok(finish) = Finish::check(&listing, &wrapper) {
                let _ = finish.apply(&root, options);
                stays_inside(&root, &root.canonicalize().expect("it is there"));
            }
        }
    }
    assert_eq!(fs::read_dir(folder.path()).expect("it is there").count(), 2, "something lies beside the root");
    assert_eq!(fs::read(&file).expect("it is there"), bytes, "the archive was changed");
}

fn stays_inside(folder: &Path, root: &Path) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        let seen = fs::symlink_metadata(&path).expect("it is there");
        assert!(seen.is_dir() || seen.is_file() || seen.is_symlink(), "{path:?} is a special file");
        if let Ok(place) = path.canonicalize() {
            assert!(place.starts_with(root), "{path:?} leads to {place:?}");
        }
        if seen.is_dir() {
            stays_inside(&path, root);
        }
    }
}
