-- Version 9: pages have descriptions, and links titles (a flag of their contents that older versions
-- do not know).
ALTER TABLE page_version ADD COLUMN description TEXT;
