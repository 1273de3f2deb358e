//! References in Markdown (CommonMark): links and images with their URL inline, definitions of
//! references, autolinks, and HTML in between.

use std::ops::Range;

use pulldown_cmark::{Event, LinkType, Options, Parser, Tag, TagEnd};

use super::edit::{ByHand, Change, Edit, Found};
use super::ground::Ground;
use super::html;
use super::positions::Lines;
use crate::mend::plan::Action;

pub(super) fn edits(text: &str, ground: &Ground<'_>) -> Found {
    let lines = Lines::of(text);
    let mut found = Found::default();
    let parser = Parser::new_ext(text, options());
    let definitions: Vec<(String, Range<usize>)> = parser
        .reference_definitions()
        .iter()
        .map(|(_, definition)| (definition.dest.to_string(), definition.span.clone()))
        .collect();
    for (destination, span) in definitions {
        let place = definition_destination(text, &span, &destination);
        take(
            text,
            ground,
            &lines,
            &mut found,
            Reference { destination, whole: span, place, label: None },
        );
    }
    let mut html_block = None;
    for (event, range) in parser.into_offset_iter() {
        match event {
            Event::Start(
                Tag::Link { link_type, dest_url, .. } | Tag::Image { link_type, dest_url, .. },
            ) => {
                let destination = dest_url.to_string();
                let place = match link_type {
                    LinkType::Inline => inline_destination(text, &range, &destination),
                    LinkType::Autolink => Some(range.start + 1..range.end - 1),
                    // Definitions were looked at already; email addresses are no URLs.
                    _ => continue,
                };
                let label = label(text, &range, link_type);
                take(
                    text,
                    ground,
                    &lines,
                    &mut found,
                    Reference { destination, whole: range, place, label },
                );
            }
            Event::Start(Tag::HtmlBlock) => html_block = Some(range),
            Event::End(TagEnd::HtmlBlock) => {
                if let Some(range) = html_block.take() {
                    take_html(text, ground, &lines, &mut found, range);
                }
            }
            Event::InlineHtml(_) => take_html(text, ground, &lines, &mut found, range),
            _ => {}
        }
    }
    found
}

/// What many renderers understand beyond CommonMark; none of it has other links.
fn options() -> Options {
    Options::ENABLE_TABLES
        | Options::ENABLE_FOOTNOTES
        | Options::ENABLE_STRIKETHROUGH
        | Options::ENABLE_TASKLISTS
        | Options::ENABLE_YAML_STYLE_METADATA_BLOCKS
        | Options::ENABLE_PLUSES_DELIMITED_METADATA_BLOCKS
}

/// A reference in the source.
struct Reference {
    destination: String,
    whole: Range<usize>,
    /// Where the destination is written, if that was found.
    place: Option<Range<usize>>,
    label: Option<String>,
}

fn take(
    text: &str,
    ground: &Ground<'_>,
    lines: &Lines<'_>,
    found: &mut Found,
    reference: Reference,
) {
    let Reference { destination, whole, place, label } = reference;
    let Some(hit) = ground.look_up(&destination) else { return };
    let line = lines.line(whole.start);
    let (target, step) = (hit.target.clone(), hit.step.clone());
    let edit = match (step.action, place) {
        (Action::Replace, Some(place)) => match hit.new_reference(&destination) {
            Some(new) => {
                let is_pointed = text[..place.start].ends_with('<');
                let text = if is_pointed { new } else { in_brackets(&new) };
                Ok(Edit { range: place, text })
            }
            None => Err("the plan has no new URL"),
        },
        (Action::Replace, None) => Err("the reference is written in an unusual way"),
        (Action::Unwrap, _) => match &label {
            Some(label) => Ok(Edit { range: whole, text: label.clone() }),
            None => Err("only a link with its URL inline can be removed"),
        },
        (_, _) if text[whole.start..].starts_with('!') => {
            Ok(Edit { range: whole, text: String::new() })
        }
        _ => Err("only images are removed"),
    };
    match edit {
        Ok(edit) => {
            found.edits.push(edit);
            found.changes.push(Change { line, target, written: destination, step });
        }
        Err(why) => {
            found.by_hand.push(ByHand { line, target, written: destination, text: label, why });
        }
    }
}

fn take_html(
    text: &str,
    ground: &Ground<'_>,
    lines: &Lines<'_>,
    found: &mut Found,
    range: Range<usize>,
) {
    let part = html::edits(&text[range.clone()], ground, false);
    found.add_part(part, range.start, lines.line(range.start));
}

/// A destination that is not in pointed brackets has its parentheses encoded.
fn in_brackets(url: &str) -> String {
    url.replace('(', "%28").replace(')', "%29")
}

/// The text of an inline link, between its brackets.
fn label(text: &str, range: &Range<usize>, link_type: LinkType) -> Option<String> {
    if link_type != LinkType::Inline {
        return None;
    }
    let whole = &text[range.clone()];
    let end = whole.rfind("](")?;
    whole[..end].strip_prefix('[').map(str::to_owned)
}

/// Where the destination of `[text](destination "title")` is.
fn inline_destination(text: &str, range: &Range<usize>, destination: &str) -> Option<Range<usize>> {
    let whole = &text[range.clone()];
    // The text may contain a bracket and a parenthesis, the destination hardly ever.
    whole.match_indices("](").map(|(at, _)| at + 2).collect::<Vec<_>>().into_iter().rev().find_map(
        |at| {
            let found = destination_at(whole, at, destination)?;
            Some(range.start + found.start..range.start + found.end)
        },
    )
}

/// Where the destination of `[label]: destination "title"` is.
fn definition_destination(
    text: &str,
    span: &Range<usize>,
    destination: &str,
) -> Option<Range<usize>> {
    let whole = &text[span.clone()];
    let at = whole.find("]:")? + 2;
    let found = destination_at(whole, at, destination)?;
    Some(span.start + found.start..span.start + found.end)
}

/// The range of this destination, if it begins here after white space. One with escapes is not
/// found.
fn destination_at(text: &str, at: usize, destination: &str) -> Option<Range<usize>> {
    let rest = text[at..].trim_start();
    let start = text.len() - rest.len();
    let start = if rest.starts_with('<') { start + 1 } else { start };
    let after = text[start..].strip_prefix(destination)?;
    let is_whole = after.is_empty() || after.starts_with([' ', '\t', '\n', '\r', ')', '>']);
    (is_whole && !destination.is_empty()).then(|| start..start + destination.len())
}
