-- What rehearsal visitors saw and did. It is no event, so that nothing of it is ever counted.
CREATE TABLE rehearsals (
  funnel_id INTEGER PRIMARY KEY REFERENCES funnels (id),
  started_at INTEGER NOT NULL,
  ended_at INTEGER
) STRICT;

CREATE TABLE rehearsal_visitors (
  visitor BLOB PRIMARY KEY,
  funnel_id INTEGER NOT NULL REFERENCES rehearsals (funnel_id),
  number INTEGER NOT NULL,
  device TEXT NOT NULL,
  -- Null while the visitor is under way, empty for one that came to the end.
  problem TEXT,
  UNIQUE (funnel_id, number)
) STRICT, WITHOUT ROWID;

-- Kind 0 is a request, the others are kinds of events. The step and the page of an event are those it was recorded for.
CREATE TABLE rehearsal_lines (
  id INTEGER PRIMARY KEY,
  visitor BLOB NOT NULL REFERENCES rehearsal_visitors (visitor),
  event_id BLOB UNIQUE,
  at INTEGER NOT NULL,
  kind INTEGER NOT NULL,
  step_id INTEGER,
  page_id INTEGER,
  data TEXT NOT NULL
) STRICT;

CREATE INDEX rehearsal_lines_of_visitor ON rehearsal_lines (visitor, id);
