//! Headers that the user gives. Their values may be secrets: they are never shown or stored.

use http::{HeaderName, HeaderValue};
use serde::{Deserialize, Serialize};

/// What stands for a value that is not shown.
const NOT_SHOWN: &str = "(not shown)";

/// A header to send. A value from the environment is read when it is sent, so that commands that
/// make no requests do not need the secret.
#[derive(Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub(crate) struct Header {
    pub(crate) name: HeaderName,
    value: Source,
}

/// Where the value of a header comes from.
#[derive(Clone, PartialEq, Eq)]
enum Source {
    Given(String),
    /// This environment variable.
    Variable(String),
    /// It was given to an earlier run, and was not stored.
    NotStored,
}

impl Header {
    /// The value to send.
    pub(crate) fn value(&self) -> Result<HeaderValue, String> {
        let value = match &self.value {
            Source::Given(value) => value.clone(),
            Source::Variable(variable) => std::env::var(variable)
                .map_err(|_| format!("the environment variable {variable} is not set"))?,
            Source::NotStored => {
                return Err("the run sent it, and its value is not stored".to_owned());
            }
        };
        let mut value: HeaderValue =
            value.parse().map_err(|_| "the value contains characters not allowed in a header")?;
        value.set_sensitive(true);
        Ok(value)
    }

    /// What to do when there is no value.
    pub(crate) fn advice(&self) -> String {
        match &self.value {
            Source::Variable(variable) => format!("Set the environment variable {variable}."),
            Source::Given(_) | Source::NotStored => format!(
                "Give it with --header '{name}: VALUE', or with --header '{name}: env:VAR', \
                 which later commands read from the environment again.",
                name = self.name
            ),
        }
    }
}

/// The headers that continue an earlier run: all that it sent, with the values given now, else
/// those of the settings file.
pub(crate) fn like_earlier(
    given: Vec<Header>,
    earlier: &[Header],
    of_file: &[Header],
) -> Vec<Header> {
    let mut headers = given;
    for sent in earlier {
        if headers.iter().any(|header| header.name == sent.name) {
            continue;
        }
        let known: Vec<&Header> = of_file.iter().filter(|own| own.name == sent.name).collect();
        if sent.value == Source::NotStored && !known.is_empty() {
            headers.extend(known.into_iter().cloned());
        } else {
            headers.push(sent.clone());
        }
    }
    headers
}

/// Values may be secrets, and are not shown.
impl std::fmt::Debug for Header {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Header").field("name", &self.name).finish_non_exhaustive()
    }
}

/// As shown and stored: the name, and the variable with the value, if there is one.
impl From<Header> for String {
    fn from(Header { name, value }: Header) -> String {
        match value {
            Source::Variable(variable) => format!("{name}: env:{variable}"),
            Source::Given(_) | Source::NotStored => format!("{name}: {NOT_SHOWN}"),
        }
    }
}

impl TryFrom<String> for Header {
    type Error = String;

    fn try_from(text: String) -> Result<Header, String> {
        let (name, value) = text.split_once(':').ok_or("give a name, a colon and a value")?;
        let name: HeaderName = name
            .trim()
            .parse()
            .map_err(|_| format!("\"{}\" is not a valid header name", name.trim()))?;
        let value = match value.trim() {
            NOT_SHOWN => Source::NotStored,
            value => match value.strip_prefix("env:") {
                Some(variable) => Source::Variable(variable.to_owned()),
                None => Source::Given(value.to_owned()),
            },
        };
        Ok(Header { name, value })
    }
}

/// Parses a header and checks its value before any request is made.
pub(crate) fn header(text: &str) -> Result<Header, String> {
    let header = Header::try_from(text.to_owned())?;
    header.value()?;
    Ok(header)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn headers_are_checked_before_any_request() {
        assert_eq!(header("X-Key: a b").unwrap().value().unwrap(), "a b");
        let of_file = Header::try_from("X-Key: env:RUMMAGE_TEST_UNSET".to_owned()).unwrap();
        assert!(of_file.value().is_err() && !format!("{of_file:?}").contains("UNSET"));
        for text in ["X-Key", "X Key: a", "X-Key: a\nb", "X-Key: env:RUMMAGE_TEST_UNSET"] {
            assert!(header(text).is_err(), "{text}");
        }
    }

    #[test]
    fn only_names_and_variables_are_stored() {
        let stored = |text: &str| String::from(Header::try_from(text.to_owned()).unwrap());
        assert_eq!(stored("X-Key: secret"), "x-key: (not shown)");
        assert_eq!(stored("X-Key: env:KEY"), "x-key: env:KEY");
        let again = Header::try_from(stored("X-Key: secret")).unwrap();
        assert!(again.value().unwrap_err().contains("not stored"));
        assert!(again.advice().contains("--header 'x-key: VALUE'"), "{}", again.advice());
        assert_eq!(String::from(again), "x-key: (not shown)");
    }

    #[test]
    fn a_run_is_continued_with_every_header_it_sent() {
        let list = |texts: &[&str]| -> Vec<Header> {
            texts.iter().map(|text| Header::try_from((*text).to_owned()).unwrap()).collect()
        };
        let earlier = list(&["a: (not shown)", "b: (not shown)", "c: env:C", "d: (not shown)"]);
        let headers = like_earlier(list(&["a: 1"]), &earlier, &list(&["b: 2", "c: 3", "e: 4"]));
        assert_eq!(headers, list(&["a: 1", "b: 2", "c: env:C", "d: (not shown)"]));
    }
}
