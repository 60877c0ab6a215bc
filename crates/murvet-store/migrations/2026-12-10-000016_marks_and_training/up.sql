-- A visit to a rig that is made up, to learn on: nothing of it is counted.
ALTER TABLE visit ADD COLUMN training BOOLEAN NOT NULL DEFAULT FALSE;

-- A numbered mark on a photograph, and the component that stands there. The place is a share of the picture's width and height.
CREATE TABLE mark (
    firm_id BIGINT NOT NULL,
    photograph_id BIGINT NOT NULL,
    number INTEGER NOT NULL CONSTRAINT mark_number CHECK (number BETWEEN 1 AND 200),
    x DOUBLE PRECISION NOT NULL CONSTRAINT mark_x CHECK (x BETWEEN 0 AND 1),
    y DOUBLE PRECISION NOT NULL CONSTRAINT mark_y CHECK (y BETWEEN 0 AND 1),
    component TEXT NOT NULL CONSTRAINT mark_component CHECK (component <> ''),
    person_id BIGINT NOT NULL,
    at TIMESTAMPTZ NOT NULL,
    taken_away_by BIGINT,
    PRIMARY KEY (firm_id, photograph_id, number),
    FOREIGN KEY (firm_id, photograph_id) REFERENCES photograph (firm_id, id),
    FOREIGN KEY (firm_id, person_id) REFERENCES person (firm_id, id),
    FOREIGN KEY (firm_id, taken_away_by) REFERENCES person (firm_id, id)
);
