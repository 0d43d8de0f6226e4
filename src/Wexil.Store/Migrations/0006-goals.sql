-- What counts in a test besides reaching its goal step. A test whose main goal is another has it here.
CREATE TABLE goals (
  id INTEGER PRIMARY KEY,
  test_id INTEGER NOT NULL REFERENCES tests (id),
  key TEXT NOT NULL UNIQUE,
  is_main INTEGER NOT NULL,
  spec TEXT NOT NULL,
  created_at INTEGER NOT NULL,
  dropped_at INTEGER
);
CREATE INDEX goals_by_test ON goals (test_id);

-- What the owner was told before a test started.
CREATE TABLE test_ready (
  id INTEGER PRIMARY KEY,
  test_id INTEGER NOT NULL REFERENCES tests (id),
  what TEXT NOT NULL,
  good INTEGER,
  words TEXT NOT NULL
);
CREATE INDEX test_ready_by_test ON test_ready (test_id);

-- What the check of an outside page found, and when a visitor's browser last told of it.
CREATE TABLE page_checks (
  page_id INTEGER PRIMARY KEY REFERENCES pages (id),
  checked_at INTEGER NOT NULL,
  findings TEXT NOT NULL
);

-- Computed from the events, like the other tallies.
CREATE TABLE goals_met (
  visitor BLOB NOT NULL,
  goal_id INTEGER NOT NULL,
  times INTEGER NOT NULL,
  value INTEGER NOT NULL,
  PRIMARY KEY (visitor, goal_id)
) WITHOUT ROWID;
CREATE TABLE goal_tallies (
  goal_id INTEGER NOT NULL,
  phase_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  times INTEGER NOT NULL,
  value INTEGER NOT NULL,
  squares REAL NOT NULL,
  PRIMARY KEY (goal_id, phase_id, page_id)
) WITHOUT ROWID;

-- What is known of a visitor's first visit to a test (-1: came before this was kept), and which later steps were
-- reached after it: a bit each, by the step's number.
ALTER TABLE enrolments ADD COLUMN traits INTEGER NOT NULL DEFAULT -1;
ALTER TABLE enrolments ADD COLUMN path INTEGER NOT NULL DEFAULT 0;
CREATE TABLE path_tallies (
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  step_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  PRIMARY KEY (test_id, page_id, step_id)
) WITHOUT ROWID;
CREATE TABLE segment_tallies (
  test_id INTEGER NOT NULL,
  kind INTEGER NOT NULL,
  value INTEGER NOT NULL,
  phase_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, kind, value, phase_id, page_id)
) WITHOUT ROWID;

-- Conversions stand in the quarter of an hour in which their visitor came.
CREATE TABLE page_buckets (
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  bucket INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, page_id, bucket)
) WITHOUT ROWID;
INSERT INTO page_buckets
  SELECT test_id, page_id, at - at % 900000, count(*), count(converted_at) FROM enrolments
    WHERE phase_id IS NOT NULL GROUP BY 1, 2, 3;

-- How long visitors of a test stayed on the page that they were shown, and whether they did anything there.
CREATE TABLE stays (
  visitor BLOB NOT NULL,
  test_id INTEGER NOT NULL,
  milliseconds INTEGER NOT NULL,
  engaged INTEGER NOT NULL,
  PRIMARY KEY (visitor, test_id)
) WITHOUT ROWID;
CREATE TABLE stay_tallies (
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  engaged INTEGER NOT NULL,
  milliseconds INTEGER NOT NULL,
  PRIMARY KEY (test_id, page_id)
) WITHOUT ROWID;

-- SQLite tells the writer of changes only in tables whose rows are numbered, and the projector knows the owner's time
-- zone by heart.
CREATE TABLE settings_numbered (name TEXT PRIMARY KEY, value TEXT NOT NULL);
INSERT INTO settings_numbered SELECT name, value FROM settings;
DROP TABLE settings;
ALTER TABLE settings_numbered RENAME TO settings;

-- Links by which who looks after an outside site sees what has to be pasted there.
CREATE TABLE helper_links (
  id INTEGER PRIMARY KEY,
  funnel_id INTEGER NOT NULL REFERENCES funnels (id),
  token_hash BLOB NOT NULL UNIQUE,
  until INTEGER NOT NULL
);
