-- A test that checks a kept page, and whether it brings the page replaced back by itself.
ALTER TABLE tests ADD COLUMN check_of INTEGER REFERENCES tests (id);
ALTER TABLE tests ADD COLUMN takes_back INTEGER NOT NULL DEFAULT 0;

-- With how many pages a test was planned that is adjusted together with others; null for its own.
ALTER TABLE tests ADD COLUMN planned_pages INTEGER;
