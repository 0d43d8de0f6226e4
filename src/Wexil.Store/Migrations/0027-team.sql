-- Who works in Studio. The first is the owner, whose password was a setting before.
CREATE TABLE members (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL COLLATE NOCASE UNIQUE,
  role TEXT NOT NULL CHECK (role IN ('owner', 'marketer', 'viewer')),
  password_hash TEXT,
  joined_at INTEGER,
  code_secret TEXT,
  code_step INTEGER NOT NULL DEFAULT 0
) STRICT;

INSERT INTO members (id, name, role, password_hash)
SELECT 1, 'owner', 'owner', (SELECT value FROM settings WHERE name = 'owner-password');

DELETE FROM settings WHERE name = 'owner-password';

-- Each signs in once in place of a code of the telephone.
CREATE TABLE recovery_codes (
  code_hash BLOB PRIMARY KEY,
  member_id INTEGER NOT NULL REFERENCES members (id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;

CREATE TABLE invitations (
  token_hash BLOB PRIMARY KEY,
  role TEXT NOT NULL CHECK (role IN ('owner', 'marketer', 'viewer')),
  meant_for TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  until INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

ALTER TABLE sessions ADD COLUMN member_id INTEGER NOT NULL DEFAULT 1;

-- Who did what. Entries are only ever added.
CREATE TABLE audit_log (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  at INTEGER NOT NULL,
  who TEXT NOT NULL,
  deed TEXT NOT NULL,
  subject TEXT NOT NULL,
  link TEXT NOT NULL,
  address TEXT NOT NULL
) STRICT;

CREATE TRIGGER audit_log_is_not_changed BEFORE UPDATE ON audit_log
BEGIN
  SELECT RAISE(ABORT, 'The log is only added to.');
END;

CREATE TRIGGER audit_log_is_not_deleted BEFORE DELETE ON audit_log
BEGIN
  SELECT RAISE(ABORT, 'The log is only added to.');
END;
