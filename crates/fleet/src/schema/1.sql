-- Version 1 of the fleet's database. docs/fleet.md describes it and has queries.
--
-- All times are the server's. Rows about a site go with it.

CREATE TABLE rummage.worker (
    id                  bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name                text NOT NULL,              -- as given, else machine and process
    version             text NOT NULL,              -- of Rummage
    started_at          timestamptz NOT NULL DEFAULT clock_timestamp(),
    seen_at             timestamptz NOT NULL DEFAULT clock_timestamp(),
    stopped_at          timestamptz,                -- NULL while it runs, or if it was killed
    requests            bigint NOT NULL DEFAULT 0,  -- since it started
    requests_per_minute bigint NOT NULL DEFAULT 0   -- in the last minute
);

CREATE TABLE rummage.site (
    name       text PRIMARY KEY,
    settings   text NOT NULL,                -- a settings file with this site alone, as TOML
    waivers    text,                         -- its waivers file
    due_at     timestamptz NOT NULL DEFAULT clock_timestamp(), -- when a worker takes it next
    wanted     text CHECK (wanted IN ('crawl', 'accept')), -- whatever is due: check it now; and
                                             -- believe the result, however suspicious
    task       text,                         -- what is done with it now, or was last
    worker     bigint REFERENCES rummage.worker, -- which has the lease; NULL if none
    token      bigint NOT NULL DEFAULT 0,    -- the fencing token: one more with each lease
    taken_at   timestamptz,                  -- when the lease began
    renewed_at timestamptz,                  -- when it was last renewed
    failures   integer NOT NULL DEFAULT 0,   -- passes that failed since the last that did not
    problem    text,                         -- why the last one failed
    passed_at  timestamptz,                  -- when the last pass ended
    run_state  text,                         -- how far it got: finished, stopped, suspicious
    run_at     timestamptz,                  -- when the run began whose findings are here
    results_of text,                         -- the run, settings and waivers that gave them
    pages      bigint,                       -- pages of that run
    open       bigint,                       -- its broken and doubtful targets
    left_out   bigint NOT NULL DEFAULT 0     -- its links for which there is no row in finding
);
CREATE INDEX site_due ON rummage.site (due_at);

-- The last saved state of a site's store: hashes of its chunks, in order.
CREATE TABLE rummage.snapshot (
    site    text PRIMARY KEY REFERENCES rummage.site ON DELETE CASCADE,
    token   bigint NOT NULL,        -- of the lease under which it was made
    bytes   bigint NOT NULL,        -- size of the store
    hashes  bytea NOT NULL,         -- SHA-256, 32 bytes each
    made_at timestamptz NOT NULL
);

CREATE TABLE rummage.chunk (
    site text NOT NULL REFERENCES rummage.site ON DELETE CASCADE,
    hash bytea NOT NULL,            -- SHA-256 of the chunk before compression
    data bytea NOT NULL,            -- compressed (RFC 1950)
    PRIMARY KEY (site, hash)
);
ALTER TABLE rummage.chunk ALTER COLUMN data SET STORAGE EXTERNAL;

-- The current findings of every site, replaced after each pass.
CREATE TABLE rummage.finding (
    site       text NOT NULL REFERENCES rummage.site ON DELETE CASCADE,
    number     integer NOT NULL,    -- from 1, the worst first
    verdict    text NOT NULL,       -- broken, doubtful, moved
    cause      text,
    status     integer,
    target     text NOT NULL,
    host       text NOT NULL,       -- of the target
    scope      text,                -- internal, external; NULL for what is not an HTTP URL
    page       text NOT NULL,
    line       integer,             -- from 1; NULL for a link in a response header
    col        integer,             -- in code points, from 1
    element    text NOT NULL,
    text       text,
    written    text NOT NULL,
    region     text,
    standing   text,                -- new, open, returned, waived
    first_seen timestamptz,
    checked_at timestamptz,
    row        jsonb NOT NULL,      -- the link, with the columns of docs/columns.md
    PRIMARY KEY (site, number)
);
CREATE INDEX finding_host ON rummage.finding (host);
CREATE INDEX finding_first_seen ON rummage.finding (first_seen);

-- What requests for external URLs have shown, for all sites.
CREATE TABLE rummage.external_check (
    key           bytea PRIMARY KEY,  -- SHA-256 of the request: URL, method, what identifies it
    url           text NOT NULL,
    host          text NOT NULL,
    evidence      text,               -- as JSON; NULL until the first request has ended
    checked_at    timestamptz,
    due_at        timestamptz,        -- until then, it is reused
    requests      bigint NOT NULL DEFAULT 0,
    worker        bigint,             -- who makes the request now
    claimed_until timestamptz
);
CREATE INDEX external_check_host ON rummage.external_check (host);
CREATE INDEX external_check_due ON rummage.external_check (due_at);

-- When the next request to an external host may be made, by any worker.
CREATE TABLE rummage.host_budget (
    host    text PRIMARY KEY,
    next_at timestamptz NOT NULL
);

CREATE TABLE rummage.outbox (
    id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    site          text NOT NULL REFERENCES rummage.site ON DELETE CASCADE,
    channel       text NOT NULL,      -- mail, command
    message_id    text NOT NULL,      -- the same for each attempt (RFC 5322 section 3.6.4)
    digest        text NOT NULL,      -- as JSON
    attempts      integer NOT NULL DEFAULT 0,
    next_at       timestamptz DEFAULT clock_timestamp(), -- NULL if delivered or dropped
    claimed_until timestamptz,        -- a worker is delivering it
    problem       text,
    delivered_at  timestamptz,
    UNIQUE (site, channel, message_id)
);

-- For dashboards: these views have no settings, digests or stores.
CREATE VIEW rummage.open_finding AS
    SELECT site, verdict, cause, status, target, host, scope, page, line, col, element, text,
           written, region, standing, first_seen, checked_at
    FROM rummage.finding
    WHERE standing IS DISTINCT FROM 'waived';

CREATE VIEW rummage.site_overview AS
    SELECT site.name AS site, site.run_at, site.run_state, site.passed_at, site.due_at,
           site.pages, site.left_out AS left_out_links, site.failures, site.problem, worker.name AS worker,
           count(*) FILTER (WHERE verdict = 'broken') AS broken_links,
           count(*) FILTER (WHERE verdict = 'doubtful') AS doubtful_links,
           count(*) FILTER (WHERE standing IN ('new', 'returned')) AS new_links
    FROM rummage.site
    LEFT JOIN rummage.worker ON worker.id = site.worker
    LEFT JOIN rummage.open_finding AS finding ON finding.site = site.name
    GROUP BY site.name, worker.name;

CREATE VIEW rummage.external_host AS
    SELECT host, count(DISTINCT site) AS sites, count(DISTINCT target) AS targets,
           count(*) AS links, min(first_seen) AS first_seen
    FROM rummage.open_finding
    WHERE scope = 'external' AND verdict = 'broken'
    GROUP BY host;
