-- Who takes part in a test, how its pages take turns, and when it runs. A test may start in the future: its phase then
-- begins there.
ALTER TABLE tests ADD COLUMN weights TEXT NOT NULL DEFAULT '';
UPDATE tests SET weights = (SELECT weights FROM phases p WHERE p.test_id = tests.id ORDER BY p.id DESC LIMIT 1);
ALTER TABLE tests ADD COLUMN turns TEXT NOT NULL DEFAULT 'Chance';
ALTER TABLE tests ADD COLUMN share INTEGER NOT NULL DEFAULT 100;
ALTER TABLE tests ADD COLUMN audience TEXT NOT NULL DEFAULT '';
ALTER TABLE tests ADD COLUMN others_id INTEGER REFERENCES pages (id);
ALTER TABLE tests ADD COLUMN rests_failing INTEGER NOT NULL DEFAULT 0;
ALTER TABLE tests ADD COLUMN paused_at INTEGER;
ALTER TABLE tests ADD COLUMN ends_at INTEGER;
CREATE INDEX tests_by_step ON tests (step_id);
ALTER TABLE test_pages ADD COLUMN closed_to_affiliates INTEGER NOT NULL DEFAULT 0;
ALTER TABLE test_pages ADD COLUMN rests INTEGER NOT NULL DEFAULT 0;

-- Who changed what of a test, and when.
CREATE TABLE test_changes (
  id INTEGER PRIMARY KEY,
  test_id INTEGER NOT NULL REFERENCES tests (id),
  at INTEGER NOT NULL,
  who TEXT NOT NULL,
  what TEXT NOT NULL
);
CREATE INDEX test_changes_by_test ON test_changes (test_id);
INSERT INTO test_changes (test_id, at, who, what) SELECT test_id, started_at, 'owner', reason FROM phases ORDER BY id;

ALTER TABLE steps ADD COLUMN carries_query INTEGER NOT NULL DEFAULT 1;
ALTER TABLE steps ADD COLUMN redirects INTEGER NOT NULL DEFAULT 0;
ALTER TABLE funnels ADD COLUMN sale_worth INTEGER;

-- Where visitors come from. A tag that nobody made known is kept too, up to a number.
CREATE TABLE sources (
  id INTEGER PRIMARY KEY,
  funnel_id INTEGER NOT NULL REFERENCES funnels (id),
  tag TEXT NOT NULL,
  name TEXT NOT NULL,
  kind TEXT NOT NULL,
  click_cost INTEGER,
  declared INTEGER NOT NULL,
  UNIQUE (funnel_id, tag)
);
CREATE TABLE source_ties (
  source_id INTEGER NOT NULL REFERENCES sources (id),
  step_id INTEGER NOT NULL REFERENCES steps (id),
  page_id INTEGER NOT NULL REFERENCES pages (id),
  PRIMARY KEY (source_id, step_id)
) WITHOUT ROWID;
CREATE TABLE source_costs (
  source_id INTEGER NOT NULL REFERENCES sources (id),
  day TEXT NOT NULL,
  amount INTEGER NOT NULL,
  PRIMARY KEY (source_id, day)
) WITHOUT ROWID;

-- When outside pages were looked at.
CREATE TABLE page_watch (
  page_id INTEGER PRIMARY KEY REFERENCES pages (id),
  looked_at INTEGER NOT NULL,
  failures INTEGER NOT NULL,
  problem TEXT,
  down_since INTEGER
);

-- Computed from the events, like the other tallies. Source 0 is none, -1 all those past the number that is kept apart.
CREATE TABLE arrivals (
  funnel_id INTEGER NOT NULL,
  visitor BLOB NOT NULL,
  source_id INTEGER NOT NULL,
  PRIMARY KEY (funnel_id, visitor)
) WITHOUT ROWID;
CREATE TABLE source_tallies (
  funnel_id INTEGER NOT NULL,
  source_id INTEGER NOT NULL,
  clicks INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  opt_ins INTEGER NOT NULL,
  sales INTEGER NOT NULL,
  PRIMARY KEY (funnel_id, source_id)
) WITHOUT ROWID;
ALTER TABLE enrolments ADD COLUMN apart INTEGER;
CREATE TABLE apart_tallies (
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  reason INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, page_id, reason)
) WITHOUT ROWID;
CREATE TABLE pair_tallies (
  test_id INTEGER NOT NULL,
  other_test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  other_page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, other_test_id, page_id, other_page_id)
) WITHOUT ROWID;
CREATE TABLE left_out (
  step_id INTEGER NOT NULL,
  reason INTEGER NOT NULL,
  visits INTEGER NOT NULL,
  PRIMARY KEY (step_id, reason)
) WITHOUT ROWID;
