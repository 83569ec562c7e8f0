package store

import (
	"context"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"keenarc/journal"
)

// execer is a pool or a transaction that writes.
type execer interface {
	Exec(context.Context, string, ...any) (pgconn.CommandTag, error)
}

// writer is the database or a transaction in it.
type writer interface {
	execer
	QueryRow(context.Context, string, ...any) pgx.Row
}

// asPerson is a person's columns as one value, for queries that join people as w.
const asPerson = `jsonb_build_object('id', w.id, 'name', w.name, 'role', w.role)`

// know writes a person down who may have come while the database was away. One who
// has another's name and role is that other: the id that counts is returned.
func know(ctx context.Context, q writer, p journal.Person) (string, error) {
	switch {
	case p.ID == "" && p.Name == "":
		p = journal.Somebody
	case p.ID == "":
		p.ID = journal.NewID()
	}
	if _, err := q.Exec(ctx, `INSERT INTO people (id, name, role) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING`, p.ID,
		p.Name, p.Role); err != nil {
		return "", err
	}
	var id string
	err := q.QueryRow(ctx,
		`SELECT id::text FROM people WHERE id = $1 OR (name = $2 AND role = $3) ORDER BY id = $1 DESC LIMIT 1`, p.ID,
		p.Name, p.Role).Scan(&id)
	return id, err
}

// People lists everybody, those who came last first.
func (s *Store) People(ctx context.Context) ([]journal.Person, error) {
	return many[journal.Person](ctx, s,
		`SELECT id::text, name, role FROM people WHERE id <> $1 AND id <> $2 ORDER BY created_at DESC, name LIMIT 100`,
		journal.Itself.ID, journal.Shell.ID)
}

// Person finds somebody by name and role, or writes them down.
func (s *Store) Person(ctx context.Context, name, role string) (journal.Person, error) {
	p := journal.Person{ID: journal.NewID(), Name: name, Role: role}
	id, err := know(ctx, s.Pool, p)
	p.ID = id
	return p, err
}
