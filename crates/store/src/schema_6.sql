-- Version 6: what people are told, and what of forgotten rechecks is still to be known.

-- Whether people know of a finding: waiting, told, aside (waived), over (healed, and no
-- news any more). What was found before this version is no news.
ALTER TABLE finding ADD COLUMN told TEXT NOT NULL DEFAULT 'told';

-- When the check was that found it first.
ALTER TABLE finding ADD COLUMN wrong_since TEXT;

-- Digests, one row for each way to deliver it. Written with the run that they tell of.
CREATE TABLE outbox (
    id           INTEGER PRIMARY KEY,
    site         TEXT NOT NULL,
    run          INTEGER NOT NULL,
    channel      TEXT NOT NULL,    -- mail, command
    message_id   TEXT NOT NULL,    -- the same for each attempt (RFC 5322 §3.6.4), without <>
    digest       TEXT NOT NULL,    -- what it tells, as JSON
    attempts     INTEGER NOT NULL DEFAULT 0,
    next_at      TEXT,             -- when it is tried next; NULL for what was delivered or dropped
    problem      TEXT,             -- why the last attempt failed
    delivered_at TEXT              -- when the other side took it
);

-- What rechecks that are forgotten by now asked: how steady an address is stays known.
CREATE TABLE old_check (
    site    TEXT NOT NULL,
    run     INTEGER NOT NULL,
    address INTEGER NOT NULL,
    at      INTEGER NOT NULL,    -- seconds since 1970
    word    TEXT NOT NULL,       -- sound, passing, wrong
    scope   TEXT NOT NULL,
    PRIMARY KEY (site, run, address)
) WITHOUT ROWID;
