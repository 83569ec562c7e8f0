-- +goose Up
-- id: the same edit sent twice is one edit. made_in: the window it was made in.
-- of_revision: the edit whose path an undo or redo brought back.
ALTER TABLE edits ADD COLUMN id uuid, ADD COLUMN made_in text NOT NULL DEFAULT '', ADD COLUMN of_revision bigint;
CREATE UNIQUE INDEX edits_by_id ON edits (shot_id, id) WHERE id IS NOT NULL;
-- What was sealed, so that a plan that is the same again is known to be sealed.
ALTER TABLE seals ADD COLUMN path_digest bytea, ADD COLUMN fastest_num bigint, ADD COLUMN fastest_den bigint;
-- Timecode of frame 0.
ALTER TABLE shots ADD COLUMN start_timecode text NOT NULL DEFAULT '10:00:00:00';

-- +goose Down
ALTER TABLE shots DROP COLUMN start_timecode;
ALTER TABLE seals DROP COLUMN path_digest, DROP COLUMN fastest_num, DROP COLUMN fastest_den;
DROP INDEX edits_by_id;
ALTER TABLE edits DROP COLUMN id, DROP COLUMN made_in, DROP COLUMN of_revision;
