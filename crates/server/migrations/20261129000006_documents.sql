-- Documents are kept once per content, compressed: a revision names what it is made of.
CREATE TABLE documents (
    -- SHA-256 of the body.
    hash BINARY(32) NOT NULL PRIMARY KEY,
    -- The document that this one was packed against; it is packed against none.
    base BINARY(32) NULL,
    -- JSON as it is, or packed by zstd (RFC 8878).
    body LONGBLOB COMPRESSED NOT NULL,
    FOREIGN KEY (base) REFERENCES documents (hash)
);
INSERT IGNORE INTO documents (hash, body) SELECT UNHEX(SHA2(setup, 256)), setup FROM revisions;
INSERT IGNORE INTO documents (hash, body) SELECT UNHEX(SHA2(plan, 256)), plan FROM revisions;
INSERT IGNORE INTO documents (hash, body) SELECT UNHEX(SHA2(fittings, 256)), fittings FROM revisions;
ALTER TABLE revisions
    ADD COLUMN setup_hash BINARY(32) NULL AFTER setup,
    ADD COLUMN plan_hash BINARY(32) NULL AFTER plan,
    ADD COLUMN fittings_hash BINARY(32) NULL AFTER fittings,
    -- What was said or came in, as a value; revisions from before have only their words.
    ADD COLUMN said LONGTEXT NULL AFTER what;
UPDATE revisions SET setup_hash = UNHEX(SHA2(setup, 256)), plan_hash = UNHEX(SHA2(plan, 256)), fittings_hash = UNHEX(SHA2(fittings, 256));
ALTER TABLE revisions
    DROP COLUMN setup, DROP COLUMN plan, DROP COLUMN fittings,
    MODIFY setup_hash BINARY(32) NOT NULL, MODIFY plan_hash BINARY(32) NOT NULL, MODIFY fittings_hash BINARY(32) NOT NULL,
    ADD FOREIGN KEY (setup_hash) REFERENCES documents (hash),
    ADD FOREIGN KEY (plan_hash) REFERENCES documents (hash),
    ADD FOREIGN KEY (fittings_hash) REFERENCES documents (hash);

-- Candidates as they would lie. They can be computed again, and are.
DROP TABLE auditions;
CREATE TABLE comparisons (
    cut_id BINARY(16) NOT NULL,
    sound_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    -- Digest of what it was made for: reading, wishes, length, narration.
    made_for CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    figure INT UNSIGNED NOT NULL,
    splice_count INT UNSIGNED NOT NULL,
    ending VARCHAR(16) NOT NULL,
    plan LONGTEXT COMPRESSED NOT NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    PRIMARY KEY (cut_id, sound_hash),
    FOREIGN KEY (cut_id) REFERENCES cuts (id),
    FOREIGN KEY (sound_hash) REFERENCES sounds (hash)
);
INSERT INTO jobs (id, cut_id, task, lane) SELECT UNHEX(REPLACE(UUID(), '-', '')), id, '{"kind":"compare"}', 'quick' FROM cuts;
