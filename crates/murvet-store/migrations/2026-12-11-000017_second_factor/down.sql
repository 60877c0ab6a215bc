DELETE FROM trail WHERE event IN ('second-on', 'second-off', 'recovery-code');
ALTER TABLE trail DROP CONSTRAINT trail_event;
ALTER TABLE trail ADD CONSTRAINT trail_event CHECK (event IN (
    'signed-in', 'refused', 'added', 'role', 'closed', 'opened', 'password', 'sessions-ended'));
DROP TABLE recovery_code;
DROP TABLE second_factor;
