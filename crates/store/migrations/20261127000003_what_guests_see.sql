-- Whether a guest sees hours and costs, and who booked them.
ALTER TABLE yard ADD COLUMN guests_see_costs INTEGER NOT NULL DEFAULT 0;
