-- Days from ordering to having; empty: nobody said.
ALTER TABLE store_item ADD COLUMN lead_days INTEGER CHECK (lead_days BETWEEN 0 AND 1000);
