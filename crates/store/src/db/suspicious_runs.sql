-- Version 8: runs may be suspicious. A constraint is changed by making the table anew.
CREATE TABLE run_8 (
    id          INTEGER PRIMARY KEY,
    site        TEXT NOT NULL,
    start       INTEGER NOT NULL,
    asked_for   TEXT NOT NULL,
    options     TEXT NOT NULL,
    bounds      TEXT NOT NULL,
    placeholders TEXT NOT NULL,
    version     TEXT NOT NULL,
    rules_version INTEGER NOT NULL,
    kind        TEXT NOT NULL CHECK (kind IN ('crawl', 'recheck', 'page', 'probe')),
    epoch_at    TEXT NOT NULL,
    own_fields  INTEGER NOT NULL,
    started_at  TEXT NOT NULL,
    took_us     INTEGER NOT NULL DEFAULT 0,
    state       TEXT NOT NULL           -- suspicious: complete, but not believed
        CHECK (state IN ('going', 'stopped', 'suspicious', 'finished'))
);
INSERT INTO run_8 SELECT id, site, start, asked_for, options, bounds, placeholders, version,
    rules_version, kind, epoch_at, own_fields, started_at, took_us, state FROM run;
DROP TABLE run;
ALTER TABLE run_8 RENAME TO run;
