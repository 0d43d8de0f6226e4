-- A goal that is added while its test runs counts with the visitors who come from then on. Those that exist go on as
-- they did.
ALTER TABLE goals ADD COLUMN counts_from INTEGER NOT NULL DEFAULT 0;
