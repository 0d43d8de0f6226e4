-- What one unit of a currency was worth in the owner's from a day on.
CREATE TABLE rates (
  id INTEGER PRIMARY KEY,
  currency TEXT NOT NULL,
  own TEXT NOT NULL,
  since TEXT NOT NULL,
  worth TEXT NOT NULL,
  UNIQUE (currency, own, since)
);

-- In which currency an order is counted, and what it is worth in the owner's; null where no rate is known.
ALTER TABLE orders ADD COLUMN counted_in TEXT NOT NULL DEFAULT '';
ALTER TABLE orders ADD COLUMN worth INTEGER;
UPDATE orders SET counted_in = currency;
UPDATE orders SET worth = max(0, sold - refunded)
  WHERE currency = coalesce((SELECT value FROM settings WHERE name = 'currency'), 'USD');
CREATE INDEX orders_unvalued ON orders (currency) WHERE worth IS NULL;

ALTER TABLE earnings ADD COLUMN orders INTEGER NOT NULL DEFAULT 0;
UPDATE earnings SET orders = (
  SELECT count(*) FROM orders o JOIN enrolments n ON n.visitor = o.visitor AND n.at <= o.at
  WHERE o.visitor = earnings.visitor AND n.test_id = earnings.test_id AND o.currency = earnings.currency
    AND o.sold > 0);

-- Money in the owner's currency by time, by who came, and by pairs of pages. Money stands in the quarter of an hour in
-- which its visitor came.
ALTER TABLE page_buckets ADD COLUMN earned INTEGER NOT NULL DEFAULT 0;
ALTER TABLE page_buckets ADD COLUMN squares REAL NOT NULL DEFAULT 0;
ALTER TABLE segment_tallies ADD COLUMN earned INTEGER NOT NULL DEFAULT 0;
ALTER TABLE segment_tallies ADD COLUMN squares REAL NOT NULL DEFAULT 0;
ALTER TABLE pair_tallies ADD COLUMN earned INTEGER NOT NULL DEFAULT 0;

CREATE TEMP TABLE own_earnings AS
  SELECT n.visitor, n.test_id, n.phase_id, n.page_id, n.at, n.traits, e.earned
  FROM earnings e JOIN enrolments n ON n.visitor = e.visitor AND n.test_id = e.test_id
  WHERE n.phase_id IS NOT NULL AND e.currency = coalesce((SELECT value FROM settings WHERE name = 'currency'), 'USD');
INSERT INTO page_buckets (test_id, page_id, bucket, visitors, conversions, earned, squares)
  SELECT test_id, page_id, at - at % 900000, 0, 0, sum(earned), sum(1.0 * earned * earned) FROM own_earnings
    GROUP BY 1, 2, 3
  ON CONFLICT DO UPDATE SET earned = excluded.earned, squares = excluded.squares;
INSERT INTO segment_tallies (test_id, kind, value, phase_id, page_id, visitors, conversions, earned, squares)
  SELECT test_id, kind, value, phase_id, page_id, 0, 0, sum(earned), sum(1.0 * earned * earned) FROM (
    SELECT *, 0 AS kind, traits & 63 AS value FROM own_earnings WHERE traits >= 0
    UNION ALL SELECT *, 3, (traits >> 6) & 65535 FROM own_earnings WHERE traits >= 0
    UNION ALL SELECT *, 2, (traits >> 22) - 1 FROM own_earnings WHERE traits >= 0)
  GROUP BY 1, 2, 3, 4, 5
  ON CONFLICT DO UPDATE SET earned = excluded.earned, squares = excluded.squares;
DROP TABLE own_earnings;

-- By what a goal that counts once was met, so that of two meetings the earlier counts, whichever is told first.
ALTER TABLE goals_met ADD COLUMN cause TEXT NOT NULL DEFAULT '';
ALTER TABLE goals_met ADD COLUMN at INTEGER NOT NULL DEFAULT 0;
