-- The language in which a customer reads; without one that of the region of the rig.
ALTER TABLE customer ADD COLUMN language TEXT CHECK (language ~ '^[a-z]{2}(-[A-Z]{2})?$');
