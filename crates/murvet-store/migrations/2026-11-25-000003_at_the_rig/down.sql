DROP TABLE photograph, "override";
DROP INDEX reading_by_client;
ALTER TABLE reading DROP COLUMN client;
