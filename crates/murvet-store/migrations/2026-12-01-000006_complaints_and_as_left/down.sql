DROP TABLE left_as;
ALTER TABLE complaint DROP CONSTRAINT complaint_symptom;
ALTER TABLE complaint DROP COLUMN delay_minutes;
