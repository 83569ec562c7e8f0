package store

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"

	"github.com/jackc/pgx/v5/pgconn"
)

// Errors of the database are of two sorts: it cannot do it now (away, full,
// starting, out of memory), or it will never do it (the entry itself is wrong).

// unreadable is a line that means nothing here.
type unreadable struct{ why string }

func (e *unreadable) Error() string { return e.why }

// reason is an error as the log says it.
func reason(err error) string {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return fmt.Sprintf("the database refuses it (%s)", pg.Message)
	}
	return err.Error()
}

// permanent reports whether an error is the entry's own fault: bad data (class
// 22), a broken rule (23), a statement that cannot be (21, 42). Missing tables
// and rights are the database's fault and may be mended.
func permanent(err error) bool {
	var un *unreadable
	if errors.As(err, &un) {
		return true
	}
	var pg *pgconn.PgError
	if !errors.As(err, &pg) || len(pg.Code) != 5 {
		return false
	}
	switch pg.Code {
	case "42P01", "42501":
		return false
	}
	switch pg.Code[:2] {
	case "21", "22", "23", "42":
		return true
	}
	return false
}

// Away reports whether an error says that the database was not reached or could not answer.
func Away(err error) bool { return passing(err) }

// passing reports whether an error says that the database was not reached or
// could not answer.
func passing(err error) bool {
	var ne net.Error
	var ce *pgconn.ConnectError
	var pg *pgconn.PgError
	return pgconn.SafeToRetry(err) || pgconn.Timeout(err) || errors.As(err, &ne) || errors.As(err, &ce) ||
		errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) ||
		errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) || errors.As(err, &pg) &&
		!permanent(err)
}

// never reports whether an entry can never be stored. An error of neither sort
// (a value that the driver cannot encode, say) is the entry's own when the
// database answers and the entry fails again.
func (j *Journal) never(ctx context.Context, x spooled, err error) bool {
	if permanent(err) {
		return true
	}
	if passing(err) {
		return false
	}
	try, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if j.s.Pool.Ping(try) != nil {
		return false
	}
	again := j.apply(try, x)
	return again != nil && !passing(again)
}
