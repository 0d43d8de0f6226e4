-- The rate of all pages together at the first look that saw enough, by which the expected one is corrected. Tests whose
-- pages have been compared already go on by the rate that they were compared with.
ALTER TABLE tests ADD COLUMN seen_rate REAL;
UPDATE tests SET seen_rate = base_rate WHERE decided_at IS NOT NULL OR id IN (SELECT test_id FROM looks);
