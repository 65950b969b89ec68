-- Whether instruments that are not there may be stood in for: off until the yard turns it on.
ALTER TABLE yard ADD COLUMN stand_ins INTEGER NOT NULL DEFAULT 0;
