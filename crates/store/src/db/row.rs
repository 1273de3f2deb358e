//! From the columns of a row to values.

use jiff::Timestamp;
use rusqlite::Row;
use rusqlite::types::Type;

use super::error::StoreError;

/// A text in a row, without copying it; `None` for NULL.
pub(crate) fn text<'a>(row: &'a Row<'_>, column: usize) -> Result<Option<&'a str>, StoreError> {
    Ok(row.get_ref(column)?.as_str_or_null().unwrap_or_default())
}

/// A stored time; the earliest time if it is invalid.
pub(crate) fn timestamp(text: &str) -> Timestamp {
    text.parse().unwrap_or_default()
}

/// A name in the store that is not a valid value.
#[derive(Debug, thiserror::Error)]
#[error("unknown value \"{0}\"")]
struct UnknownWord(String);

/// The value with a stored name. An unknown name means that the store is damaged
/// ([`StoreError::Damaged`]): it is never taken for another.
pub(crate) fn word<T>(
    row: &Row<'_>,
    column: usize,
    named: impl FnOnce(&str) -> Option<T>,
) -> rusqlite::Result<T> {
    let word = row.get_ref(column)?.as_str()?;
    named(word).ok_or_else(|| unknown(column, word))
}

/// The same for a column that may be NULL.
pub(crate) fn optional_word<T>(
    row: &Row<'_>,
    column: usize,
    named: impl FnOnce(&str) -> Option<T>,
) -> rusqlite::Result<Option<T>> {
    let Some(word) = row.get_ref(column)?.as_str_or_null()? else { return Ok(None) };
    named(word).map(Some).ok_or_else(|| unknown(column, word))
}

fn unknown(column: usize, word: &str) -> rusqlite::Error {
    let why = Box::new(UnknownWord(word.to_owned()));
    rusqlite::Error::FromSqlConversionFailure(column, Type::Text, why)
}
