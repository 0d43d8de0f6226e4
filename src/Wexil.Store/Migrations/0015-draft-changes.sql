-- Everything that was done to a draft in the order in which it was done, undoing included, so that an edit made in
-- another window is merged instead of lost, and one that is sent twice is made once. The newest few hundred are kept.
CREATE TABLE draft_changes (
  page_id INTEGER NOT NULL REFERENCES pages (id),
  revision INTEGER NOT NULL,
  token BLOB NOT NULL,
  start INTEGER NOT NULL,
  removed TEXT NOT NULL,
  inserted TEXT NOT NULL,
  PRIMARY KEY (page_id, revision)
) WITHOUT ROWID;
CREATE UNIQUE INDEX draft_changes_by_token ON draft_changes (page_id, token);

-- Edits of one sitting at one text are undone together.
ALTER TABLE draft_edits ADD COLUMN sitting BLOB;
