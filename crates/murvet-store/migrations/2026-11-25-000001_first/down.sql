DROP TABLE hand_over, action, finding_event, reading, safe_step, visit, rig_revision, rig, customer, session, person, firm;
