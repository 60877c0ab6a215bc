DROP TABLE sketch, kept_calculation, firm_choice;
ALTER TABLE person DROP COLUMN measures;
