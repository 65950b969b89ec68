-- People who may sign in no more, and boats that left the yard: what was told of them stays.
ALTER TABLE account ADD COLUMN removed INTEGER NOT NULL DEFAULT 0;
ALTER TABLE boat ADD COLUMN archived INTEGER NOT NULL DEFAULT 0;
ALTER TABLE boat ADD COLUMN owner TEXT NOT NULL DEFAULT '';
