-- A test that checks a kept page, and whether it brings the page replaced back by itself.
ALTER TABLE tests ADD COLUMN check_of INTEGER REFERENCES tests (id);
ALTER TABLE tests ADD COLUMN takes_back INTEGER NOT NULL DEFAULT 0;
