DROP INDEX visit_of_rig;
DROP TABLE fleet_call;
DROP TABLE fleet_finding;
DROP TABLE fleet_try;
DROP TABLE fleet_rig;
DROP TABLE fleet_run;
