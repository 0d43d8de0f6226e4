-- Tests that start from now on are judged by the plan they start with; those that run end by the rule they began with.
ALTER TABLE tests ADD COLUMN is_planned INTEGER NOT NULL DEFAULT 0;
ALTER TABLE tests ADD COLUMN base_spread REAL;

-- What the last look of the plan saw.
ALTER TABLE looks ADD COLUMN end_difference REAL;
ALTER TABLE looks ADD COLUMN end_variance REAL;

-- How much of the plan was done when the page was first called better.
ALTER TABLE looks ADD COLUMN called REAL;
