-- What a picture's own parts said of the candidates (crates/core, suggest::KeptTrial); NULL until they were asked.

ALTER TABLE originals ADD COLUMN trials MEDIUMTEXT NULL AFTER reading;

-- The last rehearsal of a picture, as it ended.

ALTER TABLE originals ADD COLUMN rehearsal MEDIUMTEXT NULL AFTER trials;
