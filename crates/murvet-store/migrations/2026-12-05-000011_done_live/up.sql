-- Why a repair was done while a source that reaches it was not isolated; nothing where it was.
ALTER TABLE action ADD COLUMN live_because TEXT;
