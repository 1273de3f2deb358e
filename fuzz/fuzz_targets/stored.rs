#![no_main]

#[path = "../../crates/store/src/codec/mod.rs"]
#[allow(dead_code, reason = "only the unpackers and their counterparts are used")]
mod codec;
#[path = "../stored.rs"]
mod stored;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| stored::stored(bytes));
