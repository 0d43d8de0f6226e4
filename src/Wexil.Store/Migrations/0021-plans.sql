-- What is asked by these is found without reading the rest, however much there is.
CREATE INDEX people_by_time ON people (added_at, email);
CREATE INDEX orders_by_currency ON orders (currency);
CREATE INDEX outgoing_by_step ON outgoing (step_id, source_id);
CREATE INDEX pair_tallies_by_other ON pair_tallies (other_test_id);
