ALTER TABLE rig DROP CONSTRAINT rig_profile;
ALTER TABLE finding_event DROP CONSTRAINT finding_event_event;
ALTER TABLE complaint_standing DROP CONSTRAINT complaint_standing_standing;
UPDATE complaint_standing SET standing = replace(standing, '-', ' ');
ALTER TABLE "override" DROP CONSTRAINT override_phase;
UPDATE "override" SET phase = CASE phase
    WHEN 'supply' THEN 'Supply, before plugging in'
    WHEN 'look' THEN 'Looked at and pulled'
    WHEN 'dead' THEN 'Everything dead'
    WHEN 'dc' THEN 'DC live'
    WHEN 'charging' THEN 'Charging, source by source'
    WHEN 'inverter' THEN 'On the inverter'
    WHEN 'generator' THEN 'On the generator'
    WHEN 'shore' THEN 'On shore'
    WHEN 'load' THEN 'Everything on together'
    WHEN 'close' THEN 'Closing up'
    ELSE phase END;
ALTER TABLE reading DROP CONSTRAINT reading_outcome;
UPDATE reading SET outcome = 'pass, but not as predicted' WHERE outcome = 'differs';
