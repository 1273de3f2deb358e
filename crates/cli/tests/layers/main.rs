//! Checks the layers of ARCHITECTURE.md: the files of a crate have no dependency cycles.
//!
//! The source of every crate is parsed. A file needs another if a path in it (in a `use`, a type
//! or an expression; not in a test) leads to something defined there, through any re-exports.
//! Files that need each other fail the test, with the names that connect them.

#![allow(clippy::unwrap_used, reason = "a test may")]

mod cycles;
mod source;

use std::fmt::Write as _;
use std::path::Path;

use source::Crate;

const CRATES: [&str; 8] = ["core", "store", "engine", "fleet", "view", "triage", "demo", "cli"];

#[test]
fn the_files_of_a_crate_have_no_dependency_cycles() {
    let mut report = String::new();
    for name in CRATES {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(name).join("src");
        let needs = Crate::parse(&folder).needs();
        assert!(needs.len() > 5, "{name} has files that need others");
        for circle in cycles::find(&needs) {
            writeln!(report, "{name}: {} files import each other in a cycle", circle.len())
                .unwrap();
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
fn a_cycle_is_found_through_reexports_and_not_in_tests() {
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
    assert_eq!(cycles::find(&needs), [["a.rs".to_owned(), "b.rs".to_owned()]]);
}
