-- Versions of two sections on one step's pages that are never shown together. The lower id comes first.
CREATE TABLE excluded_pairs (
  first_id INTEGER NOT NULL REFERENCES pages (id),
  second_id INTEGER NOT NULL REFERENCES pages (id),
  PRIMARY KEY (first_id, second_id)
) STRICT, WITHOUT ROWID;
