//! The checks of the fuzz targets for what servers send, on their corpora and on any bytes.

#[path = "../../../fuzz/received.rs"]
mod received;

use std::fs;
use std::path::Path;

/// The corpus of a target, and mutations of it: one byte changed, or the rest cut off.
fn inputs(target: &str) -> Vec<Vec<u8>> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus").join(target);
    let files: Vec<Vec<u8>> = fs::read_dir(folder)
        .expect("there is a corpus")
        .map(|file| fs::read(file.expect("it is listed").path()).expect("it can be read"))
        .collect();
    let mut inputs = files.clone();
    for file in &files {
        for at in 0..file.len().min(200) {
            let mut changed = file.clone();
            changed[at] ^= 0x55;
            inputs.extend([changed, file[..at].to_vec()]);
        }
    }
    inputs
}

#[test]
fn bodies_are_decoded_within_their_limit() {
    let inputs = inputs("body");
    assert!(inputs.len() > 100);
    inputs.iter().for_each(|bytes| received::body(bytes));
}

#[test]
fn heads_are_read_whatever_they_are() {
    let inputs = inputs("head");
    assert!(inputs.len() > 100);
    inputs.iter().for_each(|bytes| received::head(bytes));
}
