-- Whether a practice hull is worked with the coach, who tells of wrong steps, or as an exam.
ALTER TABLE practice_hull ADD COLUMN coached INTEGER NOT NULL DEFAULT 0;
