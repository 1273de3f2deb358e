//! `docs/verdicts.md` explains each cause in the words of the program.

use std::path::Path;

use rummage_core::verdict::Cause;

fn fold(text: &str) -> String {
    text.replace('`', "").split_whitespace().collect::<Vec<_>>().join(" ")
}

#[test]
fn the_docs_explain_every_cause_in_the_words_of_the_program() {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/verdicts.md");
    let docs = std::fs::read_to_string(file).unwrap();
    for &cause in Cause::ALL {
        let heading = format!("### `{cause}`\n");
        let (_, rest) = docs.split_once(&heading).unwrap_or_else(|| panic!("no heading: {cause}"));
        let text = fold(rest.split("\n\n").next().unwrap_or_default());
        let expected = match cause.advice() {
            Some(advice) => format!("{} Do: {advice}", cause.meaning()),
            None => cause.meaning().to_owned(),
        };
        assert_eq!(text, fold(&expected), "{cause}");
    }
    for (from, to, advice) in Cause::advice_by_status() {
        let name = if from == to { from.to_string() } else { format!("{from} to {to}") };
        let row = format!("| {name} | {advice} |");
        assert!(docs.contains(&row), "{row}");
    }
    assert_eq!(docs.matches("### `").count(), Cause::ALL.len(), "and no other is there");
}
