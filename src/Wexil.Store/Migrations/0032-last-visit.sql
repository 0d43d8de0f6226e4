-- When a visitor was last at a step of the funnel, in milliseconds: of several funnels with a page at one address, a
-- visitor is credited to the one that they came through last.
ALTER TABLE visitors ADD COLUMN last_at INTEGER NOT NULL DEFAULT 0;
CREATE TEMP TABLE last_visits AS
  SELECT e.visitor, s.funnel_id, max(e.at) AS last_at
  FROM events e JOIN steps s ON s.id = e.step_id
  WHERE e.kind IN (1, 2, 3) AND s.host_id IS NULL AND e.seq <= (SELECT mark FROM projection)
  GROUP BY e.visitor, s.funnel_id;
UPDATE visitors SET last_at = l.last_at
  FROM last_visits l
  WHERE l.visitor = visitors.visitor AND l.funnel_id = visitors.funnel_id;
DROP TABLE last_visits;
