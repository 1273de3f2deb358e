-- The third version: why an attempt did not count, what a link may have beside its
-- address, and how slowly a server was asked.

-- The address that was asked, where it was a hop of a chain with cookies.
ALTER TABLE attempt ADD COLUMN hop TEXT;
-- 1 where it failed while its host showed strain, and did not count.
ALTER TABLE attempt ADD COLUMN strained INTEGER NOT NULL DEFAULT 0;

-- 1 where a script acts on the element (role button or tab, aria-controls, onclick …).
ALTER TABLE mark ADD COLUMN scripted INTEGER NOT NULL DEFAULT 0;

-- How it showed: too-many, unavailable, failures, timeout, slow.
ALTER TABLE slowed ADD COLUMN strain TEXT NOT NULL DEFAULT 'slow';
-- Requests in flight at most, when it was asked most slowly.
ALTER TABLE slowed ADD COLUMN lowest INTEGER NOT NULL DEFAULT 1;
-- Least time between the starts of two requests then, in milliseconds.
ALTER TABLE slowed ADD COLUMN gap_ms INTEGER NOT NULL DEFAULT 0;

-- Links with a fault beside their address.
CREATE TABLE link_fault (
    run    INTEGER NOT NULL,
    target INTEGER NOT NULL, -- address
    page   INTEGER NOT NULL, -- address of the page that has the link; the target itself
                             -- where all links are meant that want something else than a page
    cause  TEXT NOT NULL,    -- wrong-type, mixed-content, placeholder
    PRIMARY KEY (run, target, page, cause)
) WITHOUT ROWID;
