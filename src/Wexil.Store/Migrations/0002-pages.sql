-- What a page is made of, by version: 0 holds what was added since the last publishing, any other what was published
-- under that number.
CREATE TABLE page_versions (
  page_id INTEGER NOT NULL REFERENCES pages (id),
  version INTEGER NOT NULL,
  published_at INTEGER NOT NULL,
  note TEXT NOT NULL,
  PRIMARY KEY (page_id, version)
) WITHOUT ROWID;
INSERT INTO page_versions SELECT id, revision, changed_at, 'As it was' FROM pages WHERE entry IS NOT NULL;

CREATE TABLE version_files (
  page_id INTEGER NOT NULL REFERENCES pages (id),
  version INTEGER NOT NULL,
  path TEXT NOT NULL,
  hash BLOB NOT NULL REFERENCES assets (hash),
  PRIMARY KEY (page_id, version, path)
) WITHOUT ROWID;
INSERT INTO version_files SELECT f.page_id, p.revision, f.path, f.hash FROM page_files f
  JOIN pages p ON p.id = f.page_id;
CREATE INDEX version_files_by_hash ON version_files (hash);
DROP TABLE page_files;

-- The version of the parent whose changes a clone has all seen.
ALTER TABLE pages ADD COLUMN parent_version INTEGER;
UPDATE pages SET parent_version = (SELECT revision FROM pages p WHERE p.id = pages.parent_id)
  WHERE parent_id IS NOT NULL;
ALTER TABLE pages ADD COLUMN indexed INTEGER NOT NULL DEFAULT 0;

-- A source that is being worked on, and each step that led to it, so that all can be undone and done again.
CREATE TABLE drafts (
  page_id INTEGER PRIMARY KEY REFERENCES pages (id),
  source TEXT NOT NULL,
  hash BLOB NOT NULL,
  position INTEGER NOT NULL
);
CREATE TABLE draft_edits (
  page_id INTEGER NOT NULL REFERENCES pages (id),
  position INTEGER NOT NULL,
  label TEXT NOT NULL,
  start INTEGER NOT NULL,
  removed TEXT NOT NULL,
  inserted TEXT NOT NULL,
  PRIMARY KEY (page_id, position)
) WITHOUT ROWID;

-- Where a yes and a no lead when the owner says otherwise than the order does; and steps that are put away.
ALTER TABLE steps ADD COLUMN yes_id INTEGER REFERENCES steps (id);
ALTER TABLE steps ADD COLUMN no_id INTEGER REFERENCES steps (id);
ALTER TABLE steps ADD COLUMN archived_at INTEGER;
ALTER TABLE steps ADD COLUMN forward TEXT;
ALTER TABLE funnels ADD COLUMN archived_at INTEGER;
