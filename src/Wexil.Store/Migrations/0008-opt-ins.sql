-- What becomes of a step's opt-ins: forwarded to a mail service, asked for a confirmation. Opt-ins from before it was
-- set are left alone.
CREATE TABLE opt_in_settings (
  step_id INTEGER PRIMARY KEY REFERENCES steps (id),
  forward_to TEXT NOT NULL,
  fields TEXT NOT NULL,
  forwards_since INTEGER,
  subject TEXT NOT NULL,
  words TEXT NOT NULL,
  confirms_since INTEGER
);

-- What goes out, each once, however often the events are counted again.
CREATE TABLE outgoing (
  id INTEGER PRIMARY KEY,
  cause BLOB NOT NULL,
  kind INTEGER NOT NULL,
  step_id INTEGER NOT NULL,
  email TEXT NOT NULL COLLATE NOCASE,
  fields TEXT NOT NULL,
  tries INTEGER NOT NULL DEFAULT 0,
  next_at INTEGER,
  done_at INTEGER,
  problem TEXT,
  UNIQUE (cause, kind)
);
CREATE INDEX outgoing_waiting ON outgoing (next_at) WHERE next_at IS NOT NULL;
CREATE INDEX outgoing_by_email ON outgoing (email);
ALTER TABLE leads ADD COLUMN fields TEXT NOT NULL DEFAULT '';
ALTER TABLE leads ADD COLUMN confirmed_at INTEGER;
