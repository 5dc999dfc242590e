-- The title belongs to what is wanted of a cut, so that undo brings an earlier one back.
UPDATE revisions r JOIN cuts c ON c.id = r.cut_id SET r.setup = JSON_SET(r.setup, '$.title', c.title);
UPDATE cuts SET setup = JSON_SET(setup, '$.title', title);
ALTER TABLE cuts DROP COLUMN title;
