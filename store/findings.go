package store

import (
	"context"
	"encoding/json"
)

// Finding is a stored judgement of a take and what it depends on.
type Finding struct {
	TakeID  string
	Depends string
	Doc     json.RawMessage
}

// Findings are the stored judgements of a shot's takes, by take.
func (s *Store) Findings(ctx context.Context, shot string) (map[string]Finding, error) {
	list, err := many[Finding](ctx, s,
		`SELECT f.take_id::text, f.depends, f.doc FROM findings f JOIN takes t ON t.id = f.take_id
			JOIN passes p ON p.id = t.pass_id WHERE p.shot_id = $1`, shot)
	if err != nil {
		return nil, err
	}
	out := make(map[string]Finding, len(list))
	for _, f := range list {
		out[f.TakeID] = f
	}
	return out, nil
}

// SetFinding keeps the judgement of an ended take in place of an older one.
func (s *Store) SetFinding(ctx context.Context, f Finding, against string) error {
	var ref any
	if against != "" {
		ref = against
	}
	_, err := s.exec(ctx, `INSERT INTO findings (take_id, against, depends, doc) VALUES ($1, $2, $3, $4)
		ON CONFLICT (take_id) DO UPDATE SET against = excluded.against, depends = excluded.depends, doc = excluded.doc,
		judged_at = now()`, f.TakeID, ref, f.Depends, f.Doc)
	return err
}
