-- Each service that something goes out to has a lane of its own; what is due in it, and what has not gone at all, is
-- found without reading the rest.
CREATE INDEX outgoing_by_lane ON outgoing (kind, step_id, source_id, next_at) WHERE next_at IS NOT NULL;
CREATE INDEX outgoing_unsent ON outgoing (next_at) WHERE done_at IS NULL;
