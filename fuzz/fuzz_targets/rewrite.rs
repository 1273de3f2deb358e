#![no_main]

#[path = "../checks.rs"]
#[allow(dead_code, reason = "each target has a check of its own")]
mod checks;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| checks::rewrite(bytes));
