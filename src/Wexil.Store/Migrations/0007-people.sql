-- What the owner knows of people besides what they did. A person is an e-mail address, without regard to capitals.
CREATE TABLE people (
  email TEXT PRIMARY KEY COLLATE NOCASE,
  added_at INTEGER NOT NULL
);
CREATE TABLE person_tags (
  email TEXT NOT NULL COLLATE NOCASE,
  tag TEXT NOT NULL COLLATE NOCASE,
  PRIMARY KEY (email, tag)
) WITHOUT ROWID;
CREATE INDEX person_tags_by_tag ON person_tags (tag);

-- A tag that whoever saw a page of a test has by itself.
CREATE TABLE tag_rules (
  tag TEXT PRIMARY KEY COLLATE NOCASE,
  test_id INTEGER NOT NULL REFERENCES tests (id),
  page_id INTEGER NOT NULL REFERENCES pages (id)
);
CREATE INDEX orders_by_email ON orders (email) WHERE email <> '';
