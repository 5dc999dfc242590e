-- Whose job it is: people take turns. How often it broke its worker is counted apart from how often a worker fell silent.
ALTER TABLE jobs
    ADD COLUMN asked_by BINARY(16) NULL,
    ADD COLUMN breaks INT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE people ADD COLUMN served_at DATETIME(6) NOT NULL DEFAULT '2000-01-01';
