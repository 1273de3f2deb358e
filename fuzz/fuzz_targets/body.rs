#![no_main]

#[path = "../../crates/engine/src/decode.rs"]
mod decode;
#[path = "../../crates/engine/src/headers.rs"]
#[allow(dead_code, reason = "each target has a check of its own")]
mod headers;
#[path = "../received.rs"]
#[allow(dead_code, reason = "each target has a check of its own")]
mod received;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| received::body(bytes));
