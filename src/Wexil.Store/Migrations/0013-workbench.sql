-- Numbers from elsewhere that the owner keeps: where in the workbench they stand, which says them all.
CREATE TABLE kept_numbers (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  address TEXT NOT NULL,
  kept_at INTEGER NOT NULL
);
