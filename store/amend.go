package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"keenarc/core/amend"
	"keenarc/core/balance"
	"keenarc/core/rig"
	"keenarc/journal"
)

// Past is a version of a document: its number, and who made it when.
type Past[T any] struct {
	Version int64          `json:"version"`
	At      time.Time      `json:"at"`
	By      journal.Person `json:"by"`
	Doc     *T             `json:"-"`
}

// ChangedError is returned where a field was changed since it was seen.
type ChangedError struct {
	*amend.StaleError
	By journal.Person
	At time.Time
	// Newest is the document's version now.
	Newest int64
}

// ErrElse is returned for what is something else by now than it was seen to be.
var ErrElse = errors.New("that was changed in the meantime")

func (e *ChangedError) Error() string {
	is := "took it out"
	if e.Now != nil {
		is = "made it " + short(string(e.Now))
	}
	words := make([]string, len(e.Called))
	for i, name := range e.Called {
		if words[i] = fields[name]; words[i] == "" {
			words[i] = strings.ReplaceAll(name, "_", " ")
		}
	}
	called := strings.Join(words, " of ")
	if e.By.Name == "" {
		return fmt.Sprintf("%s was changed in the meantime", called)
	}
	return fmt.Sprintf("%s: %s %s in the meantime, at %s", called, e.By.Name, is, e.At.Local().Format("15:04:05"))
}

// fields is what forms call some fields of these documents.
var fields = map[string]string{"slide_mm": "what the plate reads", "rise_mm": "what the riser reads",
	"creep_deg_h": "creep", "droop_share": "the drive's droop",
	"seen": "what it does when you let go", "felt": "the poses read", "own": "the weights that you own",
	"arms_mm":     "what the arm is used from and to",
	"p80_minutes": "one time in five over", "thread": "the thread", "rated_w": "rated", "peak_w": "peak",
	"standby_w": "at rest", "start_w": "switching on",
	"cable_m": "the cable's length", "section_mm2": "the cable's section", "soft": "the soft limits",
	"zero": "the plan's zero", "whole_kg": "what all of it weighs",
	"f_number": "the stop", "pupil_m": "the entrance pupil", "crop": "digital zoom", "holds": "a picture from",
	"ask_m": "ask beyond", "speed_share": "the share of the speed"}

// short is a value as it is said in a sentence.
func short(v string) string {
	if r := []rune(v); len(r) > 40 {
		return "another"
	}
	return v
}

// Amended makes changes on the newest of a document's versions, newest first. A version that is
// not among them is one that nobody knows any more. Errors: ChangedError, and those of
// amend.Apply.
func Amended[T any](versions []Past[T], changes []amend.Field) (*T, error) {
	if len(versions) == 0 {
		return nil, ErrNotFound
	}
	out, err := amend.Apply(versions[0].Doc, func(v int64) (*T, error) {
		for i := range versions {
			if versions[i].Version == v {
				return versions[i].Doc, nil
			}
		}
		return nil, nil
	}, changes)
	var stale *amend.StaleError
	if !errors.As(err, &stale) {
		return out, err
	}
	// The one who gave the field the value that it has.
	who, now := versions[0], string(amend.At(versions[0].Doc, stale.At))
	for _, v := range versions[1:] {
		if string(amend.At(v.Doc, stale.At)) != now {
			break
		}
		who = v
	}
	return nil, &ChangedError{stale, who.By, who.At, versions[0].Version}
}

// mostPast is how many versions back a field is known as it was seen.
const mostPast = 500

// AmendSite changes fields of a shot's sheet of a kind. Where there is none yet, begin is what
// they are changed in (nil: that is an error). f looks at what comes of it, as in ChangeSite.
func AmendSite[T any](ctx context.Context, s *Store, who journal.Person, shot, what string, begin *T,
	changes []amend.Field, f func(*T) (day string, err error)) error {
	return s.tx(ctx, func(tx pgx.Tx) error {
		if _, err := lock(ctx, tx, shot); err != nil {
			return err
		}
		rows, err := many[SiteRow[T]](ctx, tx, siteNewest+` ORDER BY revision DESC LIMIT $3`, shot, what, mostPast)
		if err != nil {
			return err
		}
		versions := make([]Past[T], len(rows), len(rows)+1)
		for i, r := range rows {
			versions[i] = Past[T]{r.Revision, r.At, r.By, r.Doc}
		}
		if begin != nil && len(rows) < mostPast {
			versions = append(versions, Past[T]{Doc: begin})
		}
		now, err := Amended(versions, changes)
		if err != nil {
			return err
		}
		day, err := f(now)
		if err != nil {
			return err
		}
		next := versions[0].Version + 1
		return addSite(ctx, tx, who, shot, what, next, next, day, now)
	})
}

// PackageVersions are the versions of a camera package, the newest first.
func (s *Store) PackageVersions(ctx context.Context, id string) ([]Past[journal.CameraPackage], error) {
	return many[Past[journal.CameraPackage]](ctx, s, `SELECT p.version, p.at, `+asPerson+
		` AS by, p.doc FROM packages p JOIN people w ON w.id = p.person_id WHERE p.id = $1 ORDER BY p.version DESC
			LIMIT $2`, id, mostPast)
}

const balances = `SELECT row_number() OVER (ORDER BY b.at, b.id) AS version, b.at, ` + asPerson +
	` AS by, b.doc FROM balances b JOIN people w ON w.id = b.person_id
	WHERE b.package_id = $1 AND b.rig_id = $2 ORDER BY version DESC`

// Balances are the records of a package on a machine, the newest first, numbered from 1.
func (s *Store) Balances(ctx context.Context, pack, machine string) ([]Past[balance.Settled], error) {
	return many[Past[balance.Settled]](ctx, s, balances+` LIMIT $3`, pack, machine, mostPast)
}

// RigPast are the versions of a machine of the book, the newest first.
func (s *Store) RigPast(ctx context.Context, id string) ([]Past[rig.Rig], error) {
	list, err := s.RigVersions(ctx, id)
	out := make([]Past[rig.Rig], len(list))
	for i, v := range list {
		out[i] = Past[rig.Rig]{int64(v.Version), v.At, v.By, v.Doc}
	}
	return out, err
}
