DROP INDEX hand_over_of;
DROP TABLE visit_change;
ALTER TABLE visit DROP COLUMN withdrawn;
ALTER TABLE visit DROP COLUMN zone;
