-- Who may do what. Somebody alone at a machine is no row of `people`: whoever opened the key of the terminal may do everything.
CREATE TABLE people (
    id BINARY(16) NOT NULL PRIMARY KEY,
    name VARCHAR(120) NOT NULL,
    -- In small letters.
    email VARCHAR(254) NOT NULL UNIQUE,
    -- A PHC string of argon2id; none until the invitation is taken.
    password VARCHAR(255) NULL,
    -- Secret of the second factor (RFC 6238); it holds once it was confirmed.
    second_factor VARBINARY(64) NULL,
    second_factor_holds BOOLEAN NOT NULL DEFAULT FALSE,
    -- The last time step whose code was used: none is used twice.
    second_factor_step BIGINT UNSIGNED NOT NULL DEFAULT 0,
    -- Whether they look after the house: people and passwords.
    keeper BOOLEAN NOT NULL DEFAULT FALSE,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

CREATE TABLE projects (
    id BINARY(16) NOT NULL PRIMARY KEY,
    name VARCHAR(120) NOT NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);
-- What was made before there were projects.
INSERT INTO projects (id, name) VALUES (UNHEX('00000000000000000000000000000000'), 'First project');

CREATE TABLE members (
    project_id BINARY(16) NOT NULL,
    person_id BINARY(16) NOT NULL,
    -- `listener`, `editor` or `owner`.
    role VARCHAR(16) NOT NULL,
    PRIMARY KEY (project_id, person_id),
    INDEX members_of_person (person_id),
    FOREIGN KEY (project_id) REFERENCES projects (id),
    FOREIGN KEY (person_id) REFERENCES people (id)
);

ALTER TABLE cuts
    ADD COLUMN project_id BINARY(16) NOT NULL DEFAULT '\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0',
    ADD INDEX cuts_of_project (project_id, away_at, created_at),
    ADD FOREIGN KEY (project_id) REFERENCES projects (id);
ALTER TABLE revisions ADD COLUMN made_by BINARY(16) NULL;

-- Sounds are kept once per content; who may hear one is a right of each project that it came into.
CREATE TABLE sound_rights (
    project_id BINARY(16) NOT NULL,
    sound_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    PRIMARY KEY (project_id, sound_hash),
    FOREIGN KEY (project_id) REFERENCES projects (id)
);
INSERT INTO sound_rights (project_id, sound_hash) SELECT UNHEX('00000000000000000000000000000000'), hash FROM sounds;

-- Whatever is opened by a key that was given away: kept by its hash alone.
CREATE TABLE keys_given (
    id BINARY(16) NOT NULL PRIMARY KEY,
    -- SHA-256.
    key_hash BINARY(32) NOT NULL UNIQUE,
    -- `house`, `invitation`, `password` or `listening`.
    opens VARCHAR(16) NOT NULL,
    email VARCHAR(254) NULL,
    project_id BINARY(16) NULL,
    role VARCHAR(16) NULL,
    person_id BINARY(16) NULL,
    cut_id BINARY(16) NULL,
    -- The revision that is heard; the newest without it.
    revision INT UNSIGNED NULL,
    -- A word that is asked for as well: a PHC string of argon2id.
    word VARCHAR(255) NULL,
    -- Whom it was given to, in the words of who gave it.
    given_to VARCHAR(120) NOT NULL DEFAULT '',
    made_by BINARY(16) NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    expires_at DATETIME(3) NOT NULL,
    used_at DATETIME(3) NULL,
    taken_back_at DATETIME(3) NULL,
    INDEX keys_of_cut (cut_id, created_at),
    INDEX keys_of_project (project_id, created_at),
    FOREIGN KEY (cut_id) REFERENCES cuts (id),
    FOREIGN KEY (project_id) REFERENCES projects (id),
    FOREIGN KEY (person_id) REFERENCES people (id)
);

CREATE TABLE sessions (
    -- SHA-256 of what the cookie says.
    key_hash BINARY(32) NOT NULL PRIMARY KEY,
    state LONGTEXT NOT NULL,
    person_id BINARY(16) NULL,
    expires_at DATETIME(3) NOT NULL,
    INDEX sessions_of_person (person_id),
    INDEX sessions_over (expires_at)
);

-- What all servers of one house share and nobody else knows.
CREATE TABLE house_secrets (
    name VARCHAR(32) NOT NULL PRIMARY KEY,
    secret VARBINARY(64) NOT NULL
);

CREATE TABLE remarks (
    id BINARY(16) NOT NULL PRIMARY KEY,
    cut_id BINARY(16) NOT NULL,
    -- The revision that was heard.
    revision INT UNSIGNED NOT NULL,
    -- None is about all of it.
    at_samples BIGINT UNSIGNED NULL,
    words VARCHAR(1000) NOT NULL,
    -- Whether somebody says that all is well with that.
    approves BOOLEAN NOT NULL DEFAULT FALSE,
    said_by VARCHAR(120) NOT NULL,
    key_id BINARY(16) NULL,
    person_id BINARY(16) NULL,
    done_at DATETIME(3) NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    INDEX remarks_of_cut (cut_id, created_at),
    FOREIGN KEY (cut_id) REFERENCES cuts (id)
);

-- Who opened, changed, handed over and shared what.
CREATE TABLE records (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    project_id BINARY(16) NOT NULL,
    cut_id BINARY(16) NULL,
    person_id BINARY(16) NULL,
    key_id BINARY(16) NULL,
    what VARCHAR(40) NOT NULL,
    INDEX records_of_project (project_id, at)
);

-- Tries to sign in, counted for a while: by address of the letters, by machine, by key.
CREATE TABLE tries (
    -- SHA-256 of what is tried.
    about BINARY(32) NOT NULL,
    -- Quarters of an hour since 1970.
    quarter BIGINT UNSIGNED NOT NULL,
    count INT UNSIGNED NOT NULL,
    PRIMARY KEY (about, quarter)
);
