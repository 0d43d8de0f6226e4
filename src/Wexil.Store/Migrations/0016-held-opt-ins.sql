-- Opt-ins that look like a program's: kept apart until the owner takes them in or deletes them, and counted nowhere
-- before.
CREATE TABLE held_opt_ins (
  id INTEGER PRIMARY KEY,
  step_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  visitor BLOB NOT NULL,
  email TEXT NOT NULL,
  fields TEXT NOT NULL,
  at INTEGER NOT NULL
);
