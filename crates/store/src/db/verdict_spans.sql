-- Version 10: a verdict that stays the same from run to run is stored once.
-- Runs of the same site have the same series: the number of its first run.
ALTER TABLE run ADD COLUMN series INTEGER NOT NULL DEFAULT 0;
UPDATE run SET series = (SELECT min(first.id) FROM run AS first WHERE first.site = run.site);

-- The verdicts on URLs that are not simply sound, and the runs of a series that have them.
CREATE TABLE verdict_span (
    series     INTEGER NOT NULL,
    address    INTEGER NOT NULL,
    since      INTEGER NOT NULL, -- the first run with this verdict
    until      INTEGER NOT NULL, -- the last; all runs of the series between them have it too
    scope      TEXT,             -- NULL for what is not an HTTP URL
    verdict    TEXT NOT NULL,
    cause      TEXT,
    status     INTEGER,
    next       INTEGER,          -- URL of the next hop
    final      INTEGER,          -- URL of the last hop; NULL if it is this one
    hops       INTEGER NOT NULL,
    moved_to   INTEGER,          -- URL where the leading permanent redirects end
    requested  INTEGER NOT NULL,
    not_read   TEXT,             -- why an internal page was not parsed: depth, within, robots
    linked     INTEGER NOT NULL, -- 0 if it is only a redirect hop
    PRIMARY KEY (series, address, since)
) WITHOUT ROWID;

INSERT INTO verdict_span
SELECT series, address, run.id, run.id, scope, verdict, cause, status, next,
       nullif(final, address), hops, moved_to, checked_us IS NOT NULL, not_read, linked
FROM verdict JOIN run ON run.id = verdict.run;
DROP TABLE verdict;

-- The same by run.
CREATE VIEW verdict AS
    SELECT run.id AS run, address, scope, verdict, cause, verdict_span.status, next,
           coalesce(final, address) AS final, hops, moved_to, requested, not_read, linked
    FROM run CROSS JOIN verdict_span
    WHERE verdict_span.series = run.series AND since <= run.id AND until >= run.id;
