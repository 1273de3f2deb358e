//! The notes of a run.

use super::open::OpenRun;
use crate::db::error::StoreError;
use crate::model::NoteRow;
use crate::tables::notes::unpack;

impl OpenRun<'_> {
    /// The notes of the run, by kind and URL.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn notes(&self) -> Result<Vec<NoteRow>, StoreError> {
        let mut select = self.db.prepare(
            "SELECT kind, detail, url FROM note JOIN address ON address.id = note.address
             WHERE run = ?1 ORDER BY kind, url",
        )?;
        let mut rows = select.query([self.info.number])?;
        let mut notes = Vec::new();
        while let Some(row) = rows.next()? {
            let (kind, detail): (String, String) = (row.get(0)?, row.get(1)?);
            let detail = serde_json::from_str(&detail)
                .map_err(|error| StoreError::Damaged(error.to_string()))?;
            let note = unpack(&kind, detail)
                .ok_or_else(|| StoreError::Damaged(format!("unknown kind of note \"{kind}\"")))?;
            notes.push(NoteRow { url: row.get(2)?, note });
        }
        Ok(notes)
    }
}
