//! Stores that travel: a file as chunks, of which only changed ones are saved.
//!
//! A store is cut into pieces of equal size, aligned to its pages, since a database changes page
//! by page. Each is known by its hash and compressed; a site has each only once.

use std::collections::HashSet;
use std::fs::File;
use std::io::{self, Read as _, Write as _};
use std::path::Path;

use flate2::Compression;
use flate2::read::ZlibDecoder;
use flate2::write::ZlibEncoder;
use sha2::{Digest as _, Sha256};
use tokio_postgres::Transaction;

use crate::database::{Database, limited};
use crate::error::FleetError;
use crate::leases::Lease;

/// The size of a chunk in bytes.
const CHUNK: usize = 64 << 10;
/// The length of a hash in bytes.
const HASH: usize = 32;
/// Chunks are sent, and requested, in lots of about this many bytes.
const LOT: usize = 1 << 20;

/// A saved store: its size, and the hashes of its chunks in order.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Manifest {
    /// The size of the store in bytes.
    pub bytes: u64,
    /// How many bytes were sent for it, compressed.
    pub sent: u64,
    hashes: Vec<u8>,
}

impl Manifest {
    fn hashes(&self) -> impl Iterator<Item = &[u8]> {
        self.hashes.chunks_exact(HASH)
    }
}

/// Makes a manifest the site's saved store, and forgets the chunks that it does not need.
pub(crate) async fn keep(
    transaction: &Transaction<'_>,
    lease: &Lease,
    store: &Manifest,
) -> Result<(), FleetError> {
    let bytes = i64::try_from(store.bytes).unwrap_or(i64::MAX);
    transaction
        .execute(
            "INSERT INTO rummage.snapshot (site, token, bytes, hashes, made_at)
             VALUES ($1, $2, $3, $4, clock_timestamp())
             ON CONFLICT (site) DO UPDATE
             SET token = $2, bytes = $3, hashes = $4, made_at = clock_timestamp()",
            &[&lease.site, &lease.token, &bytes, &store.hashes],
        )
        .await?;
    let hashes: Vec<&[u8]> = store.hashes().collect();
    transaction
        .execute(
            "DELETE FROM rummage.chunk
             WHERE site = $1 AND hash NOT IN (SELECT unnest($2::bytea[]))",
            &[&lease.site, &hashes],
        )
        .await?;
    let row = transaction
        .query_one(
            "SELECT count(*) FROM rummage.chunk
             WHERE site = $1 AND hash IN (SELECT unnest($2::bytea[]))",
            &[&lease.site, &hashes],
        )
        .await?;
    let (found, needed): (i64, usize) = (row.get(0), hashes.iter().collect::<HashSet<_>>().len());
    if usize::try_from(found).ok() != Some(needed) {
        return Err(FleetError::DamagedSnapshot {
            site: lease.site.clone(),
            why: format!("{found} of {needed} chunks have arrived"),
        });
    }
    Ok(())
}

impl Database {
    /// Sends the chunks of a store that are not saved yet. Nothing refers to them until the
    /// manifest is saved with the lease.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn upload(&self, site: &str, store: &Path) -> Result<Manifest, FleetError> {
        let mut file = File::open(store).map_err(|reason| reading(store, reason))?;
        let mut known = self.known_chunks(site).await?;
        let mut manifest = Manifest::default();
        let mut lot = Lot::default();
        let mut chunk = vec![0; CHUNK];
        loop {
            let length = fill(&mut file, &mut chunk).map_err(|reason| reading(store, reason))?;
            if length == 0 {
                break;
            }
            let hash = hash(&chunk[..length]);
            manifest.bytes += length as u64;
            manifest.hashes.extend_from_slice(&hash);
            if known.insert(hash.to_vec()) {
                lot.add(hash.to_vec(), pack(&chunk[..length]));
            }
            if lot.bytes >= LOT {
                manifest.sent += lot.bytes as u64;
                self.send(site, std::mem::take(&mut lot)).await?;
            }
        }
        manifest.sent += lot.bytes as u64;
        self.send(site, lot).await?;
        Ok(manifest)
    }

    async fn known_chunks(&self, site: &str) -> Result<HashSet<Vec<u8>>, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let rows = taken
                .client()
                .query("SELECT hash FROM rummage.chunk WHERE site = $1", &[&site])
                .await?;
            taken.done();
            Ok(rows.iter().map(|row| row.get(0)).collect())
        })
        .await
    }

    async fn send(&self, site: &str, lot: Lot) -> Result<(), FleetError> {
        if lot.hashes.is_empty() {
            return Ok(());
        }
        limited(async {
            let mut taken = self.take().await?;
            taken
                .client()
                .execute(
                    "INSERT INTO rummage.chunk (site, hash, data)
                     SELECT $1, * FROM unnest($2::bytea[], $3::bytea[]) ON CONFLICT DO NOTHING",
                    &[&site, &lot.hashes, &lot.data],
                )
                .await?;
            taken.done();
            Ok(())
        })
        .await
    }

    /// The token of the lease under which the store of a site was saved last.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn saved_under(&self, site: &str) -> Result<Option<i64>, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let row = taken
                .client()
                .query_opt("SELECT token FROM rummage.snapshot WHERE site = $1", &[&site])
                .await?;
            taken.done();
            Ok(row.map(|row| row.get(0)))
        })
        .await
    }

    /// Writes the saved store of a site to a file. Returns its size, `None` if there is none.
    ///
    /// # Errors
    /// [`FleetError::DamagedSnapshot`] if it is not what was saved; see [`FleetError`].
    pub async fn download(&self, site: &str, to: &Path) -> Result<Option<u64>, FleetError> {
        let Some(manifest) = self.manifest(site).await? else { return Ok(None) };
        let writing =
            |reason| FleetError::File { what: format!("cannot write {}", to.display()), reason };
        let mut file = File::create(to).map_err(writing)?;
        let hashes: Vec<&[u8]> = manifest.hashes().collect();
        let mut written = 0;
        for lot in hashes.chunks(LOT / CHUNK) {
            let chunks = self.chunks(site, lot).await?;
            for hash in lot {
                let data = chunks.iter().find(|(known, _)| known == hash);
                let (_, data) = data.ok_or_else(|| damaged(site, "a chunk is missing"))?;
                let chunk = unpack(data).map_err(|_| damaged(site, "a chunk is not valid"))?;
                if self::hash(&chunk) != **hash {
                    return Err(damaged(site, "a chunk has changed"));
                }
                file.write_all(&chunk).map_err(writing)?;
                written += chunk.len() as u64;
            }
        }
        if written != manifest.bytes {
            return Err(damaged(site, "its size is wrong"));
        }
        file.sync_all().map_err(writing)?;
        Ok(Some(written))
    }

    async fn manifest(&self, site: &str) -> Result<Option<Manifest>, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let row = taken
                .client()
                .query_opt("SELECT bytes, hashes FROM rummage.snapshot WHERE site = $1", &[&site])
                .await?;
            taken.done();
            Ok(row.map(|row| Manifest {
                bytes: row.get::<_, i64>(0).try_into().unwrap_or_default(),
                sent: 0,
                hashes: row.get(1),
            }))
        })
        .await
    }

    async fn chunks(
        &self,
        site: &str,
        hashes: &[&[u8]],
    ) -> Result<Vec<(Vec<u8>, Vec<u8>)>, FleetError> {
        limited(async {
            let mut taken = self.take().await?;
            let rows = taken
                .client()
                .query(
                    "SELECT hash, data FROM rummage.chunk WHERE site = $1 AND hash = ANY($2)",
                    &[&site, &hashes],
                )
                .await?;
            taken.done();
            Ok(rows.iter().map(|row| (row.get(0), row.get(1))).collect())
        })
        .await
    }
}

/// Chunks that are sent together.
#[derive(Default)]
struct Lot {
    hashes: Vec<Vec<u8>>,
    data: Vec<Vec<u8>>,
    bytes: usize,
}

impl Lot {
    fn add(&mut self, hash: Vec<u8>, data: Vec<u8>) {
        self.bytes += data.len();
        self.hashes.push(hash);
        self.data.push(data);
    }
}

fn reading(file: &Path, reason: io::Error) -> FleetError {
    FleetError::File { what: format!("cannot read {}", file.display()), reason }
}

fn damaged(site: &str, why: &str) -> FleetError {
    FleetError::DamagedSnapshot { site: site.to_owned(), why: why.to_owned() }
}

/// Reads until the buffer is full or the file ends.
fn fill(file: &mut File, buffer: &mut [u8]) -> io::Result<usize> {
    let mut length = 0;
    while length < buffer.len() {
        match file.read(&mut buffer[length..])? {
            0 => break,
            more => length += more,
        }
    }
    Ok(length)
}

fn hash(chunk: &[u8]) -> [u8; HASH] {
    Sha256::digest(chunk).into()
}

fn pack(chunk: &[u8]) -> Vec<u8> {
    let mut encoder = ZlibEncoder::new(Vec::new(), Compression::fast());
    encoder.write_all(chunk).and_then(|()| encoder.finish()).expect("memory takes everything")
}

/// Unpacks a chunk: never more than one.
fn unpack(data: &[u8]) -> io::Result<Vec<u8>> {
    let mut chunk = Vec::new();
    ZlibDecoder::new(data).take(CHUNK as u64 + 1).read_to_end(&mut chunk)?;
    if chunk.len() > CHUNK {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "longer than a chunk"));
    }
    Ok(chunk)
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn a_chunk_comes_back_as_it_was_and_is_never_longer() {
        let chunk: Vec<u8> = (0..CHUNK).map(|at| (at % 251) as u8).collect();
        let packed = pack(&chunk);
        assert!(packed.len() < CHUNK / 10, "{}", packed.len());
        assert_eq!(unpack(&packed).unwrap(), chunk);
        assert!(unpack(&pack(&vec![0; CHUNK + 1])).is_err());
        assert!(unpack(b"no zlib stream").is_err());
    }
}
