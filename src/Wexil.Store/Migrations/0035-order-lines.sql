-- What an order brought by product: it can hold several, such as an upsell. The lines' shares add up to what is left
-- of the order, in the currency that it is counted in.
CREATE TABLE order_lines (
  order_id TEXT NOT NULL,
  currency TEXT NOT NULL,
  number INTEGER NOT NULL,
  product TEXT NOT NULL,
  sold INTEGER NOT NULL,
  refunded INTEGER NOT NULL,
  page_id INTEGER,
  counted INTEGER NOT NULL,
  PRIMARY KEY (order_id, currency, number)
) STRICT, WITHOUT ROWID;

WITH told AS (
  SELECT seq, iif(page_id = 0, NULL, seq) page_seq, json_extract(data, '$.Order') order_id,
    json_extract(data, '$.Currency') currency, json_extract(data, '$.Kind') kind,
    json_extract(data, '$.Amount') amount, coalesce(json_extract(data, '$.Product'), '') product
  FROM events
  WHERE kind = 6
),
lines AS (
  SELECT order_id, currency, lower(product) alike, min(seq) seq, min(page_seq) page_seq,
    sum(iif(kind = 'Sale', amount, 0)) sold, sum(iif(kind = 'Sale', 0, amount)) refunded
  FROM told
  WHERE kind = 'Sale' OR product <> ''
  GROUP BY order_id, currency, alike
),
left_of AS (
  SELECT *, row_number() OVER whole number, sum(max(0, sold - refunded)) OVER whole until,
    sum(max(0, sold - refunded)) OVER (PARTITION BY order_id, currency) whole
  FROM lines
  WINDOW whole AS (PARTITION BY order_id, currency ORDER BY seq)
)
INSERT INTO order_lines
SELECT l.order_id, l.currency, l.number,
  (SELECT coalesce(json_extract(data, '$.Product'), '') FROM events WHERE seq = l.seq), l.sold, l.refunded,
  (SELECT page_id FROM events WHERE seq = l.page_seq),
  iif(l.whole = 0, 0,
    CAST(round(1.0 * coalesce(o.worth, max(0, o.sold - o.refunded)) * l.until / l.whole) AS INTEGER)
    - CAST(round(1.0 * coalesce(o.worth, max(0, o.sold - o.refunded)) * (l.until - max(0, l.sold - l.refunded))
      / l.whole) AS INTEGER))
FROM left_of l
JOIN orders o ON o.order_id = l.order_id AND o.currency = l.currency;

-- The order's product was that of its first line.
DROP INDEX orders_ledger;
ALTER TABLE orders DROP COLUMN product;
CREATE INDEX orders_ledger ON orders (at, counted_in, worth, sold, refunded, visitor, source_id, page_id);
