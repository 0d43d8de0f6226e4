-- What visitors did whose visits are not kept any more, as it was counted: counting again starts from it. Each table is
-- as the one that it is named for.
CREATE TABLE sealed_step_tallies (
  step_id INTEGER PRIMARY KEY,
  visitors INTEGER NOT NULL
) STRICT;

CREATE TABLE sealed_step_buckets (
  step_id INTEGER NOT NULL,
  bucket INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  PRIMARY KEY (step_id, bucket)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_step_days (
  step_id INTEGER NOT NULL,
  day INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  PRIMARY KEY (step_id, day)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_test_tallies (
  test_id INTEGER NOT NULL,
  phase_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, phase_id, page_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_test_buckets (
  test_id INTEGER NOT NULL,
  bucket INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, bucket)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_test_days (
  test_id INTEGER NOT NULL,
  day INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, day)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_source_tallies (
  funnel_id INTEGER NOT NULL,
  source_id INTEGER NOT NULL,
  clicks INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  opt_ins INTEGER NOT NULL,
  sales INTEGER NOT NULL,
  told_cost INTEGER NOT NULL,
  PRIMARY KEY (funnel_id, source_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_apart_tallies (
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  reason INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, page_id, reason)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_pair_tallies (
  test_id INTEGER NOT NULL,
  other_test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  other_page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  earned INTEGER NOT NULL,
  PRIMARY KEY (test_id, other_test_id, page_id, other_page_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_left_out (
  step_id INTEGER NOT NULL,
  reason INTEGER NOT NULL,
  visits INTEGER NOT NULL,
  PRIMARY KEY (step_id, reason)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_goal_tallies (
  goal_id INTEGER NOT NULL,
  phase_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  times INTEGER NOT NULL,
  value INTEGER NOT NULL,
  squares REAL NOT NULL,
  PRIMARY KEY (goal_id, phase_id, page_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_path_tallies (
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  step_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  PRIMARY KEY (test_id, page_id, step_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_segment_tallies (
  test_id INTEGER NOT NULL,
  kind INTEGER NOT NULL,
  value INTEGER NOT NULL,
  phase_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  earned INTEGER NOT NULL,
  squares REAL NOT NULL,
  PRIMARY KEY (test_id, kind, value, phase_id, page_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_page_buckets (
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  bucket INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  earned INTEGER NOT NULL,
  squares REAL NOT NULL,
  PRIMARY KEY (test_id, page_id, bucket)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_stay_tallies (
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  engaged INTEGER NOT NULL,
  milliseconds INTEGER NOT NULL,
  PRIMARY KEY (test_id, page_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE sealed_combination_tallies (
  host_id INTEGER NOT NULL,
  places TEXT NOT NULL,
  visitors INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (host_id, places)
) STRICT, WITHOUT ROWID;

-- Up to when visits were thinned, and how many visitors and events that was so far.
CREATE TABLE seal (
  until INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  events INTEGER NOT NULL
) STRICT;
INSERT INTO seal VALUES (0, 0, 0);

-- A click is counted once, whoever comes by it again: its number stays, of nobody.
ALTER TABLE ad_clicks ADD COLUMN sealed INTEGER NOT NULL DEFAULT 0;
