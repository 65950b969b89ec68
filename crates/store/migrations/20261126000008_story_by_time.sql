-- A boat's map says when her story begins, and how she stood on a day: neither may grow with the story.
CREATE INDEX event_by_time ON event (boat_id, at);
