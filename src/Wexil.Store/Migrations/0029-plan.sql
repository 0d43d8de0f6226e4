-- Tests that start from now on are judged by the plan they start with; those that run end by the rule they began with.
ALTER TABLE tests ADD COLUMN is_planned INTEGER NOT NULL DEFAULT 0;
ALTER TABLE tests ADD COLUMN base_spread REAL;

-- What the last look of the plan saw.
ALTER TABLE looks ADD COLUMN end_difference REAL;
ALTER TABLE looks ADD COLUMN end_variance REAL;

-- How much of the plan was done when the page was first called better.
ALTER TABLE looks ADD COLUMN called REAL;

-- The way of each page through its plan, a few hundred points at most.
CREATE TABLE look_points (
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  on_money INTEGER NOT NULL,
  at INTEGER NOT NULL,
  progress REAL NOT NULL,
  evidence REAL NOT NULL,
  PRIMARY KEY (test_id, page_id, on_money, at)
) STRICT, WITHOUT ROWID;
