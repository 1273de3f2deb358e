//! The introduction of a report: Markdown, written by the person who hands the report over.
//!
//! Paragraphs, headings, emphasis, lists and links become HTML. HTML in it is shown as text, and
//! pictures as their description: the report loads nothing.

use pulldown_cmark::{Event, Parser, Tag, TagEnd, html};

/// The HTML of an introduction.
pub(super) fn html(markdown: &str) -> String {
    let (mut out, mut is_left_out) = (String::new(), false);
    let harmless = |event| match event {
        Event::Html(text) | Event::InlineHtml(text) => Some(Event::Text(text)),
        // A link is never within a link.
        Event::Start(Tag::Link { ref dest_url, .. }) => {
            is_left_out = !leads_away(dest_url);
            Some(event).filter(|_| !is_left_out)
        }
        Event::End(TagEnd::Link) => Some(event).filter(|_| !is_left_out),
        Event::Start(Tag::Image { .. }) | Event::End(TagEnd::Image) => None,
        other => Some(other),
    };
    html::push_html(&mut out, Parser::new(markdown).filter_map(harmless));
    out
}

/// Whether a link leads to a page or to a mail program, which runs nothing.
fn leads_away(url: &str) -> bool {
    ["https://", "http://", "mailto:"].iter().any(|scheme| url.starts_with(scheme))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_introduction_is_markdown() {
        let text = "Dear *all*,\n\n- see [our site](https://a.test/?a=1&b=2)\n";
        insta::assert_snapshot!(html(text), @r#"
        <p>Dear <em>all</em>,</p>
        <ul>
        <li>see <a href="https://a.test/?a=1&amp;b=2">our site</a></li>
        </ul>
        "#);
    }

    #[test]
    fn nothing_in_an_introduction_runs_or_loads() {
        let text = "<script>x()</script>\n\n<b onclick=x()>b</b> [c](javascript:x()) \
                    ![d](https://a.test/d.png)";
        let html = html(text);
        for bad in ["<script", "<b", "javascript:", "<img", "d.png", "</a>"] {
            assert!(!html.contains(bad), "{bad} in {html}");
        }
        assert!(html.contains("&lt;script&gt;") && html.contains(" c d"), "{html}");
    }
}
