-- A story is told in the order things happened, which is not always the order they were written down in.
CREATE INDEX event_by_happening ON event (boat_id, coalesce(body ->> '$.on', body ->> '$.done_at', at), id);
CREATE INDEX event_of_part_by_happening ON event (member_id, coalesce(body ->> '$.on', body ->> '$.done_at', at), id);
