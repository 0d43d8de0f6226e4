-- What an ad network puts into its links, and how it is told what became of its clicks.
CREATE TABLE source_networks (
  source_id INTEGER PRIMARY KEY REFERENCES sources (id),
  click_part TEXT NOT NULL,
  cost_part TEXT NOT NULL,
  most_a_click INTEGER NOT NULL,
  postback TEXT NOT NULL,
  tells_opt_ins INTEGER NOT NULL,
  tells_sales INTEGER NOT NULL,
  since INTEGER NOT NULL
);

-- Computed from the events: each click once, by the network's own name for it.
CREATE TABLE ad_clicks (
  source_id INTEGER NOT NULL,
  click_id TEXT NOT NULL,
  visitor BLOB NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (source_id, click_id)
) WITHOUT ROWID;
CREATE INDEX ad_clicks_by_visitor ON ad_clicks (visitor, source_id, at);

-- In millionths of a unit, since a click may cost less than the smallest.
ALTER TABLE source_tallies ADD COLUMN told_cost INTEGER NOT NULL DEFAULT 0;
ALTER TABLE outgoing ADD COLUMN source_id INTEGER;
CREATE INDEX outgoing_by_source ON outgoing (source_id) WHERE source_id IS NOT NULL;

-- When visitors' browsers last told of an outside page, and when a page where a test begins last asked.
CREATE TABLE last_seen (what TEXT PRIMARY KEY, at INTEGER NOT NULL) WITHOUT ROWID;
