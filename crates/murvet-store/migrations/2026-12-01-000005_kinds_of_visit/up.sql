-- What a visit is for, and which revision of the rig stood when it was opened: a visit after a repair measures what changed
-- since then. Visits from before were of the whole plan.
ALTER TABLE visit ADD COLUMN kind TEXT NOT NULL DEFAULT 'finished'
    CHECK (kind IN ('before-linings', 'finished', 'after-repair', 'after-journey'));
ALTER TABLE visit ADD COLUMN since INTEGER NOT NULL DEFAULT 1 CHECK (since > 0);
