-- What is asked by these is found without reading the rest, however much there is.
CREATE INDEX people_by_time ON people (added_at, email);
CREATE INDEX orders_by_currency ON orders (currency);
CREATE INDEX outgoing_by_step ON outgoing (step_id, source_id);
CREATE INDEX pair_tallies_by_other ON pair_tallies (other_test_id);
CREATE INDEX pages_by_parent ON pages (parent_id) WHERE parent_id IS NOT NULL;
CREATE INDEX pages_outside ON pages (step_id) WHERE outside IS NOT NULL;
CREATE INDEX tests_by_decision ON tests (decided_at);
CREATE INDEX tests_by_others ON tests (others_id) WHERE others_id IS NOT NULL;
CREATE INDEX tests_by_goal ON tests (goal_step_id);
