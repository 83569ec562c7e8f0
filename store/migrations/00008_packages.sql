-- +goose Up
-- Camera packages: a camera with a lens and everything that hangs on it. Every change is
-- another version; the newest counts.
CREATE TABLE packages (
  id uuid NOT NULL,
  version integer NOT NULL,
  name text NOT NULL,
  at timestamptz NOT NULL,
  person_id uuid NOT NULL REFERENCES people,
  doc jsonb NOT NULL,
  PRIMARY KEY (id, version)
);
ALTER TABLE shots ADD COLUMN package_id uuid;
-- How a package was balanced on a machine, whole with every change; the newest counts.
CREATE TABLE balances (
  id uuid PRIMARY KEY,
  package_id uuid NOT NULL,
  rig_id text NOT NULL,
  at timestamptz NOT NULL,
  person_id uuid NOT NULL REFERENCES people,
  doc jsonb NOT NULL
);
CREATE INDEX balances_newest ON balances (package_id, rig_id, at DESC, id DESC);
CREATE INDEX balances_last ON balances (rig_id, at DESC, id DESC);

-- +goose Down
DROP TABLE balances;
ALTER TABLE shots DROP COLUMN package_id;
DROP TABLE packages;
