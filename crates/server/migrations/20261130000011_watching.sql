-- What is new of all cuts that somebody looks at is asked for at once, whatever their number.
ALTER TABLE comparisons ADD INDEX comparisons_made (created_at);
ALTER TABLE remarks
    ADD COLUMN changed_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) ON UPDATE CURRENT_TIMESTAMP(3),
    ADD INDEX remarks_changed (changed_at);

-- Who is on a cut, a row for each of their windows.
CREATE TABLE presence (
    cut_id BINARY(16) NOT NULL,
    -- The window, as it names itself.
    window_id BINARY(16) NOT NULL,
    person_id BINARY(16) NOT NULL,
    step VARCHAR(16) NOT NULL,
    at_samples BIGINT UNSIGNED NOT NULL,
    -- What is marked, from where to where.
    from_samples BIGINT UNSIGNED NULL,
    to_samples BIGINT UNSIGNED NULL,
    seen_at DATETIME(3) NOT NULL,
    PRIMARY KEY (cut_id, window_id),
    INDEX presence_seen (seen_at),
    FOREIGN KEY (cut_id) REFERENCES cuts (id),
    FOREIGN KEY (person_id) REFERENCES people (id)
);
