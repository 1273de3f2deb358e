//! Git takes the patches.

use std::path::Path;
use std::process::Command;

use tempfile::TempDir;

use super::find;
use crate::harness::program;
use crate::running::finish;

const SITE: &str = "https://www.a.test";

fn write(folder: &Path, name: &str, bytes: &[u8]) {
    let path = folder.join(name);
    std::fs::create_dir_all(path.parent().unwrap()).unwrap();
    std::fs::write(path, bytes).unwrap();
}

#[test]
fn git_applies_a_patch_as_apply_would_write_it() {
    let Some(git) = find("git") else { return };
    let folder = TempDir::new().unwrap();
    let files: [(&str, &[u8]); 4] = [
        ("index.html", b"<p>1\r\n<a href='/old'>x</a>\r\n<p>2"),
        ("with blank/café.html", b"<meta charset=iso-8859-1>\n<p>caf\xe9 <a href=../old>x</a>\n"),
        ("notes.md", b"\xef\xbb\xbf# Notes\n\n[x](/old)\n"),
        ("style.css", b"a { background: url(/old) }"),
    ];
    for (name, bytes) in files {
        write(folder.path(), &format!("patched/{name}"), bytes);
        write(folder.path(), &format!("written/{name}"), bytes);
    }
    let plan =
        format!("[[mend]]\ntarget = \"{SITE}/old\"\naction = \"replace\"\nto = \"{SITE}/new\"\n");
    write(folder.path(), "plan.toml", plan.as_bytes());
    let apply = |files: &str, more: &[&str]| {
        let words = [
            &["mend", "apply", "plan.toml", "--as", SITE, "--files", files, "--store", "none.db"],
            more,
        ]
        .concat();
        finish(&words, program(&words).current_dir(folder.path())).ends(0);
    };
    apply("patched", &["--patch", "fix.patch"]);
    apply("written", &["--write"]);
    let done = Command::new(git)
        .args(["apply", "--whitespace=nowarn", "../fix.patch"])
        .current_dir(folder.path().join("patched"))
        .env("GIT_CEILING_DIRECTORIES", folder.path())
        .output()
        .unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    for (name, old) in files {
        let [patched, written] = ["patched", "written"]
            .map(|side| std::fs::read(folder.path().join(side).join(name)).unwrap());
        assert_ne!(written, old, "{name}");
        assert_eq!(patched, written, "{name}");
    }
}
