-- +goose Up
-- People: whoever wrote a name so far becomes one.
CREATE TABLE people (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  role text NOT NULL DEFAULT '',
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX people_by_name ON people (name, role);
INSERT INTO people (id, name) VALUES
  ('00000000-0000-7000-8000-000000000001', 'Operator'),
  ('00000000-0000-7000-8000-000000000002', 'Keen Arc'),
  ('00000000-0000-7000-8000-000000000003', 'command line');
INSERT INTO people (id, name)
  SELECT gen_random_uuid(), name FROM (SELECT actor AS name FROM edits UNION SELECT sealed_by FROM seals UNION SELECT actor FROM takes UNION SELECT actor FROM log) w
  ON CONFLICT DO NOTHING;
ALTER TABLE edits ADD COLUMN person_id uuid REFERENCES people;
ALTER TABLE seals ADD COLUMN person_id uuid REFERENCES people;
ALTER TABLE takes ADD COLUMN person_id uuid REFERENCES people;
ALTER TABLE log ADD COLUMN person_id uuid REFERENCES people;
UPDATE edits t SET person_id = w.id FROM people w WHERE w.name = t.actor AND w.role = '';
UPDATE seals t SET person_id = w.id FROM people w WHERE w.name = t.sealed_by AND w.role = '';
UPDATE takes t SET person_id = w.id FROM people w WHERE w.name = t.actor AND w.role = '';
UPDATE log t SET person_id = w.id FROM people w WHERE w.name = t.actor AND w.role = '';
ALTER TABLE edits DROP COLUMN actor, ALTER COLUMN person_id SET NOT NULL;
ALTER TABLE seals DROP COLUMN sealed_by, ALTER COLUMN person_id SET NOT NULL;
ALTER TABLE takes DROP COLUMN actor, ALTER COLUMN person_id SET NOT NULL;
ALTER TABLE log DROP COLUMN actor, ALTER COLUMN person_id SET NOT NULL;

-- Sets, cameras with their lenses, thresholds: each with versions of its own.
CREATE TABLE sets (id uuid NOT NULL, version int NOT NULL, doc jsonb NOT NULL, at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (id, version));
CREATE TABLE cameras (id uuid NOT NULL, version int NOT NULL, doc jsonb NOT NULL, at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (id, version));
CREATE TABLE thresholds (id uuid NOT NULL, version int NOT NULL, px double precision NOT NULL, at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (id, version));
ALTER TABLE shots
  ADD COLUMN set_id uuid NOT NULL DEFAULT gen_random_uuid(), ADD COLUMN set_version int NOT NULL DEFAULT 1,
  ADD COLUMN camera_id uuid NOT NULL DEFAULT gen_random_uuid(), ADD COLUMN camera_version int NOT NULL DEFAULT 1,
  ADD COLUMN threshold_id uuid NOT NULL DEFAULT gen_random_uuid(), ADD COLUMN threshold_version int NOT NULL DEFAULT 1;
INSERT INTO sets (id, version, doc) SELECT set_id, 1, set_doc FROM shots;
INSERT INTO cameras (id, version, doc) SELECT camera_id, 1, lens FROM shots;
INSERT INTO thresholds (id, version, px) SELECT threshold_id, 1, threshold_px FROM shots;
ALTER TABLE shots DROP COLUMN set_doc, DROP COLUMN lens, DROP COLUMN threshold_px,
  ALTER COLUMN set_id DROP DEFAULT, ALTER COLUMN set_version DROP DEFAULT, ALTER COLUMN camera_id DROP DEFAULT, ALTER COLUMN camera_version DROP DEFAULT,
  ALTER COLUMN threshold_id DROP DEFAULT, ALTER COLUMN threshold_version DROP DEFAULT,
  ADD FOREIGN KEY (set_id, set_version) REFERENCES sets, ADD FOREIGN KEY (camera_id, camera_version) REFERENCES cameras, ADD FOREIGN KEY (threshold_id, threshold_version) REFERENCES thresholds;

-- The machines of a shot, each in its place.
CREATE TABLE shot_machines (
  shot_id uuid NOT NULL REFERENCES shots,
  position int NOT NULL,
  name text NOT NULL,
  rig_id text NOT NULL,
  rig_version int NOT NULL,
  x_m double precision NOT NULL DEFAULT 0,
  y_m double precision NOT NULL DEFAULT 0,
  z_m double precision NOT NULL DEFAULT 0,
  turn_deg double precision NOT NULL DEFAULT 0,
  PRIMARY KEY (shot_id, position),
  UNIQUE (shot_id, name),
  FOREIGN KEY (rig_id, rig_version) REFERENCES rigs (id, version)
);
CREATE INDEX shot_machines_by_rig ON shot_machines (rig_id);
INSERT INTO shot_machines (shot_id, position, name, rig_id, rig_version) SELECT id, 1, rig_id, rig_id, rig_version FROM shots;

-- Axes are called machine/axis inside a shot: in paths, in what was done to them,
-- and in takes.
UPDATE edits e SET
  path = jsonb_set(jsonb_set(e.path, '{tracks}', (SELECT coalesce(jsonb_agg(jsonb_set(t, '{axis}', to_jsonb(s.rig_id || '/' || (t->>'axis'))) ORDER BY n), '[]') FROM jsonb_array_elements(e.path->'tracks') WITH ORDINALITY AS x(t, n))),
    '{base}', (SELECT coalesce(jsonb_object_agg(s.rig_id || '/' || k, v), '{}') FROM jsonb_each(e.path->'base') AS b(k, v)))
  FROM shots s WHERE s.id = e.shot_id;
UPDATE edits e SET command = jsonb_set(e.command, '{axis}', to_jsonb(s.rig_id || '/' || (e.command->>'axis'))) FROM shots s WHERE s.id = e.shot_id AND e.command->>'axis' <> '';
UPDATE edits e SET command = jsonb_set(e.command, '{values}', (SELECT coalesce(jsonb_object_agg(s.rig_id || '/' || k, v), '{}') FROM jsonb_each(e.command->'values') AS b(k, v)))
  FROM shots s WHERE s.id = e.shot_id AND jsonb_typeof(e.command->'values') = 'object';
UPDATE edits e SET command = jsonb_set(e.command, '{tracks}', (SELECT coalesce(jsonb_agg(jsonb_set(t, '{axis}', to_jsonb(s.rig_id || '/' || (t->>'axis'))) ORDER BY n), '[]') FROM jsonb_array_elements(e.command->'tracks') WITH ORDINALITY AS x(t, n)))
  FROM shots s WHERE s.id = e.shot_id AND jsonb_typeof(e.command->'tracks') = 'array';
ALTER TABLE takes ADD COLUMN machine text NOT NULL DEFAULT '';
UPDATE takes t SET machine = s.rig_id, axes = (SELECT coalesce(jsonb_agg(s.rig_id || '/' || a ORDER BY n), '[]') FROM jsonb_array_elements_text(t.axes) WITH ORDINALITY AS x(a, n))
  FROM passes p JOIN shots s ON s.id = p.shot_id WHERE p.id = t.pass_id;
ALTER TABLE shots DROP COLUMN rig_id, DROP COLUMN rig_version;

-- An edit keeps its command; the path it made is kept now and then. path_of is the
-- revision whose path an undo, a redo or a return to a seal has.
ALTER TABLE edits ALTER COLUMN path DROP NOT NULL, ADD COLUMN path_of bigint;
-- Samples that tracks point to are kept once, by their content, in chunks.
CREATE TABLE samples (hash text NOT NULL, chunk int NOT NULL, count int NOT NULL, data_zstd bytea NOT NULL, PRIMARY KEY (hash, chunk));

-- Clocks are described; passes and takes pin theirs.
ALTER TABLE passes ADD COLUMN clock jsonb;
UPDATE passes SET clock = jsonb_build_object('kind', 'steady', 'way', 'on', 'factor', jsonb_build_object('num', factor_num, 'den', factor_den));
ALTER TABLE takes ADD COLUMN clock jsonb;
UPDATE takes t SET clock = p.clock FROM passes p WHERE p.id = t.pass_id;
ALTER TABLE passes DROP COLUMN factor_num, DROP COLUMN factor_den, ALTER COLUMN clock SET NOT NULL;
ALTER TABLE takes ALTER COLUMN clock SET NOT NULL;

-- Line-ups: one day's limits, marks and spreads of one machine.
CREATE TABLE lineups (
  id uuid PRIMARY KEY,
  rig_id text NOT NULL,
  at timestamptz NOT NULL,
  person_id uuid NOT NULL REFERENCES people,
  doc jsonb NOT NULL
);
CREATE INDEX lineups_by_rig ON lineups (rig_id, at DESC);

-- What a take was rolled with.
ALTER TABLE takes
  ADD COLUMN set_id uuid, ADD COLUMN set_version int, ADD COLUMN camera_id uuid, ADD COLUMN camera_version int,
  ADD COLUMN threshold_id uuid, ADD COLUMN threshold_version int, ADD COLUMN lineup_id uuid REFERENCES lineups;
UPDATE takes t SET set_id = s.set_id, set_version = s.set_version, camera_id = s.camera_id, camera_version = s.camera_version, threshold_id = s.threshold_id, threshold_version = s.threshold_version
  FROM passes p JOIN shots s ON s.id = p.shot_id WHERE p.id = t.pass_id;
ALTER TABLE takes ALTER COLUMN set_id SET NOT NULL, ALTER COLUMN set_version SET NOT NULL, ALTER COLUMN camera_id SET NOT NULL, ALTER COLUMN camera_version SET NOT NULL,
  ALTER COLUMN threshold_id SET NOT NULL, ALTER COLUMN threshold_version SET NOT NULL,
  ADD FOREIGN KEY (set_id, set_version) REFERENCES sets, ADD FOREIGN KEY (camera_id, camera_version) REFERENCES cameras, ADD FOREIGN KEY (threshold_id, threshold_version) REFERENCES thresholds;
CREATE INDEX takes_unfinished_by_machine ON takes (machine) WHERE NOT ended;
DROP INDEX takes_unfinished;

-- Seals of the first encoding are void.
INSERT INTO log (at, person_id, shot_id, kind, text)
  SELECT now(), '00000000-0000-7000-8000-000000000002', shot_id, 'seal', 'Paths are sealed in another encoding now: those sealed before are void; seal again.' FROM seals GROUP BY shot_id;
UPDATE seals SET revision = -1;

-- +goose Down
SELECT 1/0; -- axes, people and versions cannot be folded back
