-- What was kept as it is printed is kept as a code, so that the words of a page can change and no decision reads them. What is no
-- code is refused from now on.
UPDATE reading SET outcome = 'differs' WHERE outcome = 'pass, but not as predicted';
ALTER TABLE reading ADD CONSTRAINT reading_outcome CHECK (outcome IN ('pass', 'differs', 'unsettled', 'fail'));

UPDATE "override" SET phase = CASE phase
    WHEN 'Supply, before plugging in' THEN 'supply'
    WHEN 'Looked at and pulled' THEN 'look'
    WHEN 'Everything dead' THEN 'dead'
    WHEN 'DC live' THEN 'dc'
    WHEN 'Charging, source by source' THEN 'charging'
    WHEN 'On the inverter' THEN 'inverter'
    WHEN 'On the generator' THEN 'generator'
    WHEN 'On shore' THEN 'shore'
    WHEN 'Everything on together' THEN 'load'
    WHEN 'Closing up' THEN 'close'
    ELSE phase END;
ALTER TABLE "override" ADD CONSTRAINT override_phase CHECK (phase IN
    ('supply', 'look', 'dead', 'dc', 'charging', 'inverter', 'generator', 'shore', 'load', 'close'));

UPDATE complaint_standing SET standing = replace(standing, ' ', '-');
ALTER TABLE complaint_standing ADD CONSTRAINT complaint_standing_standing CHECK (standing IN
    ('open', 'confirmed', 'not-found', 'done', 'not-reached'));

ALTER TABLE finding_event ADD CONSTRAINT finding_event_event CHECK (event IN
    ('opened', 'repaired', 're-tested', 'accepted', 'deferred', 'removed'));
ALTER TABLE rig ADD CONSTRAINT rig_profile CHECK (profile IN ('na-rv', 'eu-uk', 'au-nz'));
