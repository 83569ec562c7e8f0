-- +goose Up
CREATE TABLE productions (
  id uuid PRIMARY KEY,
  number int NOT NULL UNIQUE,
  title text NOT NULL,
  place text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE rigs (
  id text NOT NULL,
  version int NOT NULL,
  doc jsonb NOT NULL,
  PRIMARY KEY (id, version)
);
CREATE TABLE shots (
  id uuid PRIMARY KEY,
  production_id uuid NOT NULL REFERENCES productions,
  code text NOT NULL,
  title text NOT NULL,
  rig_id text NOT NULL,
  rig_version int NOT NULL,
  lens jsonb NOT NULL,
  set_doc jsonb NOT NULL,
  revision bigint NOT NULL DEFAULT 0,
  threshold_px double precision NOT NULL DEFAULT 0.5,
  created_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (production_id, code),
  FOREIGN KEY (rig_id, rig_version) REFERENCES rigs (id, version)
);
-- Append-only: every edit keeps the command and the path it made. undo_to and
-- redo_to name the revisions whose paths an undo and a redo bring back.
CREATE TABLE edits (
  shot_id uuid NOT NULL REFERENCES shots,
  revision bigint NOT NULL,
  undo_to bigint,
  redo_to bigint,
  actor text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  command jsonb NOT NULL,
  path jsonb NOT NULL,
  PRIMARY KEY (shot_id, revision)
);
CREATE TABLE seals (
  id uuid PRIMARY KEY,
  shot_id uuid NOT NULL REFERENCES shots,
  version int NOT NULL,
  revision bigint NOT NULL,
  fingerprint bytea NOT NULL,
  table_zstd bytea NOT NULL,
  braking jsonb NOT NULL,
  sealed_by text NOT NULL,
  sealed_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (shot_id, version)
);
CREATE TABLE passes (
  id uuid PRIMARY KEY,
  shot_id uuid NOT NULL REFERENCES shots,
  number int NOT NULL,
  name text NOT NULL,
  note text NOT NULL,
  factor_num bigint NOT NULL,
  factor_den bigint NOT NULL,
  UNIQUE (shot_id, number)
);
CREATE TABLE takes (
  id uuid PRIMARY KEY,
  pass_id uuid NOT NULL REFERENCES passes,
  seal_id uuid NOT NULL REFERENCES seals,
  number int NOT NULL,
  actor text NOT NULL,
  started_at timestamptz NOT NULL,
  ended boolean NOT NULL DEFAULT false,
  broken boolean NOT NULL DEFAULT false,
  why text NOT NULL DEFAULT '',
  frame double precision NOT NULL DEFAULT 0,
  rows int NOT NULL DEFAULT 0,
  first_tick_ms bigint NOT NULL DEFAULT 0,
  last_beat_tick_ms bigint NOT NULL DEFAULT -1,
  brake_tick_ms bigint NOT NULL DEFAULT -1,
  axes jsonb NOT NULL,
  units jsonb NOT NULL,
  UNIQUE (pass_id, number)
);
CREATE INDEX takes_by_seal ON takes (seal_id);
CREATE TABLE trace_chunks (
  take_id uuid NOT NULL REFERENCES takes,
  from_row int NOT NULL,
  rows int NOT NULL,
  data_zstd bytea NOT NULL,
  PRIMARY KEY (take_id, from_row)
);
CREATE TABLE log (
  seq bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at timestamptz NOT NULL,
  actor text NOT NULL,
  shot_id uuid REFERENCES shots,
  kind text NOT NULL,
  text text NOT NULL,
  data jsonb
);
CREATE INDEX log_by_shot ON log (shot_id, seq);
CREATE TABLE sessions (
  token text PRIMARY KEY,
  data bytea NOT NULL,
  expiry timestamptz NOT NULL
);
CREATE INDEX sessions_by_expiry ON sessions (expiry);

-- +goose Down
DROP TABLE sessions, log, trace_chunks, takes, passes, seals, edits, shots, rigs, productions;
