-- Readings that came in an archive: they hold for the sound that came with them, until somebody else brings the same sound.
ALTER TABLE readings ADD COLUMN brought BOOL NOT NULL DEFAULT FALSE;
