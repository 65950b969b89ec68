-- The highest strake under water at the stem and at the stern; null where it is as amidships (`waterline_strake`).
ALTER TABLE boat ADD COLUMN waterline_stem INTEGER;
ALTER TABLE boat ADD COLUMN waterline_stern INTEGER;
