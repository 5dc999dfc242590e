-- Sounds are kept once per content; what they are called belongs to the cut that uses them.
CREATE TABLE sounds (
    hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
    name VARCHAR(255) NOT NULL,
    extension VARCHAR(16) NOT NULL,
    size_bytes BIGINT UNSIGNED NOT NULL,
    rate_hz INT UNSIGNED NULL,
    channel_count INT UNSIGNED NULL,
    length_samples BIGINT UNSIGNED NULL,
    damaged BOOLEAN NOT NULL DEFAULT FALSE,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

CREATE TABLE readings (
    sound_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    read_as VARCHAR(16) NOT NULL,
    document LONGTEXT NOT NULL,
    likeness LONGBLOB NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    PRIMARY KEY (sound_hash, read_as),
    FOREIGN KEY (sound_hash) REFERENCES sounds (hash)
);

CREATE TABLE cuts (
    id BINARY(16) NOT NULL PRIMARY KEY,
    title VARCHAR(200) NOT NULL,
    -- Rate, length and sounds: what a plan is made for. Each revision keeps its own copy.
    setup LONGTEXT NOT NULL,
    shots LONGTEXT NOT NULL,
    moments LONGTEXT NOT NULL,
    words LONGTEXT NOT NULL,
    revision INT UNSIGNED NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

-- Append only: undo and redo move cuts.revision along parents, no row is ever changed.
CREATE TABLE revisions (
    cut_id BINARY(16) NOT NULL,
    revision INT UNSIGNED NOT NULL,
    parent INT UNSIGNED NULL,
    what VARCHAR(200) NOT NULL,
    setup LONGTEXT NOT NULL,
    plan LONGTEXT NOT NULL,
    fittings LONGTEXT NOT NULL,
    chosen INT UNSIGNED NOT NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    PRIMARY KEY (cut_id, revision),
    FOREIGN KEY (cut_id) REFERENCES cuts (id)
);

CREATE TABLE jobs (
    id BINARY(16) NOT NULL PRIMARY KEY,
    cut_id BINARY(16) NOT NULL,
    task LONGTEXT NOT NULL,
    state VARCHAR(16) NOT NULL DEFAULT 'queued',
    worker VARCHAR(64) NULL,
    lease_until DATETIME(3) NULL,
    attempt INT UNSIGNED NOT NULL DEFAULT 0,
    progress FLOAT NOT NULL DEFAULT 0,
    doing VARCHAR(200) NOT NULL DEFAULT 'waiting',
    problem VARCHAR(500) NULL,
    cancel_requested BOOLEAN NOT NULL DEFAULT FALSE,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    ended_at DATETIME(3) NULL,
    INDEX jobs_to_claim (state, lease_until, created_at),
    INDEX jobs_of_cut (cut_id, created_at),
    FOREIGN KEY (cut_id) REFERENCES cuts (id)
);
