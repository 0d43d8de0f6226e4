-- A section is a part of a page that has versions. It is a step of its own, which has no link: it stands on the page of
-- another step, its host, and its pages are the versions.
ALTER TABLE steps ADD COLUMN host_id INTEGER REFERENCES steps (id);
CREATE INDEX steps_by_host ON steps (host_id) WHERE host_id IS NOT NULL;

-- Which versions a visitor sees of the sections of a step's pages: each test with the version, in the order of the
-- tests, and whether the visitor converted.
CREATE TABLE combinations (
  visitor BLOB NOT NULL,
  host_id INTEGER NOT NULL,
  places TEXT NOT NULL,
  converted INTEGER NOT NULL,
  PRIMARY KEY (visitor, host_id)
) STRICT, WITHOUT ROWID;

-- The same summed up, for so many combinations as are counted.
CREATE TABLE combination_tallies (
  host_id INTEGER NOT NULL,
  places TEXT NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (host_id, places)
) STRICT, WITHOUT ROWID;
