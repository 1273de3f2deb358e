-- Version 5: rechecks, and what is taken from earlier runs.

-- What kind of pass a run is: crawl, recheck.
ALTER TABLE run ADD COLUMN kind TEXT NOT NULL DEFAULT 'crawl';

-- From when the moments of a run are counted: when it began, or earlier where it tells
-- what earlier runs have seen.
ALTER TABLE run ADD COLUMN epoch_at TEXT NOT NULL DEFAULT '';
UPDATE run SET epoch_at = started_at;

-- 1 where header fields of its own were sent: what they hold is not kept, so that nobody
-- knows whether another run would be shown the same pages.
ALTER TABLE run ADD COLUMN own_fields INTEGER NOT NULL DEFAULT 0;
