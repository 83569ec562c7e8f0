-- +goose Up
-- What a shoot's scheme was, so that fields of it are changed one by one. Of the first of them
-- it is not known who made it.
CREATE TABLE IF NOT EXISTS schemes (
  shot_id uuid NOT NULL REFERENCES shoots,
  revision bigint NOT NULL,
  at timestamptz NOT NULL,
  person_id uuid REFERENCES people,
  doc jsonb NOT NULL,
  PRIMARY KEY (shot_id, revision)
);
INSERT INTO schemes (shot_id, revision, at, person_id, doc)
  SELECT shot_id, revision, now(), NULL, scheme FROM shoots
  ON CONFLICT DO NOTHING;

-- +goose Down
DROP TABLE schemes;
