-- A cut may have begun as another one at another length.
ALTER TABLE cuts ADD COLUMN mother BINARY(16) NULL, ADD INDEX cuts_by_mother (mother);
