-- +goose Up
-- Three migrations were changed after some databases had taken them: what they lack or have
-- otherwise is made the same here.
DROP INDEX IF EXISTS edits_by_id;
CREATE UNIQUE INDEX edits_by_id ON edits (shot_id, id) WHERE id IS NOT NULL;
CREATE INDEX IF NOT EXISTS balances_last ON balances (rig_id, at DESC, id DESC);
ALTER TABLE seals ADD COLUMN IF NOT EXISTS over text NOT NULL DEFAULT '';
-- A frame scheme without bounds could be stored, and could not be laid out.
UPDATE shoots h SET revision = revision + 1, scheme = h.scheme || jsonb_build_object('first', 0, 'last', 24, 'holds', '[{"from": 0, "every": 1}]'::jsonb,
  'layers', (SELECT jsonb_agg(l || '{"from": 0, "to": 24}'::jsonb) FROM jsonb_array_elements(h.scheme->'layers') l))
  WHERE (h.scheme->>'first')::numeric < -16777216 OR (h.scheme->>'last')::numeric > 16777216 OR (h.scheme->>'last')::numeric - (h.scheme->>'first')::numeric > 20000;

-- +goose Down
SELECT 1;
