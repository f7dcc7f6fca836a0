//! Safe unpacking.
#![no_main]

use wagon_yard_fuzz::unpack;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| unpack(bytes));
