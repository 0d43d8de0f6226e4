-- A test is planned by the rule's own line, so that it finds what it says it finds. A running test keeps the plan it
-- began with: null for those of before.
ALTER TABLE tests ADD COLUMN plan_drift REAL;

-- The most of the plan that was done at a look; what was done stays done.
ALTER TABLE looks ADD COLUMN progress REAL NOT NULL DEFAULT 0;
UPDATE looks SET progress = coalesce((
  SELECT max(progress) FROM look_points
  WHERE look_points.test_id = looks.test_id AND look_points.page_id = looks.page_id
    AND look_points.on_money = looks.on_money), 0);
