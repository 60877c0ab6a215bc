-- A second factor: the secret from which an authenticator makes its codes, and the step of the last code that was taken, for each is
-- taken once.
CREATE TABLE second_factor (
    firm_id BIGINT NOT NULL,
    person_id BIGINT NOT NULL,
    secret BYTEA NOT NULL,
    last_step BIGINT NOT NULL DEFAULT 0,
    confirmed_at TIMESTAMPTZ,
    PRIMARY KEY (firm_id, person_id),
    FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id)
);

-- Codes for when the authenticator is lost; each is taken once.
CREATE TABLE recovery_code (
    firm_id BIGINT NOT NULL,
    person_id BIGINT NOT NULL,
    code_hash BYTEA NOT NULL,
    used_at TIMESTAMPTZ,
    PRIMARY KEY (firm_id, person_id, code_hash),
    FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id)
);

ALTER TABLE trail DROP CONSTRAINT trail_event;
ALTER TABLE trail ADD CONSTRAINT trail_event CHECK (event IN (
    'signed-in', 'refused', 'added', 'role', 'closed', 'opened', 'password', 'sessions-ended',
    'second-on', 'second-off', 'recovery-code'));
