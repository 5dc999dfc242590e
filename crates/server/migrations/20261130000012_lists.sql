-- What a list of cuts is searched and sorted by, of the shown revision; the server fills it in where it is missing.
ALTER TABLE cuts
    ADD COLUMN title VARCHAR(200) NULL,
    -- Title, bed and narration in small letters.
    ADD COLUMN sought VARCHAR(700) NULL,
    ADD COLUMN length_s DOUBLE NULL,
    ADD INDEX cuts_newest (away_at, created_at, id),
    ADD INDEX cuts_by_title (away_at, title, id),
    ADD INDEX cuts_by_length (away_at, length_s, id);
