-- What somebody wants of a cut is a revision from the moment it is accepted: until its plan is made, the revision
-- plays that of an earlier one (base). The finished plan is a revision of its own (planned_for): none is ever changed.
ALTER TABLE revisions
    ADD COLUMN base INT UNSIGNED NULL AFTER parent,
    ADD COLUMN planned_for INT UNSIGNED NULL AFTER base,
    ADD INDEX revisions_by_parent (cut_id, parent),
    ADD INDEX revisions_planned_for (cut_id, planned_for);
-- What was wanted while this was brought up to date.
INSERT INTO revisions (cut_id, revision, parent, base, what, setup, plan, fittings, chosen)
    SELECT c.id, (SELECT MAX(o.revision) FROM revisions o WHERE o.cut_id = c.id) + 1, c.revision, c.revision, 'change the cut', c.setup, r.plan, r.fittings, r.chosen
    FROM cuts c JOIN revisions r ON r.cut_id = c.id AND r.revision = c.revision WHERE c.setup <> r.setup;
INSERT INTO jobs (id, cut_id, task) SELECT UNHEX(REPLACE(UUID(), '-', '')), cut_id, '{"kind":"plan"}' FROM revisions WHERE base IS NOT NULL;
UPDATE cuts c JOIN revisions r ON r.cut_id = c.id AND r.base = c.revision SET c.revision = r.revision;
ALTER TABLE cuts DROP COLUMN setup;

-- Who waits for a job: somebody at the page (quick), or nobody in particular (long). Cuts take turns.
ALTER TABLE jobs
    ADD COLUMN lane VARCHAR(8) NOT NULL DEFAULT 'quick' AFTER task,
    DROP INDEX jobs_to_claim,
    ADD INDEX jobs_to_claim (state, lane, created_at),
    ADD INDEX jobs_ended (ended_at);
ALTER TABLE cuts ADD COLUMN served_at DATETIME(6) NOT NULL DEFAULT '2000-01-01';
