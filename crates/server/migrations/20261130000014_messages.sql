-- What a revision did is a code with facts by now, as JSON; sentences of before stay as they are and are read as such.
ALTER TABLE revisions MODIFY COLUMN what TEXT NOT NULL;
