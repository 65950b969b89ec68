-- A plan that was taken back: its story stays, its coats are on no list.
ALTER TABLE plan ADD COLUMN withdrawn INTEGER NOT NULL DEFAULT 0;
