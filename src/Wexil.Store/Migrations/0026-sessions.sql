-- Who is signed in, since when and by what. The key itself is in the browser's cookie alone.
CREATE TABLE sessions (
  key_hash BLOB PRIMARY KEY,
  began_at INTEGER NOT NULL,
  seen_at INTEGER NOT NULL,
  browser TEXT NOT NULL,
  address TEXT NOT NULL,
  by_link INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
