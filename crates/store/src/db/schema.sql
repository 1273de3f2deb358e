-- Version 7 of the store, and the oldest that is read. docs/store.md has queries.
--
-- Times are microseconds from the start of the run (columns that end in _us) or RFC
-- 3339 in UTC (columns that end in _at). What there are very many of is packed, many
-- to a row, in the order in which it came: whole numbers as varints of seven bits,
-- those that may fall as zigzag differences to the one before.

-- One pass over a site. The id is the run's number.
CREATE TABLE run (
    id          INTEGER PRIMARY KEY,
    site        TEXT NOT NULL,              -- host of the start, with its port where that is not a default one
    start       INTEGER NOT NULL,           -- address where the start's redirects ended
    asked_for   TEXT NOT NULL,              -- the start as it was given
    options     TEXT NOT NULL,              -- the options that were given, as JSON; no secrets
    bounds      TEXT NOT NULL,              -- those of them that decide what a run can see
    placeholders TEXT NOT NULL,             -- what links that lead nowhere are: doubtful, broken
    version     TEXT NOT NULL,              -- of the tool
    rules_version INTEGER NOT NULL,         -- of extraction and verdicts, by which it saw what it saw
    kind        TEXT NOT NULL CHECK (kind IN ('crawl', 'recheck', 'page', 'probe')),
    epoch_at    TEXT NOT NULL,              -- from when its moments are counted: its start, or earlier
                                            -- where it reuses what earlier runs have seen
    own_fields  INTEGER NOT NULL,           -- 1 where headers of its own were sent: their values are
                                            -- not kept, so that its pages are not compared by it
    started_at  TEXT NOT NULL,
    took_us     INTEGER NOT NULL DEFAULT 0, -- up to the last thing that is stored
    state       TEXT NOT NULL CHECK (state IN ('going', 'stopped', 'finished'))
);

-- Every address once, in normal form without fragment; malformed ones as written.
CREATE TABLE address (
    id  INTEGER PRIMARY KEY,
    url TEXT NOT NULL
);

-- The names of elements and attributes, for what is packed.
CREATE TABLE word (
    id   INTEGER PRIMARY KEY,
    text TEXT NOT NULL
);

-- Marks: what a link says, once for many places where it says so. A row holds those
-- that came with one page; the first is number `first`, the others follow it.
CREATE TABLE mark (
    first   INTEGER PRIMARY KEY,
    count   INTEGER NOT NULL,
    targets BLOB NOT NULL,   -- addresses: differences
    prints  BLOB NOT NULL    -- fingerprints: eight octets each, the lowest first
);

-- Their texts, apart: they are looked at for what is shown alone.
CREATE TABLE mark_text (
    first INTEGER PRIMARY KEY,
    says  BLOB NOT NULL
);

-- What was read of a page. Written once and never changed: a page whose links
-- have not changed keeps its version in later runs.
CREATE TABLE page_version (
    id         INTEGER PRIMARY KEY,
    address    INTEGER NOT NULL,
    hash       BLOB NOT NULL,    -- of all that was extracted
    format     TEXT NOT NULL,    -- as what it was read: html, xhtml, css, sitemap, robots
    encoding   TEXT NOT NULL,    -- in which it is written, and queries on it are (Encoding, "names")
    title      TEXT,
    base       TEXT,
    cut        INTEGER NOT NULL, -- 1 where the page was longer than the limit
    faulty     INTEGER NOT NULL, -- 1 where it is not what it should be, such as a sitemap that is no XML
    scripted   INTEGER NOT NULL, -- 1 where it has scripts
    sketch     BLOB,             -- hashes of its text, where they were made
    rules      TEXT,             -- the text of robots.txt
    link_count INTEGER NOT NULL,
    links      BLOB NOT NULL,    -- mark, line and column of each link, the first two as differences
    places     BLOB NOT NULL     -- hashes of the ids that fragments may name
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

-- How requests end: all of it but what is mostly different each time.
CREATE TABLE ending_kind (
    id   INTEGER PRIMARY KEY,
    said TEXT NOT NULL          -- the answer or the failure, as JSON
);

-- How a request ended: once for all requests that ended so.
CREATE TABLE ending (
    id       INTEGER PRIMARY KEY,
    kind     INTEGER NOT NULL,
    length   INTEGER,           -- octets of the body
    etag     TEXT,
    modified TEXT,
    title    TEXT               -- of a page that was not read for links
);

-- Every request that a run made, in the order in which they ended, and the addresses
-- that are plainly sound: found so by one request, answered with 200, named by a link.
CREATE TABLE asked (
    run     INTEGER NOT NULL,
    seq     INTEGER NOT NULL,
    entries BLOB NOT NULL,
    PRIMARY KEY (run, seq)
) WITHOUT ROWID;

-- What a run says of each address that is not plainly sound.
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
    not_read   TEXT,            -- why a page of the site was asked, but not read: depth, within, robots
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

-- Links with a fault beside their address.
CREATE TABLE link_fault (
    run    INTEGER NOT NULL,
    target INTEGER NOT NULL, -- address
    page   INTEGER NOT NULL, -- address of the page that has the link; the target itself
                             -- where all links are meant that want something else than a page
    cause  TEXT NOT NULL,    -- wrong-type, mixed-content, placeholder
    written TEXT NOT NULL,   -- what is written in a placeholder link; empty for other faults
    PRIMARY KEY (run, target, page, cause, written)
) WITHOUT ROWID;

-- Findings over the runs of a site: a link that is broken, doubtful or moved stands here
-- once for as long as it is found. Kept up to date at the end of each run.
CREATE TABLE finding (
    id          INTEGER PRIMARY KEY,
    site        TEXT NOT NULL,
    page        INTEGER NOT NULL, -- address
    target      INTEGER NOT NULL, -- address
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
    first_run   INTEGER NOT NULL, -- the run that found it first; it may be forgotten by now
    first_at    TEXT NOT NULL,    -- when that run began
    standing    TEXT NOT NULL,    -- how it was found then: new, returned, or open where the
                                  -- run before could not have seen it
    until_run   INTEGER,          -- the first run that saw that it is gone; NULL while it is found
    told        TEXT NOT NULL,    -- whether people know of it: waiting, told, aside (waived), over
                                  -- (healed, and no news any more)
    wrong_since TEXT              -- when the check was that found it first
);

-- Servers that showed strain and were asked more slowly.
CREATE TABLE slowed (
    run    INTEGER NOT NULL,
    server TEXT NOT NULL,
    times  INTEGER NOT NULL,
    strain TEXT NOT NULL,       -- how it showed: too-many, unavailable, failures, timeout, slow
    lowest INTEGER NOT NULL,    -- requests in flight at most, when it was asked most slowly
    gap_ms INTEGER NOT NULL,    -- least time between the starts of two requests then
    PRIMARY KEY (run, server)
) WITHOUT ROWID;

-- What there is to know of a run beside its links.
CREATE TABLE note (
    run     INTEGER NOT NULL,
    kind    TEXT NOT NULL,    -- drawn-by-script, robots-unknown, crawl-delay, sitemap-missing,
                              -- sitemap-faulty, trap, blocked, offline
    address INTEGER NOT NULL,
    detail  TEXT NOT NULL,    -- as JSON
    PRIMARY KEY (run, kind, address, detail)
) WITHOUT ROWID;

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

-- For people who ask by SQL: what is found now, in words.
CREATE VIEW open_finding AS
    SELECT finding.site, verdict, cause, status,
           target.url || CASE WHEN fragment IS NULL THEN '' ELSE '#' || fragment END AS target,
           page.url AS page, line, column, element, text, written, region, fingerprint,
           first_run, first_at AS first_seen
    FROM finding
    JOIN address AS target ON target.id = finding.target
    JOIN address AS page ON page.id = finding.page
    WHERE until_run IS NULL;
