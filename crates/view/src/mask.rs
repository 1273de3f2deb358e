//! The last gate before a report leaves: values in URLs that look like secrets are masked,
//! whatever the format.

use std::io::{self, Write};

use rummage_core::url::secrets::masked;

/// Masks secrets in text, line by line: no value crosses the end of a line.
#[derive(Debug)]
pub struct Masked<W: Write> {
    out: W,
    line: Vec<u8>,
}

impl<W: Write> Masked<W> {
    /// Masks what is written to `out`. Call [`finish`](Masked::finish) at the end.
    pub fn new(out: W) -> Masked<W> {
        Masked { out, line: Vec::new() }
    }

    /// Writes what is left.
    ///
    /// # Errors
    /// If the output cannot be written.
    pub fn finish(mut self) -> io::Result<()> {
        self.write_line()
    }

    fn write_line(&mut self) -> io::Result<()> {
        match std::str::from_utf8(&self.line) {
            Ok(text) => self.out.write_all(masked(text).as_bytes())?,
            // Only text is written here.
            Err(_) => {
                self.out.write_all(masked(&String::from_utf8_lossy(&self.line)).as_bytes())?
            }
        }
        self.line.clear();
        Ok(())
    }
}

impl<W: Write> Write for Masked<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let mut rest = bytes;
        while let Some(end) = rest.iter().position(|byte| *byte == b'\n') {
            self.line.extend_from_slice(&rest[..=end]);
            self.write_line()?;
            rest = &rest[end + 1..];
        }
        self.line.extend_from_slice(rest);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn secrets_are_masked_however_they_are_written() {
        let text = "a ?token=secret b\n?sig=secret";
        for size in 1..text.len() {
            let mut out = Vec::new();
            let mut masked = Masked::new(&mut out);
            for piece in text.as_bytes().chunks(size) {
                masked.write_all(piece).expect("memory accepts all writes");
            }
            masked.finish().expect("memory accepts all writes");
            assert_eq!(String::from_utf8_lossy(&out), "a ?token=*** b\n?sig=***", "{size}");
        }
    }

    #[test]
    fn what_is_behind_is_flushed() {
        let mut masked = Masked::new(std::io::BufWriter::new(Vec::new()));
        masked.write_all(b"one line\n").expect("memory accepts all writes");
        masked.flush().expect("memory accepts all writes");
        assert_eq!(masked.out.get_ref(), b"one line\n");
    }
}
