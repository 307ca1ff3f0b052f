//! `cargo fuzz run page --features libfuzzer`.
#![no_main]
#![allow(missing_docs)]

libfuzzer_sys::fuzz_target!(|data: &[u8]| kivet_fuzz::page(data));
