-- What is kept of a visitor stands together, in order of the visitors' ids, which is the order of their coming: new
-- ones go to one place of the file and not to as many as there are steps and tests.
ALTER TABLE steps ADD COLUMN number INTEGER NOT NULL DEFAULT 0;
UPDATE steps SET number = (SELECT count(*) FROM steps o WHERE o.funnel_id = steps.funnel_id AND o.id < steps.id);

-- Which steps of a funnel a visitor has reached: a bit for each, by the step's number.
CREATE TABLE visitors (
  visitor BLOB NOT NULL,
  funnel_id INTEGER NOT NULL,
  source_id INTEGER NOT NULL,
  steps INTEGER NOT NULL,
  PRIMARY KEY (visitor, funnel_id)
) WITHOUT ROWID;
INSERT INTO visitors
  SELECT r.visitor, s.funnel_id, coalesce(a.source_id, 0), sum(1 << s.number)
  FROM reached r JOIN steps s ON s.id = r.step_id
    LEFT JOIN arrivals a ON a.funnel_id = s.funnel_id AND a.visitor = r.visitor
  WHERE s.number < 63 GROUP BY r.visitor, s.funnel_id;
-- Visitors from before sources were kept came by none.
INSERT INTO source_tallies
  SELECT v.funnel_id, 0, 0, count(*), 0, 0 FROM visitors v
  WHERE NOT EXISTS (SELECT 1 FROM arrivals a WHERE a.funnel_id = v.funnel_id AND a.visitor = v.visitor)
    GROUP BY v.funnel_id
  ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors;
DROP TABLE arrivals;
DROP TABLE reached;

CREATE TABLE places (
  visitor BLOB NOT NULL,
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  phase_id INTEGER,
  at INTEGER NOT NULL,
  converted_at INTEGER,
  closed INTEGER NOT NULL DEFAULT 0,
  apart INTEGER,
  PRIMARY KEY (visitor, test_id)
) WITHOUT ROWID;
INSERT INTO places SELECT visitor, test_id, page_id, phase_id, at, converted_at, closed, apart FROM enrolments
  ORDER BY visitor, test_id;
DROP TABLE enrolments;
ALTER TABLE places RENAME TO enrolments;
