-- Version 7 of the store, and the oldest supported one. docs/store.md has queries.
--
-- Times are microseconds from the start of the run (columns that end in _us) or RFC
-- 3339 in UTC (columns that end in _at). Numerous facts are packed, many to a row, in
-- the order in which they came: integers as varints of seven bits, those that may
-- decrease as zigzag differences to the previous one.

-- Runs: crawls, rechecks, page checks, probes. The id is the run's number.
CREATE TABLE run (
    id          INTEGER PRIMARY KEY,
    site        TEXT NOT NULL,              -- host of the start URL, with its port unless that is the default
    start       INTEGER NOT NULL,           -- the last hop of the start URL
    asked_for   TEXT NOT NULL,              -- the start URL as given
    options     TEXT NOT NULL,              -- the options, as JSON; without secrets
    bounds      TEXT NOT NULL,              -- the options that decide what a run can see
    placeholders TEXT NOT NULL,             -- verdict of placeholder links: doubtful, broken
    version     TEXT NOT NULL,              -- of Rummage
    rules_version INTEGER NOT NULL,         -- of the rules for extraction and verdicts
    kind        TEXT NOT NULL CHECK (kind IN ('crawl', 'recheck', 'page', 'probe')),
    epoch_at    TEXT NOT NULL,              -- the time from which its moments are counted: its
                                            -- start, or earlier if it reuses earlier results
    own_fields  INTEGER NOT NULL,           -- 1 if it sent headers of its own: their values are not
                                            -- stored, so its pages are not compared
    started_at  TEXT NOT NULL,
    took_us     INTEGER NOT NULL DEFAULT 0, -- up to the last stored event
    state       TEXT NOT NULL CHECK (state IN ('going', 'stopped', 'finished'))
);

-- Every URL once, in normal form without fragment; malformed ones as written.
CREATE TABLE address (
    id  INTEGER PRIMARY KEY,
    url TEXT NOT NULL
);

-- The names of elements and attributes, for packed data.
CREATE TABLE word (
    id   INTEGER PRIMARY KEY,
    text TEXT NOT NULL
);

-- Link contents, each stored once however often the link occurs. A row contains those
-- that first appeared on one page; the first has number `first`, the others follow.
CREATE TABLE mark (
    first   INTEGER PRIMARY KEY,
    count   INTEGER NOT NULL,
    targets BLOB NOT NULL,   -- URLs: differences
    prints  BLOB NOT NULL    -- fingerprints: eight bytes each, little-endian
);

-- Their texts, stored separately: they are needed only for output.
CREATE TABLE mark_text (
    first INTEGER PRIMARY KEY,
    says  BLOB NOT NULL
);

-- The contents of a parsed page. Written once and never changed: a page whose links
-- have not changed keeps its version in later runs.
CREATE TABLE page_version (
    id         INTEGER PRIMARY KEY,
    address    INTEGER NOT NULL,
    hash       BLOB NOT NULL,    -- of everything extracted
    format     TEXT NOT NULL,    -- how it was parsed: html, xhtml, css, sitemap, robots
    encoding   TEXT NOT NULL,    -- of the page and its queries (Encoding, "names")
    title      TEXT,
    base       TEXT,
    cut        INTEGER NOT NULL, -- 1 if the page was longer than the limit
    faulty     INTEGER NOT NULL, -- 1 if it is not valid, such as a sitemap that is not XML
    scripted   INTEGER NOT NULL, -- 1 if it has scripts
    sketch     BLOB,             -- hashes of its text, if computed
    rules      TEXT,             -- the text of robots.txt
    link_count INTEGER NOT NULL,
    links      BLOB NOT NULL,    -- content number, line and column of each link, the first two as differences
    places     BLOB NOT NULL     -- hashes of its anchors
);

-- The pages that a run parsed.
CREATE TABLE run_page (
    run     INTEGER NOT NULL,
    address INTEGER NOT NULL,
    version INTEGER NOT NULL,
    rank    INTEGER,            -- from 0; NULL until the run has ended
    depth   INTEGER,            -- depth from the start; NULL if the start does not lead there
    PRIMARY KEY (run, address)
) WITHOUT ROWID;

-- Outcomes of requests, without the columns of `ending`.
CREATE TABLE ending_kind (
    id   INTEGER PRIMARY KEY,
    said TEXT NOT NULL          -- the response head or the failure, as JSON
);

-- Outcomes of requests, each stored once.
CREATE TABLE ending (
    id       INTEGER PRIMARY KEY,
    kind     INTEGER NOT NULL,
    length   INTEGER,           -- bytes of the body
    etag     TEXT,
    modified TEXT,
    title    TEXT               -- of a page that was not parsed for links
);

-- The requests of a run, in the order in which they ended, and the URLs that are simply
-- sound: a link names them, and one request got the response 200.
CREATE TABLE asked (
    run     INTEGER NOT NULL,
    seq     INTEGER NOT NULL,
    entries BLOB NOT NULL,
    PRIMARY KEY (run, seq)
) WITHOUT ROWID;

-- The verdicts of a run on URLs that are not simply sound.
CREATE TABLE verdict (
    run        INTEGER NOT NULL,
    address    INTEGER NOT NULL,
    scope      TEXT,            -- NULL for what is not an HTTP URL
    verdict    TEXT NOT NULL,
    cause      TEXT,
    status     INTEGER,
    next       INTEGER,         -- URL of the next hop
    final      INTEGER NOT NULL, -- URL of the last hop
    hops       INTEGER NOT NULL,
    moved_to   INTEGER,         -- URL where the leading permanent redirects end
    checked_us INTEGER,         -- NULL if it was not requested
    not_read   TEXT,            -- why an internal page was not parsed: depth, within, robots
    linked     INTEGER NOT NULL, -- 0 if it is only a redirect hop
    PRIMARY KEY (run, address)
) WITHOUT ROWID;

-- Fragments that have no anchor on their page.
CREATE TABLE no_place (
    run      INTEGER NOT NULL,
    address  INTEGER NOT NULL,  -- the URL that links name, before redirects
    fragment TEXT NOT NULL,
    place    TEXT NOT NULL CHECK (place IN ('missing', 'for-script')),
    PRIMARY KEY (run, address, fragment)
) WITHOUT ROWID;

-- Links with a fault apart from their URL.
CREATE TABLE link_fault (
    run    INTEGER NOT NULL,
    target INTEGER NOT NULL, -- URL
    page   INTEGER NOT NULL, -- URL of the page with the link; the target itself if it
                             -- applies to all links that expect something other than a page
    cause  TEXT NOT NULL,    -- wrong-type, mixed-content, placeholder
    written TEXT NOT NULL,   -- source text of a placeholder link; empty for other faults
    PRIMARY KEY (run, target, page, cause, written)
) WITHOUT ROWID;

-- Findings across the runs of a site: a link that is broken, doubtful or moved has one
-- row for as long as it is found. Updated at the end of each run.
CREATE TABLE finding (
    id          INTEGER PRIMARY KEY,
    site        TEXT NOT NULL,
    page        INTEGER NOT NULL, -- URL
    target      INTEGER NOT NULL, -- URL
    fragment    TEXT,
    element     TEXT NOT NULL,
    verdict     TEXT NOT NULL,
    cause       TEXT,
    status      INTEGER,
    line        INTEGER NOT NULL,
    column      INTEGER NOT NULL,
    text        TEXT,
    written     TEXT NOT NULL,
    region      TEXT,
    fingerprint INTEGER NOT NULL, -- equal for the same link on other pages
    first_run   INTEGER NOT NULL, -- the run that found it first, which may have been deleted
    first_at    TEXT NOT NULL,    -- when that run began
    standing    TEXT NOT NULL,    -- its standing then: new, returned, or open if the previous
                                  -- run could not have found it
    until_run   INTEGER,          -- the first run in which it was gone; NULL while it is found
    told        TEXT NOT NULL,    -- notification state: waiting, told (notified), aside
                                  -- (waived), over (fixed and reported)
    wrong_since TEXT              -- when the check was made that found it first
);

-- Overloaded servers for which requests were slowed down.
CREATE TABLE slowed (
    run    INTEGER NOT NULL,
    server TEXT NOT NULL,
    times  INTEGER NOT NULL,
    strain TEXT NOT NULL,       -- the sign of it: too-many, unavailable, failures, timeout, slow
    lowest INTEGER NOT NULL,    -- the lowest maximum of requests in flight
    gap_ms INTEGER NOT NULL,    -- the longest minimum time between two requests
    PRIMARY KEY (run, server)
) WITHOUT ROWID;

-- Notes about a run.
CREATE TABLE note (
    run     INTEGER NOT NULL,
    kind    TEXT NOT NULL,    -- drawn-by-script, robots-unknown, crawl-delay, sitemap-missing,
                              -- sitemap-faulty, trap, blocked, offline
    address INTEGER NOT NULL,
    detail  TEXT NOT NULL,    -- as JSON
    PRIMARY KEY (run, kind, address, detail)
) WITHOUT ROWID;

-- Digests, one row for each channel. Written together with the run that they report.
CREATE TABLE outbox (
    id           INTEGER PRIMARY KEY,
    site         TEXT NOT NULL,
    run          INTEGER NOT NULL,
    channel      TEXT NOT NULL,    -- mail, command
    message_id   TEXT NOT NULL,    -- the same for each attempt (RFC 5322 §3.6.4), without <>
    digest       TEXT NOT NULL,    -- the digest, as JSON
    attempts     INTEGER NOT NULL DEFAULT 0,
    next_at      TEXT,             -- when it is sent next; NULL if it was delivered or dropped
    problem      TEXT,             -- why the last attempt failed
    delivered_at TEXT              -- when it was accepted
);

-- The checks of deleted rechecks: the intervals between checks depend on them.
CREATE TABLE old_check (
    site    TEXT NOT NULL,
    run     INTEGER NOT NULL,
    address INTEGER NOT NULL,
    at      INTEGER NOT NULL,    -- seconds since 1970
    word    TEXT NOT NULL,       -- sound, passing, wrong
    scope   TEXT NOT NULL,
    PRIMARY KEY (site, run, address)
) WITHOUT ROWID;

-- For SQL queries: the open findings, as text.
CREATE VIEW open_finding AS
    SELECT finding.site, verdict, cause, status,
           target.url || CASE WHEN fragment IS NULL THEN '' ELSE '#' || fragment END AS target,
           page.url AS page, line, column, element, text, written, region, fingerprint,
           first_run, first_at AS first_seen
    FROM finding
    JOIN address AS target ON target.id = finding.target
    JOIN address AS page ON page.id = finding.page
    WHERE until_run IS NULL;
