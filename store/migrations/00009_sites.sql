-- +goose Up
-- What a shot's place asks: its running order, power, ground and fixed points. Every
-- change is another row, whole; the newest counts. A row that takes a change back shows
-- an older one: shows is which.
CREATE TABLE sites (
  shot_id uuid NOT NULL REFERENCES shots,
  what text NOT NULL CHECK (what IN ('order', 'power', 'ground', 'points')),
  revision bigint NOT NULL,
  shows bigint NOT NULL,
  day date,
  at timestamptz NOT NULL,
  person_id uuid NOT NULL REFERENCES people,
  doc jsonb NOT NULL,
  PRIMARY KEY (shot_id, what, revision)
);
CREATE INDEX sites_days ON sites (what, shot_id, day, revision DESC);

-- +goose Down
DROP TABLE sites;
