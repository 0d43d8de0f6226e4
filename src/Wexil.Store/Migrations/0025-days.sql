-- The quarter hours summed up by days of universal time, so that a week of a thousand steps is some thousand rows.
CREATE TABLE step_days (
  step_id INTEGER NOT NULL,
  day INTEGER NOT NULL,
  visitors INTEGER NOT NULL,
  PRIMARY KEY (step_id, day)
) STRICT, WITHOUT ROWID;
INSERT INTO step_days
  SELECT step_id, bucket - bucket % 86400000, sum(visitors) FROM step_buckets GROUP BY 1, 2;

CREATE TABLE test_days (
  test_id INTEGER NOT NULL,
  day INTEGER NOT NULL,
  conversions INTEGER NOT NULL,
  PRIMARY KEY (test_id, day)
) STRICT, WITHOUT ROWID;
INSERT INTO test_days
  SELECT test_id, bucket - bucket % 86400000, sum(conversions) FROM test_buckets GROUP BY 1, 2;

-- A person's orders are found without reading the others.
CREATE INDEX orders_by_visitor ON orders (visitor) WHERE visitor IS NOT NULL;

-- A search by a part of the address or by a page reads this index, and rows only for what it finds.
DROP INDEX leads_by_time;
CREATE INDEX leads_by_time ON leads (at, event_id, email, page_id);
