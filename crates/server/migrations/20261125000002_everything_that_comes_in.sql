-- What the user says about a cut becomes one document, so that every change of it can be undone.
UPDATE cuts SET setup = JSON_SET(setup,
    '$.lengthFrames', JSON_EXTRACT(setup, '$.length_frames'),
    '$.shots', JSON_COMPACT(shots), '$.moments', JSON_COMPACT(moments),
    '$.lines', JSON_ARRAY(), '$.candidates', JSON_ARRAY(), '$.takes', JSON_ARRAY(), '$.pieces', JSON_ARRAY());
UPDATE cuts c JOIN sounds s ON s.hash = JSON_VALUE(c.setup, '$.bed.hash') SET c.setup = JSON_SET(c.setup,
    '$.candidates', JSON_ARRAY(JSON_OBJECT('hash', s.hash, 'name', JSON_VALUE(c.setup, '$.bed.name'))));
UPDATE cuts c JOIN sounds s ON s.hash = JSON_VALUE(c.setup, '$.narration.hash') SET c.setup = JSON_SET(c.setup,
    '$.takes', JSON_ARRAY(JSON_OBJECT('hash', s.hash, 'name', JSON_VALUE(c.setup, '$.narration.name'), 'atSamples', 0)),
    '$.pieces', JSON_ARRAY(JSON_OBJECT('sound', s.hash, 'sourceStartSamples', 0, 'sourceEndSamples', IFNULL(s.length_samples, 0), 'cutStartSamples', 0)));
UPDATE revisions r JOIN cuts c ON c.id = r.cut_id SET r.setup = JSON_SET(r.setup,
    '$.lengthFrames', JSON_EXTRACT(r.setup, '$.length_frames'),
    '$.shots', JSON_EXTRACT(c.setup, '$.shots'), '$.moments', JSON_EXTRACT(c.setup, '$.moments'), '$.lines', JSON_ARRAY(),
    '$.candidates', JSON_EXTRACT(c.setup, '$.candidates'), '$.takes', JSON_EXTRACT(c.setup, '$.takes'), '$.pieces', JSON_EXTRACT(c.setup, '$.pieces'));
-- Shots had no end: each lasts to the next one, the last one to the end of the cut.
UPDATE cuts c SET c.setup = JSON_SET(c.setup, '$.shots', (
    SELECT COALESCE(JSON_ARRAYAGG(JSON_OBJECT('name', s.name, 'startFrame', s.frame, 'endFrame', COALESCE(
        (SELECT MIN(n.frame) FROM JSON_TABLE(c.shots, '$[*]' COLUMNS (frame BIGINT PATH '$.frame')) n WHERE n.frame > s.frame),
        CAST(JSON_VALUE(c.setup, '$.lengthFrames') AS UNSIGNED))) ORDER BY s.frame), JSON_ARRAY())
    FROM JSON_TABLE(c.shots, '$[*]' COLUMNS (name TEXT PATH '$.name', frame BIGINT PATH '$.frame')) s));
UPDATE revisions r JOIN cuts c ON c.id = r.cut_id SET r.setup = JSON_SET(r.setup, '$.shots', JSON_EXTRACT(c.setup, '$.shots'));
-- Words were kept as pairs of start and text.
UPDATE cuts c SET c.setup = JSON_SET(c.setup, '$.lines', (
    SELECT COALESCE(JSON_ARRAYAGG(JSON_OBJECT('startSamples', w.start, 'words', w.words)), JSON_ARRAY())
    FROM JSON_TABLE(c.words, '$[*]' COLUMNS (start BIGINT PATH '$[0]', words TEXT PATH '$[1]')) w));
UPDATE revisions r JOIN cuts c ON c.id = r.cut_id SET r.setup = JSON_SET(r.setup, '$.lines', JSON_EXTRACT(c.setup, '$.lines'));
ALTER TABLE cuts DROP COLUMN shots, DROP COLUMN moments, DROP COLUMN words;

-- A cut has a plan from its first day, of silence at first.
INSERT INTO revisions (cut_id, revision, parent, what, setup, plan, fittings, chosen)
    SELECT id, 1, NULL, 'make the cut', setup, JSON_OBJECT('lengthSamples', ROUND(JSON_VALUE(setup, '$.lengthFrames') * 48000 * JSON_VALUE(setup, '$.rate.den') / JSON_VALUE(setup, '$.rate.num')),
        'layers', JSON_ARRAY(), 'phrases', JSON_ARRAY()), '[]', 0
    FROM cuts WHERE revision IS NULL;
UPDATE cuts SET revision = 1 WHERE revision IS NULL;

-- What a sound was taken for.
ALTER TABLE sounds ADD COLUMN kind VARCHAR(16) NULL, ADD COLUMN kind_confidence FLOAT NULL;

-- Each candidate as it would lie in the cut: computed in the background, for comparing and listening.
CREATE TABLE auditions (
    cut_id BINARY(16) NOT NULL,
    sound_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    -- Digest of the length and the narration that it was made for.
    made_for CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    figure INT UNSIGNED NOT NULL,
    splice_count INT UNSIGNED NOT NULL,
    ending VARCHAR(16) NOT NULL,
    plan LONGTEXT NOT NULL,
    created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    PRIMARY KEY (cut_id, sound_hash),
    FOREIGN KEY (cut_id) REFERENCES cuts (id),
    FOREIGN KEY (sound_hash) REFERENCES sounds (hash)
);

-- Which pieces of a supplier were taken, for "one project only" and for the record.
CREATE TABLE licences (
    number VARCHAR(64) NOT NULL PRIMARY KEY,
    cut_id BINARY(16) NOT NULL,
    piece VARCHAR(64) NOT NULL,
    document LONGTEXT NOT NULL,
    taken_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    INDEX licences_of_piece (piece),
    FOREIGN KEY (cut_id) REFERENCES cuts (id)
);
