ALTER TABLE action DROP COLUMN live_because;
