-- The second version: style sheets, sitemaps and robots.txt are read as well as
-- pages, and why a page was not read is told.

-- As what it was read: html, xhtml, css, sitemap, robots.
ALTER TABLE page_version ADD COLUMN format TEXT NOT NULL DEFAULT 'html';
-- In which it is written, and queries on it are (Encoding, "names").
ALTER TABLE page_version ADD COLUMN encoding TEXT NOT NULL DEFAULT 'UTF-8';
-- 1 where it is not what it should be, such as a sitemap that is no XML.
ALTER TABLE page_version ADD COLUMN faulty INTEGER NOT NULL DEFAULT 0;
-- 1 where it has scripts.
ALTER TABLE page_version ADD COLUMN scripted INTEGER NOT NULL DEFAULT 0;
-- Hashes of its text, where they were made.
ALTER TABLE page_version ADD COLUMN sketch BLOB;
-- The text of robots.txt.
ALTER TABLE page_version ADD COLUMN rules TEXT;

-- Why a page of the site was asked, but not read: depth, within, robots.
ALTER TABLE verdict ADD COLUMN not_read TEXT;
UPDATE verdict SET not_read = 'depth' WHERE unread;
ALTER TABLE verdict DROP COLUMN unread;

-- What there is to know of a run beside its links.
CREATE TABLE note (
    run     INTEGER NOT NULL,
    kind    TEXT NOT NULL,    -- drawn-by-script, robots-unknown, crawl-delay, sitemap-missing, sitemap-faulty, trap
    address INTEGER NOT NULL,
    detail  TEXT NOT NULL,    -- as JSON
    PRIMARY KEY (run, kind, address, detail)
) WITHOUT ROWID;
