//! The layers of ARCHITECTURE.md hold: no file of a crate needs another that needs it.
//!
//! Every crate's source is parsed. A file needs another when a path in it (in a `use`, a type
//! or an expression; not in a test) ends at something that is defined there, whatever
//! re-exports it goes through. Files that need each other in a circle fail the test, with the
//! names that tie them.

#![allow(clippy::unwrap_used, reason = "a test may")]

mod circles;
mod source;

use std::fmt::Write as _;
use std::path::Path;

use source::Crate;

const CRATES: [&str; 6] = ["core", "store", "engine", "view", "demo", "cli"];

#[test]
fn files_of_a_crate_need_each_other_in_no_circle() {
    let mut report = String::new();
    for name in CRATES {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(name).join("src");
        let needs = Crate::parse(&folder).needs();
        assert!(needs.len() > 5, "{name} has files that need others");
        for circle in circles::find(&needs) {
            writeln!(report, "{name}: {} files in a circle", circle.len()).unwrap();
            for file in &circle {
                for (other, names) in needs[file].iter().filter(|(to, _)| circle.contains(*to)) {
                    let names: Vec<&str> = names.iter().map(String::as_str).collect();
                    writeln!(report, "  {file} -> {other}: {}", names.join(", ")).unwrap();
                }
            }
        }
    }
    assert!(report.is_empty(), "\n{report}");
}

#[test]
fn a_circle_is_found_through_reexports_and_not_in_tests() {
    let folder = tempfile::TempDir::new().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    write("lib.rs", "mod a; mod b; mod c; pub use b::B;");
    write("a.rs", "pub fn a() -> crate::B { crate::b::make() }");
    write("b.rs", "use super::a; pub struct B; pub fn make() -> B { a::a() }");
    write("c.rs", "#[cfg(test)] mod tests { use crate::d; } pub fn c() -> crate::B { todo!() }");
    let needs = Crate::parse(folder.path()).needs();
    let files = |name: &str| needs[name].keys().map(String::as_str).collect::<Vec<_>>();
    assert_eq!(files("a.rs"), ["b.rs"]);
    assert_eq!(files("c.rs"), ["b.rs"]);
    assert_eq!(circles::find(&needs), [["a.rs".to_owned(), "b.rs".to_owned()]]);
}
