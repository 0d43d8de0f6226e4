-- By what a test is judged and when a page is kept by itself, what a visitor was expected to bring, and the least that
-- a page gets while weights follow the evidence.
ALTER TABLE tests ADD COLUMN rule TEXT NOT NULL DEFAULT '';
ALTER TABLE tests ADD COLUMN base_earned REAL;
ALTER TABLE tests ADD COLUMN lean_floor INTEGER NOT NULL DEFAULT 5;

-- The smallest always-valid p of the looks so far, while the page was ahead of the control and while it was behind; by
-- the goal and by money.
CREATE TABLE looks (
  test_id INTEGER NOT NULL REFERENCES tests (id),
  page_id INTEGER NOT NULL,
  on_money INTEGER NOT NULL,
  ahead REAL NOT NULL,
  behind REAL NOT NULL,
  PRIMARY KEY (test_id, page_id, on_money)
) WITHOUT ROWID;

-- How a test stood at the last look, so that the owner is told of what changed only.
CREATE TABLE last_looks (
  test_id INTEGER PRIMARY KEY REFERENCES tests (id),
  at INTEGER NOT NULL,
  stood TEXT NOT NULL
);

-- When the owner was last told about something.
CREATE TABLE told_owner (about TEXT PRIMARY KEY, at INTEGER NOT NULL) WITHOUT ROWID;
