-- Of each page of a test, the buyers who brought most are found without reading all of them.
ALTER TABLE earnings ADD COLUMN page_id INTEGER NOT NULL DEFAULT 0;
UPDATE earnings SET page_id = coalesce((
  SELECT page_id FROM enrolments
  WHERE enrolments.visitor = earnings.visitor AND enrolments.test_id = earnings.test_id), 0);
CREATE INDEX earnings_by_size ON earnings (test_id, currency, page_id, earned);
