-- What an order is credited to stands with it: to look it up among millions of visitors took most of the time that the
-- ledger's totals needed. The source is null where the buyer is no visitor who counts.
ALTER TABLE orders ADD COLUMN source_id INTEGER;
UPDATE orders SET source_id = (
  SELECT v.source_id FROM visitors v WHERE v.visitor = orders.visitor ORDER BY v.funnel_id LIMIT 1);

-- The pages of tests that the buyer was shown.
CREATE TABLE order_tests (
  order_id TEXT NOT NULL,
  currency TEXT NOT NULL,
  test_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  PRIMARY KEY (order_id, currency, test_id)
) STRICT, WITHOUT ROWID;
-- Of a buyer who saw another page between two orders only the earlier orders are credited.
INSERT INTO order_tests
  SELECT order_id, currency, test_id, page_id
  FROM (
    SELECT o.order_id, o.currency, n.test_id, n.page_id, e.orders,
      row_number() OVER (PARTITION BY o.visitor, n.test_id, o.counted_in ORDER BY o.at, o.order_id) number
    FROM orders o JOIN enrolments n ON n.visitor = o.visitor AND n.at <= o.at AND n.phase_id IS NOT NULL
      JOIN earnings e ON e.visitor = o.visitor AND e.test_id = n.test_id AND e.currency = o.counted_in
    WHERE o.sold > 0 AND EXISTS (SELECT 1 FROM phases p
      WHERE p.test_id = n.test_id AND p.started_at <= o.at AND o.at < coalesce(p.ended_at, o.at + 1)))
  WHERE number <= orders;

-- Orders of visitors who do not count so far.
CREATE INDEX orders_uncounted ON orders (visitor) WHERE source_id IS NULL AND visitor IS NOT NULL;

-- All that the ledger's totals need, in order of time.
CREATE INDEX orders_ledger ON orders (at, counted_in, worth, sold, refunded, visitor, source_id, page_id, product);
DROP INDEX orders_by_time;
