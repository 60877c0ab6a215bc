DROP TABLE licence_withdrawn;
DELETE FROM work_text WHERE kind = 'begun';
ALTER TABLE work_text DROP CONSTRAINT work_text_kind;
ALTER TABLE work_text ADD CONSTRAINT work_text_kind_check CHECK (kind IN ('steps', 'day'));
