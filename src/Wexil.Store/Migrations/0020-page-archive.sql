-- Pages that are put away: they go on answering at their own address.
ALTER TABLE pages ADD COLUMN archived_at INTEGER;

-- Pages that a visitor was ever shown. Such a page is never deleted. Kept by the projector; a recount finds the same
-- ones again.
CREATE TABLE shown_pages (page_id INTEGER PRIMARY KEY);
INSERT INTO shown_pages SELECT DISTINCT page_id FROM events WHERE page_id > 0;
