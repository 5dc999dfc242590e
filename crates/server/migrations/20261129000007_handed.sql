-- Files that were handed over: made once for what they say, and kept like sounds, by their content.
CREATE TABLE handed (
    id BINARY(16) NOT NULL PRIMARY KEY,
    cut_id BINARY(16) NOT NULL,
    revision INT UNSIGNED NOT NULL,
    -- Digest of everything that the file is made of: asked again, it is there at once.
    made_of CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    form LONGTEXT NOT NULL,
    name VARCHAR(255) NOT NULL,
    file_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    size_bytes BIGINT UNSIGNED NOT NULL,
    -- What was measured of it and what it does not hold, sentences for people.
    told LONGTEXT NOT NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    UNIQUE INDEX handed_once (cut_id, revision, made_of),
    INDEX handed_of_cut (cut_id, created_at),
    INDEX handed_made_of (made_of),
    FOREIGN KEY (cut_id) REFERENCES cuts (id)
);
