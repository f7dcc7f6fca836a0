//! Listing.
#![no_main]

use wagon_yard_core::archive::Container;
use wagon_yard_fuzz::list;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| -> libfuzzer_sys::Corpus { list(bytes, Container::SevenZip) });
