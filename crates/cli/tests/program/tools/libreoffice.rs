//! A spreadsheet program reads the table, cell by cell, and runs nothing in it.

use std::path::Path;
use std::process::Command;

use super::find;
use crate::harness::Stage;
use crate::options::{page, site};

/// Converts a table in UTF-8, with commas, to another format.
fn convert(soffice: &Path, folder: &Path, file: &str, form: &str) -> String {
    let profile = url::Url::from_file_path(folder.join("profile")).unwrap();
    let into = folder.join("converted");
    let out = Command::new(soffice)
        .arg(format!("-env:UserInstallation={profile}"))
        .args(["--headless", "--infilter=Text - txt - csv (StarCalc):44,34,76,1"])
        .args(["--convert-to", form, "--outdir"])
        .args([&into, &folder.join(file)])
        .output()
        .unwrap();
    let ending = form.split(':').next().unwrap();
    let converted = into.join(Path::new(file).with_extension(ending));
    std::fs::read_to_string(converted).unwrap_or_else(|error| panic!("{error}: {out:?}"))
}

fn cells(text: &str) -> Vec<Vec<String>> {
    let mut table = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
    let records = table.records().map(Result::unwrap);
    records.map(|record| record.iter().map(str::to_owned).collect()).collect()
}

#[test]
fn libreoffice_reads_every_cell_and_runs_none() {
    let Some(soffice) = find("soffice") else { return };
    let texts = [
        "=1+1",
        "+cmd|' /C calc'!A0",
        "-2+3",
        "@SUM(1)",
        "\t=2",
        "a\"b,c;d",
        "007",
        "1e5",
        "ä 日本",
        "\u{1b}=x",
    ];
    let links: String = texts
        .iter()
        .enumerate()
        .map(|(number, text)| format!("<a href=/{number}>{}</a>", text.replace('"', "&quot;")))
        .collect();
    let stage = Stage::new(&site("a.test", &[("/", page(&links))]));
    stage.run(&["crawl", "http://a.test", "-q"]).ends(1);
    stage.run(&["report", "-o", "links.csv"]).ends(0);
    let folder = stage.folder.path();
    let written = std::fs::read_to_string(stage.path("links.csv")).unwrap();
    let form = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false";
    let (ours, theirs) = (cells(&written), cells(&convert(&soffice, folder, "links.csv", form)));
    assert_eq!(ours.len(), texts.len() + 1);
    let text = ours[0].iter().position(|name| name == "text").unwrap();
    for (own, other) in ours.iter().zip(&theirs) {
        for (at, (one, two)) in own.iter().zip(other).enumerate() {
            // A spreadsheet shows 007 and 1e5 as numbers, which is no loss elsewhere.
            assert!(
                one == two || (at == text && ["007", "1e5"].contains(&one.as_str())),
                "{one:?} became {two:?}"
            );
        }
    }
    assert_eq!(ours.len(), theirs.len());
    let sheet = convert(&soffice, folder, "links.csv", "fods");
    assert!(sheet.contains("http://a.test/0") && !sheet.contains("table:formula"), "{sheet}");
}
