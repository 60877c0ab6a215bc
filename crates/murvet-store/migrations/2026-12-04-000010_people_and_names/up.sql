-- Whoever is named in a row is a person of that firm; and a component is called a component.
ALTER TABLE safe_step ADD CONSTRAINT safe_step_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE reading ADD CONSTRAINT reading_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE finding_event ADD CONSTRAINT finding_event_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE action ADD CONSTRAINT action_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE hand_over ADD CONSTRAINT hand_over_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE kept_calculation ADD CONSTRAINT kept_calculation_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE sketch ADD CONSTRAINT sketch_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE "override" ADD CONSTRAINT override_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE photograph ADD CONSTRAINT photograph_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE in_case ADD CONSTRAINT in_case_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE left_out ADD CONSTRAINT left_out_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE complaint ADD CONSTRAINT complaint_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE complaint_standing ADD CONSTRAINT complaint_standing_person FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id);
ALTER TABLE left_as RENAME COLUMN piece TO component;
