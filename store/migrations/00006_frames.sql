-- +goose Up
-- Shoots that are taken frame by frame: the scheme, and where each stands (turns are
-- append-only; undo is a new one).
CREATE TABLE shoots (
  shot_id uuid PRIMARY KEY REFERENCES shots,
  scheme jsonb NOT NULL,
  revision bigint NOT NULL DEFAULT 1,
  seal_id uuid REFERENCES seals,
  declined uuid REFERENCES seals
);
CREATE TABLE turns (
  shot_id uuid NOT NULL REFERENCES shoots,
  number int NOT NULL,
  person_id uuid NOT NULL REFERENCES people,
  at timestamptz NOT NULL DEFAULT now(),
  words text NOT NULL,
  turn jsonb NOT NULL,
  exposures int NOT NULL,
  back_to int,
  PRIMARY KEY (shot_id, number)
);
-- Pictures by their content; thumbnails apart.
CREATE TABLE pictures (hash text PRIMARY KEY, png bytea NOT NULL, at timestamptz NOT NULL DEFAULT now());
CREATE TABLE thumbnails (hash text PRIMARY KEY REFERENCES pictures, png bytea NOT NULL);
-- An exposure is written before the camera is told, and again when it is known what
-- became of it.
CREATE TABLE exposures (
  id uuid PRIMARY KEY,
  shot_id uuid NOT NULL REFERENCES shoots,
  layer text NOT NULL,
  frame int NOT NULL,
  number int NOT NULL,
  fate text NOT NULL,
  why text NOT NULL DEFAULT '',
  seal_id uuid NOT NULL REFERENCES seals,
  pose jsonb NOT NULL,
  machine text NOT NULL,
  boot text NOT NULL,
  person_id uuid NOT NULL REFERENCES people,
  asked_at timestamptz NOT NULL DEFAULT clock_timestamp(),
  ended_at timestamptz,
  picture text REFERENCES pictures,
  UNIQUE (shot_id, layer, frame, number)
);
CREATE INDEX exposures_unknown ON exposures (asked_at) WHERE fate = 'asked';
CREATE TABLE frame_steps (
  seq bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  shot_id uuid NOT NULL REFERENCES shoots,
  frame int NOT NULL,
  phase text NOT NULL,
  at timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX frame_steps_by_shot ON frame_steps (shot_id, seq);
CREATE TABLE frame_notes (shot_id uuid NOT NULL REFERENCES shoots, frame int NOT NULL, text text NOT NULL, PRIMARY KEY (shot_id, frame));

-- +goose Down
DROP TABLE frame_notes, frame_steps, exposures, thumbnails, pictures, turns, shoots;
