-- What a test taught, in the owner's words.
ALTER TABLE tests ADD COLUMN learned TEXT NOT NULL DEFAULT '';

-- Links by which a report of a test is read without a sign-in; of the token only a hash is kept.
CREATE TABLE report_links (
  id INTEGER PRIMARY KEY,
  test_id INTEGER NOT NULL REFERENCES tests (id),
  token_hash BLOB NOT NULL UNIQUE,
  until INTEGER NOT NULL
);
CREATE INDEX report_links_by_test ON report_links (test_id);
