-- What the marketer makes.
CREATE TABLE settings (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;

CREATE TABLE funnels (
  id INTEGER PRIMARY KEY,
  slug TEXT NOT NULL UNIQUE,
  name TEXT NOT NULL,
  created_at INTEGER NOT NULL
);

CREATE TABLE steps (
  id INTEGER PRIMARY KEY,
  funnel_id INTEGER NOT NULL REFERENCES funnels (id),
  position INTEGER NOT NULL,
  kind TEXT NOT NULL,
  name TEXT NOT NULL,
  slug TEXT NOT NULL UNIQUE,
  page_id INTEGER REFERENCES pages (id),
  UNIQUE (funnel_id, position)
);

CREATE TABLE pages (
  id INTEGER PRIMARY KEY,
  step_id INTEGER NOT NULL REFERENCES steps (id),
  slug TEXT NOT NULL UNIQUE,
  name TEXT NOT NULL,
  outside TEXT,
  entry TEXT,
  parent_id INTEGER REFERENCES pages (id),
  revision INTEGER NOT NULL DEFAULT 1,
  created_at INTEGER NOT NULL,
  changed_at INTEGER NOT NULL,
  CHECK ((outside IS NULL) <> (entry IS NULL))
);
CREATE INDEX pages_by_step ON pages (step_id);

CREATE TABLE assets (hash BLOB PRIMARY KEY, content BLOB NOT NULL);

CREATE TABLE page_files (
  page_id INTEGER NOT NULL REFERENCES pages (id),
  path TEXT NOT NULL,
  hash BLOB NOT NULL REFERENCES assets (hash),
  PRIMARY KEY (page_id, path)
) WITHOUT ROWID;

CREATE TABLE tests (
  id INTEGER PRIMARY KEY,
  step_id INTEGER NOT NULL REFERENCES steps (id),
  goal_step_id INTEGER NOT NULL REFERENCES steps (id),
  name TEXT NOT NULL,
  idea TEXT NOT NULL,
  base_rate REAL NOT NULL,
  smallest_lift REAL NOT NULL,
  started_at INTEGER NOT NULL,
  decided_at INTEGER
);
CREATE UNIQUE INDEX one_running_test_a_step ON tests (step_id) WHERE decided_at IS NULL;

CREATE TABLE test_pages (
  test_id INTEGER NOT NULL REFERENCES tests (id),
  position INTEGER NOT NULL,
  page_id INTEGER NOT NULL REFERENCES pages (id),
  PRIMARY KEY (test_id, position),
  UNIQUE (test_id, page_id)
) WITHOUT ROWID;

CREATE TABLE phases (
  id INTEGER PRIMARY KEY,
  test_id INTEGER NOT NULL REFERENCES tests (id),
  weights TEXT NOT NULL,
  reason TEXT NOT NULL,
  started_at INTEGER NOT NULL,
  ended_at INTEGER
);
CREATE INDEX phases_by_test ON phases (test_id);

CREATE TABLE verdicts (
  id INTEGER PRIMARY KEY,
  test_id INTEGER NOT NULL REFERENCES tests (id),
  page_id INTEGER NOT NULL REFERENCES pages (id),
  page_before_id INTEGER REFERENCES pages (id),
  kept_by TEXT NOT NULL,
  kept_at INTEGER NOT NULL,
  sentence TEXT NOT NULL,
  evidence TEXT NOT NULL,
  taken_back_at INTEGER
);
CREATE INDEX verdicts_by_test ON verdicts (test_id);

-- What visitors did. Only ever appended to; everything below is computed from it and can be computed again.
CREATE TABLE events (
  seq INTEGER PRIMARY KEY,
  id BLOB NOT NULL UNIQUE,
  at INTEGER NOT NULL,
  kind INTEGER NOT NULL,
  visitor BLOB NOT NULL,
  step_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  test_id INTEGER,
  phase_id INTEGER,
  data TEXT
);

CREATE TABLE projection (mark INTEGER NOT NULL);
INSERT INTO projection VALUES (0);

CREATE TABLE reached (
  step_id INTEGER NOT NULL,
  visitor BLOB NOT NULL,
  PRIMARY KEY (step_id, visitor)
) WITHOUT ROWID;

CREATE TABLE enrolments (
  test_id INTEGER NOT NULL,
  visitor BLOB NOT NULL,
  page_id INTEGER NOT NULL,
  phase_id INTEGER,
  at INTEGER NOT NULL,
  converted_at INTEGER,
  closed INTEGER NOT NULL DEFAULT 0,
  PRIMARY KEY (test_id, visitor)
) WITHOUT ROWID;

CREATE TABLE step_tallies (step_id INTEGER PRIMARY KEY, visitors INTEGER NOT NULL);

CREATE TABLE step_buckets (
  step_id INTEGER NOT NULL,
  bucket INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  PRIMARY KEY (step_id, bucket)
) WITHOUT ROWID;

CREATE TABLE test_tallies (
  test_id INTEGER NOT NULL,
  phase_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, phase_id, page_id)
) WITHOUT ROWID;

CREATE TABLE test_buckets (
  test_id INTEGER NOT NULL,
  bucket INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, bucket)
) WITHOUT ROWID;

CREATE TABLE test_silences (
  test_id INTEGER PRIMARY KEY,
  last_conversion_at INTEGER,
  visitors_since INTEGER NOT NULL
);

CREATE TABLE leads (
  event_id BLOB PRIMARY KEY,
  at INTEGER NOT NULL,
  email TEXT NOT NULL,
  page_id INTEGER NOT NULL,
  visitor BLOB NOT NULL
) WITHOUT ROWID;
CREATE INDEX leads_by_time ON leads (at);
