//! The checks of the fuzz targets, on their corpora, on mutations of these, and on any bytes.

#![allow(clippy::unwrap_used, reason = "a test may")]

#[path = "../../../../fuzz/checks.rs"]
mod checks;

use std::fs;
use std::path::Path;

use proptest::prelude::*;

type Check = fn(&[u8]);

const CHECKS: &[(&str, Check)] = &[
    ("html", checks::html),
    ("css", checks::css),
    ("rewrite", checks::rewrite),
    ("sitemap", checks::sitemap),
    ("feed", checks::feed),
    ("manifest", checks::manifest),
    ("robots", checks::robots),
    ("url", checks::url),
    ("link_header", checks::link_header),
    ("srcset", checks::srcset),
    ("list", checks::list),
    ("access_log", checks::access_log),
];

/// The bytes in the corpus of a target.
fn corpus(target: &str) -> Vec<Vec<u8>> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus").join(target);
    let files = fs::read_dir(folder).unwrap();
    files.map(|file| fs::read(file.unwrap().path()).unwrap()).collect()
}

#[test]
fn the_fuzzing_corpus_passes_all_checks() {
    for (target, check) in CHECKS {
        let corpus = corpus(target);
        assert!(!corpus.is_empty(), "{target} has a corpus");
        corpus.iter().for_each(|bytes| check(bytes));
    }
}

proptest! {
    #[test]
    fn any_bytes_at_all(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
        CHECKS.iter().for_each(|(_, check)| check(&bytes));
    }

    #[test]
    fn mutations_of_the_corpora(
        target in 0..CHECKS.len(),
        which in any::<prop::sample::Index>(),
        changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>(), 0u8..3), 0..20),
    ) {
        let (name, check) = CHECKS[target];
        let mut bytes = which.get(&corpus(name)).clone();
        for (at, byte, change) in changes {
            let at = at.index(bytes.len() + 1);
            match change {
                0 => bytes.insert(at, byte),
                1 if at < bytes.len() => bytes[at] = byte,
                _ => bytes.truncate(at.max(bytes.len() / 2)),
            }
        }
        check(&bytes);
    }
}
