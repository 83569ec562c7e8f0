-- +goose Up
-- Every entry of the log is stored once, however often it is sent.
ALTER TABLE log ADD COLUMN id uuid NOT NULL DEFAULT gen_random_uuid();
CREATE UNIQUE INDEX log_by_id ON log (id);
-- Equal fingerprints are the same seal: the lowest version stays, takes follow it.
WITH same AS (
  SELECT id, first_value(id) OVER (PARTITION BY shot_id, fingerprint ORDER BY version) AS keep FROM seals
)
UPDATE takes t SET seal_id = same.keep FROM same WHERE t.seal_id = same.id AND same.id <> same.keep;
WITH newest AS (
  SELECT shot_id, fingerprint, max(revision) AS revision FROM seals GROUP BY shot_id, fingerprint
)
UPDATE seals x SET revision = n.revision FROM newest n WHERE x.shot_id = n.shot_id AND x.fingerprint = n.fingerprint;
DELETE FROM seals x USING seals o WHERE o.shot_id = x.shot_id AND o.fingerprint = x.fingerprint AND o.version < x.version;
CREATE UNIQUE INDEX seals_by_fingerprint ON seals (shot_id, fingerprint);
-- What was judged, and on what it depends.
CREATE TABLE findings (
  take_id uuid PRIMARY KEY REFERENCES takes,
  against uuid REFERENCES takes,
  depends text NOT NULL,
  doc jsonb NOT NULL,
  judged_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX findings_by_against ON findings (against);
CREATE INDEX takes_unfinished ON takes (id) WHERE NOT ended;

-- +goose Down
DROP INDEX takes_unfinished;
DROP TABLE findings;
DROP INDEX seals_by_fingerprint;
DROP INDEX log_by_id;
ALTER TABLE log DROP COLUMN id;
