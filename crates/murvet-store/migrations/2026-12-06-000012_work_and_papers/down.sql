ALTER TABLE rig DROP COLUMN built;
ALTER TABLE rig DROP COLUMN builder;
ALTER TABLE action DROP COLUMN took;
ALTER TABLE action DROP COLUMN not_to_be_left;
ALTER TABLE action DROP COLUMN parts;
ALTER TABLE action DROP COLUMN own;
ALTER TABLE finding_event DROP CONSTRAINT finding_event_event;
ALTER TABLE finding_event ADD CONSTRAINT finding_event_event CHECK (event IN
    ('opened', 'repaired', 're-tested', 'accepted', 'deferred', 'removed'));
ALTER TABLE finding_event DROP COLUMN condition;
ALTER TABLE finding_event DROP COLUMN until;
DROP TABLE origin;
DROP TABLE price_list;
DROP TABLE referral_back;
DROP TABLE referral;
DROP TABLE work_text;
DROP TABLE licence;
