-- Tasks that people change, split, join, put in another order and add by hand.
ALTER TABLE task ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
ALTER TABLE task ADD COLUMN own INTEGER NOT NULL DEFAULT 0;                      -- added by hand
