-- How many backups stay in the yard's folder; nightly ones where they are wanted.
ALTER TABLE yard ADD COLUMN nightly INTEGER NOT NULL DEFAULT 0;
ALTER TABLE yard ADD COLUMN backups_kept INTEGER NOT NULL DEFAULT 7;
