-- Whether somebody saw the joint at a plank's after end; where nobody did it is assumed. Joints that were moved or put in by hand were seen.
ALTER TABLE member ADD COLUMN to_seen INTEGER NOT NULL DEFAULT 0;
UPDATE member SET to_seen = 1 WHERE kind = 'plank' AND to_bay IS NOT NULL AND version > 1;
