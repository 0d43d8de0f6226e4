-- Which parameters of a link travel on: 'all', 'none', 'except a,b' or 'only a,b'. Steps that exist go on as they did.
ALTER TABLE steps ADD COLUMN carries TEXT NOT NULL DEFAULT 'except s';
UPDATE steps SET carries = CASE carries_query WHEN 0 THEN 'none' ELSE 'all' END;
ALTER TABLE steps DROP COLUMN carries_query;

-- Whether the test starts on the control's own page, and how long that page waits. Where such a page has asked, it
-- does.
ALTER TABLE steps ADD COLUMN starts_on_page INTEGER NOT NULL DEFAULT 0;
ALTER TABLE steps ADD COLUMN start_wait INTEGER NOT NULL DEFAULT 300;
UPDATE steps SET starts_on_page = 1 WHERE 'start:' || slug IN (SELECT what FROM last_seen);

-- Where an outside page leads by a redirect, as it was found last: visitors are seen there.
ALTER TABLE pages ADD COLUMN leads_to TEXT;

-- The pages that the owner chose to show by a link, by number with commas between; empty for all.
ALTER TABLE helper_links ADD COLUMN pages TEXT NOT NULL DEFAULT '';

-- Ids under which one browser was met on an outside site and here, found out when it went from one to the other.
CREATE TABLE same_browsers (
  id BLOB PRIMARY KEY,
  visitor BLOB NOT NULL
) WITHOUT ROWID;
