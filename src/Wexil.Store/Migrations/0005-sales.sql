-- Computed from the events, like the tallies: what every order brought, and whom it is credited to.
CREATE TABLE orders (
  order_id TEXT NOT NULL,
  currency TEXT NOT NULL,
  at INTEGER NOT NULL,
  sold INTEGER NOT NULL,
  refunded INTEGER NOT NULL,
  product TEXT NOT NULL,
  email TEXT NOT NULL,
  page_id INTEGER,
  channel TEXT NOT NULL,
  visitor BLOB,
  PRIMARY KEY (order_id, currency)
) WITHOUT ROWID;
CREATE INDEX orders_by_time ON orders (at);
CREATE INDEX orders_uncredited ON orders (order_id) WHERE visitor IS NULL;

-- What a visitor of a test brought it, so that squares can be kept right.
CREATE TABLE earnings (
  visitor BLOB NOT NULL,
  test_id INTEGER NOT NULL,
  currency TEXT NOT NULL,
  earned INTEGER NOT NULL,
  PRIMARY KEY (visitor, test_id, currency)
) WITHOUT ROWID;
CREATE TABLE money_tallies (
  test_id INTEGER NOT NULL,
  phase_id INTEGER NOT NULL,
  page_id INTEGER NOT NULL,
  currency TEXT NOT NULL,
  buyers INTEGER NOT NULL,
  orders INTEGER NOT NULL,
  earned INTEGER NOT NULL,
  squares REAL NOT NULL,
  PRIMARY KEY (test_id, phase_id, page_id, currency)
) WITHOUT ROWID;
-- As addresses are compared: without regard to capitals.
CREATE INDEX leads_by_email ON leads (email COLLATE NOCASE);

-- What the buyers whom a source sent brought the funnel.
CREATE TABLE source_money (
  funnel_id INTEGER NOT NULL,
  source_id INTEGER NOT NULL,
  currency TEXT NOT NULL,
  orders INTEGER NOT NULL,
  earned INTEGER NOT NULL,
  PRIMARY KEY (funnel_id, source_id, currency)
) WITHOUT ROWID;
