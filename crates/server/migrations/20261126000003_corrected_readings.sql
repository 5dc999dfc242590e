-- A reading depends on who made it: the version of the reader and what a person said on top.
ALTER TABLE readings
    ADD COLUMN made_by CHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '' AFTER read_as,
    DROP PRIMARY KEY,
    ADD PRIMARY KEY (sound_hash, read_as, made_by);
