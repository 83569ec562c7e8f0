-- +goose Up
-- What homings found stands in the log, by machine.
CREATE INDEX log_homed ON log ((data->>'machine'), seq DESC) WHERE kind = 'homed';
-- The rig book: who wrote a version, when, and why.
ALTER TABLE rigs ADD COLUMN at timestamptz NOT NULL DEFAULT now(), ADD COLUMN person_id uuid REFERENCES people, ADD COLUMN says text NOT NULL DEFAULT '';
-- Named poses of a shot.
CREATE TABLE marks (
  id uuid PRIMARY KEY,
  shot_id uuid NOT NULL REFERENCES shots,
  name text NOT NULL,
  at timestamptz NOT NULL,
  person_id uuid NOT NULL REFERENCES people,
  values jsonb NOT NULL,
  png bytea,
  UNIQUE (shot_id, name)
);

-- +goose Down
DROP TABLE marks;
ALTER TABLE rigs DROP COLUMN at, DROP COLUMN person_id, DROP COLUMN says;
DROP INDEX log_homed;
