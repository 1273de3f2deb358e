//! The findings as a plain list, for browsers without scripts.

use std::collections::HashSet;
use std::fmt::Write as _;

use super::data::{Data, Edit, Occurrence, Page, Target};
use crate::number::{count, counted};

/// A list in HTML of at most about this many bytes; how much is left out stands at its end.
pub(super) fn of(data: &Data, largest: usize) -> String {
    let mut list = String::new();
    let (mut shown, mut advised) = (0, HashSet::new());
    for target in &data.targets {
        // Advice is given once, where it is needed first.
        let entry = entry(data, target, advised.insert(target.advice));
        if list.len() + entry.len() > largest {
            break;
        }
        list.push_str(&entry);
        shown += 1;
    }
    let left = data.targets.len() - shown;
    if left > 0 {
        let left = counted(left as u64, "target", "targets");
        let _ = writeln!(list, "<li>The list ends here. With JavaScript, it has {left} more.</li>");
    }
    list
}

fn entry(data: &Data, target: &Target, advises: bool) -> String {
    let text = |number: usize| escaped(data.texts.text(number));
    let mut html = format!("<li><b>{}</b> {} ", text(target.verdict), text(target.words));
    html.push_str(&link(target.url.as_deref(), &target.name));
    let advice = if advises { target.advice } else { 0 };
    for part in [target.standing, target.evidence, advice] {
        if part > 0 {
            let _ = write!(html, " · {}", text(part));
        }
    }
    html.push_str("<ul>");
    for occurrence in &target.occurrences {
        let _ = write!(html, "<li>{}", self::occurrence(data, occurrence));
    }
    if target.left_out > 0 {
        let _ = write!(html, "<li>and {} more", count(target.left_out));
    }
    html.push_str("</ul>\n");
    html
}

fn occurrence(data: &Data, occurrence: &Occurrence) -> String {
    let Occurrence { line, column, .. } = *occurrence;
    let page: &Page = &data.pages[occurrence.page];
    let mut html = link(page.url.as_deref(), &page.name);
    let place = if line > 0 { format!(":{line}:{column}") } else { String::new() };
    if line > 0 {
        let _ = write!(html, " {line}:{column}");
    }
    let _ = write!(html, " {}", escaped(data.texts.text(occurrence.words)));
    if occurrence.region > 0 {
        let _ = write!(html, " in {}", escaped(data.texts.text(occurrence.region)));
    }
    if occurrence.shared > 0 {
        let pages = counted(occurrence.shared, "page", "pages");
        let _ = write!(html, ", on {pages}, one edit");
    }
    match &page.edit {
        Edit::Unknown => {}
        Edit::Url(url) => html.push_str(&format!(" {}", link(Some(url), "edit"))),
        Edit::File(file) => html.push_str(&format!(" {}{place}", escaped(file))),
    }
    html
}

fn link(url: Option<&str>, name: &str) -> String {
    let name = escaped(name);
    match url {
        None => name,
        Some(url) => {
            format!("<a href=\"{}\" rel=\"noopener noreferrer\">{name}</a>", escaped(url))
        }
    }
}

/// Text as it can stand in an element and in an attribute (HTML, "Named character references").
pub(super) fn escaped(text: &str) -> String {
    let mut html = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => html.push_str("&amp;"),
            '<' => html.push_str("&lt;"),
            '>' => html.push_str("&gt;"),
            '"' => html.push_str("&quot;"),
            '\'' => html.push_str("&#39;"),
            c => html.push(c),
        }
    }
    html
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_ends_neither_an_element_nor_an_attribute() {
        assert_eq!(
            escaped("<a href=\"x\" id='y'>&"),
            "&lt;a href=&quot;x&quot; id=&#39;y&#39;&gt;&amp;"
        );
        let html = link(Some("https://a.test/?a=1&b='\""), "<b>");
        assert_eq!(
            html,
            "<a href=\"https://a.test/?a=1&amp;b=&#39;&quot;\" rel=\"noopener noreferrer\">&lt;b&gt;</a>"
        );
        assert_eq!(link(None, "x"), "x");
    }

    #[test]
    fn a_list_that_is_cut_says_how_much_is_left() {
        let target = |name: &str| Target {
            name: name.to_owned(),
            url: None,
            verdict: 0,
            cause: 0,
            words: 0,
            scope: 0,
            host: 0,
            standing: 0,
            evidence: 0,
            advice: 0,
            links: 1,
            on_pages: 1,
            left_out: 2,
            occurrences: Vec::new(),
        };
        let data = Data { targets: vec![target("one"), target("two")], ..Data::default() };
        let whole = of(&data, 10_000);
        assert!(whole.contains("one<ul><li>and 2 more</ul>") && whole.contains("two"), "{whole}");
        let first = entry(&data, &data.targets[0], false).len();
        let cut = of(&data, first);
        assert!(cut.contains("one") && !cut.contains("two"), "{cut}");
        assert!(
            cut.ends_with("<li>The list ends here. With JavaScript, it has 1 target more.</li>\n")
        );
    }
}
