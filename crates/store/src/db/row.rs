//! From the columns of a row to what they say.

use jiff::Timestamp;
use rusqlite::Row;
use rusqlite::types::Type;

use super::error::StoreError;

/// A text of a row, without copying it; `None` for what is none.
pub(crate) fn text<'a>(row: &'a Row<'_>, column: usize) -> Result<Option<&'a str>, StoreError> {
    Ok(row.get_ref(column)?.as_str_or_null().unwrap_or_default())
}

/// A time that we wrote; the start of time for one that we did not.
pub(crate) fn timestamp(text: &str) -> Timestamp {
    text.parse().unwrap_or_default()
}

/// A word in the store that no version of this tool wrote there.
#[derive(Debug, thiserror::Error)]
#[error("the word \"{0}\" is unknown")]
struct UnknownWord(String);

/// What a stored word stands for. One that is unknown means that the store is damaged
/// ([`StoreError::Damaged`]): it is never taken for another.
pub(crate) fn word<T>(
    row: &Row<'_>,
    column: usize,
    named: impl FnOnce(&str) -> Option<T>,
) -> rusqlite::Result<T> {
    let word = row.get_ref(column)?.as_str()?;
    named(word).ok_or_else(|| unknown(column, word))
}

/// The same, where a column may be empty.
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
