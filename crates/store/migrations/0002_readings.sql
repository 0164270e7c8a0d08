-- What was measured on an original, and all that was last asked for; `target` stays what it came in with.

ALTER TABLE originals
    ADD COLUMN reading MEDIUMTEXT NULL AFTER facts,
    ADD COLUMN wish    MEDIUMTEXT NULL AFTER target;
