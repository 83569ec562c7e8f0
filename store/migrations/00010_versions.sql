-- +goose Up
-- Versions of a move that somebody has named: a number under the shot, and the revision.
CREATE TABLE versions (
  shot_id uuid NOT NULL REFERENCES shots,
  number int NOT NULL,
  name text NOT NULL,
  revision bigint NOT NULL,
  at timestamptz NOT NULL,
  person_id uuid NOT NULL REFERENCES people,
  PRIMARY KEY (shot_id, number),
  UNIQUE (shot_id, name)
);
-- Why whoever sealed a path has signed for working limits that are passed.
ALTER TABLE seals ADD COLUMN over text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE seals DROP COLUMN over;
DROP TABLE versions;
