-- Photographs told by hand are found again by their hash.
CREATE INDEX event_photo ON event (body ->> '$.photo', boat_id) WHERE kind = 'told';
