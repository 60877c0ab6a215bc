ALTER TABLE customer DROP COLUMN language;
