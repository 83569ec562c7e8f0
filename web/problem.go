package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/jackc/pgx/v5/pgconn"

	"keenarc/core/balance"
	"keenarc/core/path"
	"keenarc/core/weave"
	"keenarc/exchange"
	"keenarc/journal"
	"keenarc/stage/machine"
	"keenarc/store"
)

// Problem is every route's answer to what cannot be done (RFC 9457), but for
// /api/calc, whose answers are the command line's. Where one field of the request
// is to blame it names the field, what is wrong with it and what would be right.
type Problem struct {
	Type   string `json:"type"`
	Title  string `json:"title"`
	Status int    `json:"status"`
	Detail string `json:"detail" doc:"the sentence for people"`
	Field  string `json:"field,omitempty"`
	Wrong  string `json:"wrong,omitempty"`
	Want   string `json:"want,omitempty"`
	// Choices are what may have been meant, each to be given instead.
	Choices []string `json:"choices,omitempty"`
	// Version is the document's, where a field of it was changed since it was seen.
	Version *int64 `json:"version,omitempty"`
	// Uncertain: it is not known whether what was asked was done.
	Uncertain bool `json:"uncertain,omitempty" doc:"whether it was stored is not known; the next look says it"`
}

func (p *Problem) Error() string { return p.Detail }

// GetStatus is the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is RFC 9457's.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

func newProblem(status int, detail string) *Problem {
	return &Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: detail}
}

// blame is a problem with one field of the request.
func blame(field, wrong, want string) *Problem {
	p := newProblem(http.StatusUnprocessableEntity,
		capital(fmt.Sprintf("%s: %s; %s.", strings.ReplaceAll(field, "_", " "), wrong, want)))
	p.Field, p.Wrong, p.Want = field, wrong, want
	return p
}

// blamed is blame for an error that says what is wrong and, behind a semicolon,
// what would be right.
func blamed(field string, err error) *Problem {
	wrong, want, _ := strings.Cut(err.Error(), "; ")
	return blame(field, wrong, want)
}

func capital(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// sentence is an error as a sentence.
func sentence(err error) string {
	text := capital(err.Error())
	if strings.HasSuffix(text, ".") || strings.HasSuffix(text, "?") {
		return text
	}
	return text + "."
}

func conflict(text string) *Problem { return newProblem(http.StatusConflict, text) }

// Validation by schema makes problems, too.
func init() {
	huma.NewError = func(status int, msg string, errs ...error) huma.StatusError {
		p := newProblem(status, msg)
		for _, err := range errs {
			var d *huma.ErrorDetail
			if !errors.As(err, &d) {
				continue
			}
			field, nul := strings.CutPrefix(d.Message, nulIn)
			switch {
			case nul:
				return blame(field, "it holds a character that is no text (NUL)", "leave it out")
			case status == http.StatusBadRequest && d.Location == "body":
				p = newProblem(status, "This request cannot be read: "+shortened(d.Message)+".")
			default:
				p = blame(strings.TrimPrefix(strings.TrimPrefix(d.Location, "body."), "query."),
					shortened(d.Value)+" is not what belongs there", d.Message)
				p.Status, p.Title = status, http.StatusText(status)
			}
			return p
		}
		return p
	}
}

// problem writes an error in the API's own form.
func problem(w http.ResponseWriter, err error) {
	p, ok := err.(*Problem)
	if !ok {
		p = newProblem(http.StatusInternalServerError, wentWrong)
	}
	w.Header().Set("Content-Type", p.ContentType(""))
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}

// says answers everything with one problem.
func says(status int, detail string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) { problem(w, newProblem(status, detail)) }
}

// What is answered where nothing better is known; what it was stands in the log.
const (
	wentWrong = "Something went wrong here. What it was stands in the application's log."
	tooLong   = "This took too long and was broken off; nothing more of it is carried out. Try again in a moment."
	unknown   = "The database went away in the middle of this: whether it was stored is not known. Look what " +
		"is there " +
		"before you do it again."
)

// readsOnly says of what only reads that nothing was changed, whatever became of it.
func readsOnly(ctx huma.Context, _ string, v any) (any, error) {
	if p, ok := v.(*Problem); ok && p.Uncertain && ctx.Method() == http.MethodGet {
		q := *p
		q.Uncertain, q.Detail = false, databaseAway
		return &q, nil
	}
	return v, nil
}

const databaseAway = "The database cannot be reached. Nothing was changed; try again in a moment."

// fail turns an error into an answer that says what to do.
func (s *Server) fail(err error) error {
	if err == nil {
		return nil
	}
	if p := s.known(err); p != nil {
		return p
	}
	s.log.Error("request", "err", err)
	return newProblem(http.StatusInternalServerError, wentWrong)
}

// known is the answer to an error of which it is known what to say, or nil.
func (s *Server) known(err error) *Problem {
	var own *Problem
	var pe *path.Error
	var we *weave.Error
	var me *balance.MistakeError
	var le *exchange.PlaceError
	var te *store.ChangedError
	var pg *pgconn.PgError
	var ce *pgconn.ConnectError
	switch {
	case errors.As(err, &own):
		return own
	case errors.As(err, &me):
		p := blame(me.Field, me.Wrong, me.Want)
		p.Choices = me.Choices
		return p
	case errors.As(err, &we):
		return blame(we.Field, we.Wrong, we.Want)
	case errors.As(err, &pe):
		return blame(pe.Field, pe.Wrong, pe.Want)
	case errors.As(err, &le):
		p := newProblem(http.StatusUnprocessableEntity, le.Error())
		p.Field, p.Wrong, p.Want = le.Column, le.Wrong, le.Want
		return p
	case errors.Is(err, errCrowded):
		return newProblem(http.StatusTooManyRequests, sentence(err))
	case errors.Is(err, store.ErrNotFound):
		return newProblem(http.StatusNotFound, err.Error())
	case errors.As(err, &te):
		p := conflict(err.Error())
		p.Field, p.Version = strings.Join(te.StaleError.At, "."), &te.Newest
		return p
	case errors.Is(err, store.ErrElse), errors.Is(err, store.ErrStale), errors.Is(err, store.ErrTaken),
		errors.Is(err, store.ErrVoid), errors.Is(err, store.ErrOpen), errors.Is(err, store.ErrNewer),
		errors.As(err, new(*store.ClashError)), errors.As(err, new(*store.LinedUpError)):
		return conflict(err.Error())
	case errors.Is(err, machine.ErrNoRig):
		return newProblem(http.StatusServiceUnavailable, err.Error())
	case errors.Is(err, machine.ErrWatching), errors.Is(err, journal.ErrElsewhere), errors.Is(err, journal.ErrElse),
		errors.Is(err, journal.ErrDecided):
		return conflict(err.Error())
	case errors.As(err, &pg) && pg.Code == "22P02":
		return newProblem(http.StatusNotFound, store.ErrNotFound.Error())
	case errors.As(err, &pg) && pg.Code == "23505":
		return conflict("That is there already; look at it as it is now.")
	case errors.As(err, &pg) && strings.HasPrefix(pg.Code, "23"):
		return conflict("That does not go with what is kept; look at it as it is now.")
	case errors.As(err, &pg) && (strings.HasPrefix(pg.Code, "22") || pg.Code == "21000"):
		s.log.Error("a value cannot be kept", "err", err)
		return newProblem(http.StatusUnprocessableEntity,
			"A value of this cannot be kept: a number or a date that there is not, or a character that is no text.")
	case errors.As(err, new(*store.UncertainError)):
		s.log.Error("database", "err", err)
		p := newProblem(http.StatusServiceUnavailable, unknown)
		p.Uncertain = true
		return p
	case errors.As(err, &ce), errors.As(err, &pg):
		s.log.Error("database", "err", err)
		return newProblem(http.StatusServiceUnavailable, databaseAway)
	case errors.Is(err, context.Canceled): // nobody waits for the answer
		return newProblem(http.StatusServiceUnavailable, tooLong)
	case errors.Is(err, context.DeadlineExceeded):
		s.log.Error("request", "err", err)
		return newProblem(http.StatusServiceUnavailable, tooLong)
	}
	if store.Away(err) {
		s.log.Error("database", "err", err)
		return newProblem(http.StatusServiceUnavailable, databaseAway)
	}
	return nil
}

// refused is an answer for what the rig or the rules do not allow.
func (s *Server) refused(err error) error {
	var own *Problem
	switch {
	case err == nil || errors.Is(err, machine.ErrNoRig):
		return s.fail(err)
	case errors.As(err, &own):
		return own
	case inner(err):
		return s.fail(err)
	}
	return conflict(err.Error())
}

// inner reports whether an error says how this program is made, as its database, a file or its
// place on the disk: that is for the log.
func inner(err error) bool {
	var pg *pgconn.PgError
	var ce *pgconn.ConnectError
	var file *fs.PathError
	return errors.As(err, &pg) || errors.As(err, &ce) || errors.As(err, &file) ||
		errors.As(err, new(*store.UncertainError))
}

// busyOr makes a problem of what somebody else's activity does not let be done; else it
// leaves the error as it is.
func busyOr(err error) error {
	var busy *machine.BusyError
	if errors.As(err, &busy) || errors.Is(err, machine.ErrStopped) || errors.Is(err, machine.ErrLate) ||
		errors.Is(err, machine.ErrLost) {
		return conflict(sentence(err))
	}
	return err
}

// refusedOr is an answer for what the rules do not allow, or what went wrong on the way there.
func (s *Server) refusedOr(err error) error {
	if err == nil {
		return nil
	}
	var own *Problem
	if err = busyOr(err); errors.As(err, &own) {
		return own
	}
	if p := s.known(err); p != nil {
		return p
	}
	if inner(err) {
		return s.fail(err)
	}
	return conflict(err.Error())
}
