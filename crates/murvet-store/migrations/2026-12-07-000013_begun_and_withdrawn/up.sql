-- The day on which work is done has a beginning; begun again, the newest counts.
ALTER TABLE work_text DROP CONSTRAINT work_text_kind_check;
ALTER TABLE work_text ADD CONSTRAINT work_text_kind CHECK (kind IN ('steps', 'day', 'begun'));

-- A licence that was entered wrongly, or was taken away: nothing is changed, it is withdrawn with a reason.
CREATE TABLE licence_withdrawn (
    firm_id BIGINT NOT NULL,
    licence_id BIGINT NOT NULL,
    why TEXT NOT NULL,
    person_id BIGINT NOT NULL,
    at TIMESTAMPTZ NOT NULL,
    PRIMARY KEY (firm_id, licence_id),
    FOREIGN KEY (firm_id, licence_id) REFERENCES licence (firm_id, id),
    FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id)
);
