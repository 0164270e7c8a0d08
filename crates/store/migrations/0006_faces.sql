-- The faces that were found on an original; NULL until someone has looked.

ALTER TABLE originals ADD COLUMN faces MEDIUMTEXT NULL AFTER reading;
