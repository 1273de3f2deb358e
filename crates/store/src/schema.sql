-- The first version of the store. Times are microseconds from the start of the
-- run (columns that end in _us) or RFC 3339 in UTC (columns that end in _at).

-- One pass over a site. The id is the run's number.
CREATE TABLE run (
    id          INTEGER PRIMARY KEY,
    site        TEXT NOT NULL,              -- host of the start, with its port where that is not a default one
    start       INTEGER NOT NULL,           -- address where the start's redirects ended
    asked_for   TEXT NOT NULL,              -- the start as it was given
    options     TEXT NOT NULL,              -- the options that were given, as JSON; no secrets
    version     TEXT NOT NULL,              -- of the tool
    started_at  TEXT NOT NULL,
    took_us     INTEGER NOT NULL DEFAULT 0, -- up to the last thing that is stored
    state       TEXT NOT NULL CHECK (state IN ('going', 'stopped', 'finished'))
);

-- Every address once, in normal form without fragment; malformed ones as written.
CREATE TABLE address (
    id  INTEGER PRIMARY KEY,
    url TEXT NOT NULL
);

-- What a link says, once for all places where it says so.
CREATE TABLE mark (
    id        INTEGER PRIMARY KEY,
    target    INTEGER NOT NULL, -- address
    fragment  TEXT,
    element   TEXT NOT NULL,
    attribute TEXT NOT NULL,
    rel       TEXT,
    written   TEXT NOT NULL,
    text      TEXT,
    region    TEXT
);

-- What was read of a page. Written once and never changed: a page whose links
-- have not changed keeps its version in later runs.
CREATE TABLE page_version (
    id         INTEGER PRIMARY KEY,
    address    INTEGER NOT NULL,
    hash       BLOB NOT NULL,    -- of all that was extracted
    title      TEXT,
    base       TEXT,
    cut        INTEGER NOT NULL, -- 1 where the page was longer than the limit
    places     BLOB NOT NULL,    -- hashes of the ids that fragments may name
    link_count INTEGER NOT NULL,
    links      BLOB NOT NULL     -- mark, line and column of each link, packed
);

-- The pages that a run read.
CREATE TABLE run_page (
    run     INTEGER NOT NULL,
    address INTEGER NOT NULL,
    version INTEGER NOT NULL,
    rank    INTEGER,            -- from 0; NULL until the run has ended
    depth   INTEGER,            -- links away from the start; NULL where the start does not lead there
    PRIMARY KEY (run, address)
) WITHOUT ROWID;

-- Every request that a run made, in the order in which they ended.
CREATE TABLE attempt (
    run     INTEGER NOT NULL,
    seq     INTEGER NOT NULL,
    address INTEGER NOT NULL,
    at_us   INTEGER NOT NULL,
    took_us INTEGER NOT NULL,
    method  TEXT NOT NULL,
    ending  TEXT NOT NULL,      -- the answer or the failure, as JSON
    title   TEXT,
    PRIMARY KEY (run, seq)
) WITHOUT ROWID;

-- What a run says of each address.
CREATE TABLE verdict (
    run        INTEGER NOT NULL,
    address    INTEGER NOT NULL,
    scope      TEXT,            -- NULL for what is not asked over HTTP
    verdict    TEXT NOT NULL,
    cause      TEXT,
    status     INTEGER,
    next       INTEGER,         -- address of the next hop
    final      INTEGER NOT NULL, -- address where the hops ended
    hops       INTEGER NOT NULL,
    moved_to   INTEGER,         -- address where the leading permanent redirects end
    checked_us INTEGER,         -- NULL for what was not asked
    unread     INTEGER NOT NULL, -- 1 for a page of the site that was not read, for its depth
    linked     INTEGER NOT NULL, -- 0 for what is only a hop on the way to others
    PRIMARY KEY (run, address)
) WITHOUT ROWID;

-- Fragments that have no place on their page.
CREATE TABLE no_place (
    run      INTEGER NOT NULL,
    address  INTEGER NOT NULL,  -- as links name it, before redirects
    fragment TEXT NOT NULL,
    place    TEXT NOT NULL CHECK (place IN ('missing', 'for-script')),
    PRIMARY KEY (run, address, fragment)
) WITHOUT ROWID;

-- Servers that showed strain and were asked more slowly.
CREATE TABLE slowed (
    run    INTEGER NOT NULL,
    server TEXT NOT NULL,
    times  INTEGER NOT NULL,
    PRIMARY KEY (run, server)
) WITHOUT ROWID;
