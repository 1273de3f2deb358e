//! A plan applied to a blog, through its API.

use std::collections::BTreeMap;

use rummage_demo::{Blog, BlogItem, Host, Scenario};

use crate::harness::{Outcome, Stage};
use crate::running::finish;

const BLOG: &str = "https://blog.towpath.test/";
const PASSWORD: &str = "abcd efgh ijkl";

/// The content of a post with links in all places where the editor puts them.
const POST: &str = "<!-- wp:paragraph -->\n<p>See <a href=\"http://old.towpath.test/locks\">the locks</a> &amp; \
    <a href='/2026/boats/'>boats</a>.</p>\n<!-- /wp:paragraph -->\n\n<!-- wp:file \
    {\"id\":7,\"href\":\"http://old.towpath.test/map.pdf\"} -->\n<div class=\"wp-block-file\"><a \
    href=\"http://old.towpath.test/map.pdf\">Map</a></div>\n<!-- /wp:file -->";

fn item(kind: &'static str, id: u64, path: &'static str, content: &str) -> BlogItem {
    let title = if kind == "comments" { "" } else { "Notes" };
    BlogItem { kind, id, path, title, content: content.to_owned() }
}

/// A blog with many posts, three of which the plan concerns.
fn stage() -> Stage {
    let mut items = vec![
        item("posts", 1, "/2026/locks/", POST),
        item("pages", 2, "/", "<a href='http://old.towpath.test/start'>Start</a>"),
        item(
            "comments",
            3,
            "/2026/locks/",
            "I like <a href=\"http://old.towpath.test/x\">this</a>!",
        ),
    ];
    items.extend((10..250).map(|id| item("posts", id, "/other/", "<p>nothing here</p>")));
    let blog = Blog { user: "editor", password: PASSWORD, items };
    let host = Host { blog: Some(blog), ..Host::default() };
    let scenario = Scenario {
        start: BLOG.to_owned(),
        hosts: BTreeMap::from([("blog.towpath.test".to_owned(), host)]),
        truth: Vec::new(),
        pages: Vec::new(),
    };
    let stage = Stage::new(&scenario);
    let plan = format!(
        "site = \"{BLOG}\"\n[[rule]]\nfrom = \"http://old.towpath.test/\"\nto = \"https://new.towpath.test/\"\n"
    );
    std::fs::write(stage.path("plan.toml"), plan).unwrap();
    stage
}

fn run(stage: &Stage, words: &[&str]) -> Outcome {
    let words = [words, &["--user", "editor"]].concat();
    finish(&words, stage.command(&words).env("RUMMAGE_PASSWORD", PASSWORD))
}

fn apply(stage: &Stage, more: &[&str]) -> Outcome {
    run(stage, &[&["mend", "apply", "plan.toml", "--wordpress", BLOG], more].concat())
}

/// The content of a post as visitors get it.
fn shown(stage: &Stage, path: &str) -> String {
    let said = stage.run(&["probe", &format!("{BLOG}{path}"), "--all", "-q"]);
    assert!(said.out.contains("200 OK"), "{said}");
    let requests = stage.web.requests();
    assert!(requests.iter().all(|request| request.secure || request.authorization.is_none()));
    stage.web.post(&BLOG["https://".len()..BLOG.len() - 1], path)
}

#[test]
fn posts_pages_and_comments_are_edited_once_each_and_restored() {
    let stage = stage();
    let shown_first = apply(&stage, &[]).ends(0);
    insta::assert_snapshot!("a_diff_of_posts", shown_first.out);
    assert!(stage.web.requests().iter().all(|request| request.method == "GET"));
    let done = apply(&stage, &["--write"]).ends(0);
    assert!(done.out.contains("changed 4 links in 3 items of 243 looked at"), "{done}");
    let revisions = |kind: &str, id| stage.web.revisions("blog.towpath.test", kind, id);
    assert_eq!((revisions("posts", 1), revisions("pages", 2), revisions("comments", 3)), (1, 1, 1));
    assert_eq!(revisions("posts", 10), 0);
    let post = shown(&stage, "2026/locks/");
    assert_eq!(post, POST.replace("http://old.", "https://new."));
    let again = apply(&stage, &[]).ends(0);
    assert!(again.out.contains("nothing to change in 243 items"), "{again}");
    let refused = apply(&stage, &["--write"]).ends(2);
    assert!(refused.err.contains("changes that could be undone still"), "{refused}");
    let undone = run(&stage, &["mend", "undo", "plan.toml"]).ends(0);
    assert_eq!(undone.out, "restored 3 items\n");
    assert_eq!(shown(&stage, "2026/locks/"), POST);
    assert!(!stage.path("plan.toml.undo").exists());
    run(&stage, &["mend", "undo", "plan.toml"]).ends(2);
}

#[test]
fn what_was_modified_since_is_left_alone() {
    let stage = stage();
    apply(&stage, &["--write"]).ends(0);
    stage.web.edit_post("blog.towpath.test", "pages", 2, "<p>mine</p>");
    let undone = run(&stage, &["mend", "undo", "plan.toml"]).ends(3);
    assert!(undone.out.contains("pages/2 Notes: not restored: it was modified since"), "{undone}");
    assert!(undone.out.ends_with("restored 2 items\n"), "{undone}");
    assert_eq!(shown(&stage, ""), "<p>mine</p>");
    assert!(stage.path("plan.toml.undo").exists(), "what is left can be looked at");
}

#[test]
fn passwords_stay_secret_and_wrong_ones_are_explained() {
    let stage = stage();
    let words = [
        "mend",
        "apply",
        "plan.toml",
        "--wordpress",
        "http://blog.towpath.test/",
        "--user",
        "editor",
    ];
    let plain = finish(&words, stage.command(&words).env("RUMMAGE_PASSWORD", PASSWORD)).ends(2);
    assert!(plain.err.contains("would send the password unencrypted"), "{plain}");
    let words = ["mend", "apply", "plan.toml", "--wordpress", BLOG];
    let without = stage.run(&words).ends(2);
    assert!(without.err.contains("WordPress needs a user"), "{without}");
    let words = ["mend", "apply", "plan.toml", "--wordpress", BLOG, "--user", "editor"];
    let wrong = finish(&words, stage.command(&words).env("RUMMAGE_PASSWORD", "no")).ends(4);
    assert!(wrong.err.contains("responds 401"), "{wrong}");
    assert!(stage.web.requests().iter().all(|request| request.secure));
}
