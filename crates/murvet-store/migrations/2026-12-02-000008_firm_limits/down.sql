ALTER TABLE rig DROP CONSTRAINT rig_profile;
ALTER TABLE rig ADD CONSTRAINT rig_profile CHECK (profile IN ('na-rv', 'eu-uk', 'au-nz'));
DROP TABLE firm_limit;
