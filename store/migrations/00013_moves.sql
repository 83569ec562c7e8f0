-- +goose Up
-- What a sealed table moves, whichever clock it was checked on: takes of tables that are the same
-- but for that are judged together, and a faster clock makes a further seal of the same version.
-- It is worked out when the seals are next read.
ALTER TABLE seals ADD COLUMN IF NOT EXISTS move bytea;
ALTER TABLE seals DROP CONSTRAINT IF EXISTS seals_shot_id_version_key;

-- +goose Down
ALTER TABLE seals DROP COLUMN move;
