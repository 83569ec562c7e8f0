// Package calc is the register of calculations: a name, a request type, an
// answer type and a pure function from core. The command line and the web call
// Prepare with the same bytes and write what it answers, so their answers are the
// same; only the bounds on their size differ.
package calc

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
)

// Bounds keep a request and its answer to a size.
type Bounds struct {
	RequestBytes int
	Samples      int // of one answer, over all its axes
	Pieces       int // of the curves of all axes
	Stretches    int // of a way that is timed anew; a fifth of them with jerk
}

// CommandLine is for somebody at their own machine, Web for a server that holds
// a rig beside.
var (
	CommandLine = Bounds{RequestBytes: 32 << 20, Samples: 4_000_000, Pieces: 4_000_000, Stretches: 20_000}
	Web         = Bounds{RequestBytes: 2 << 20, Samples: 200_000, Pieces: 400_000, Stretches: 2_000}
)

// FieldError is a caller's mistake: the field, what is wrong with it and what
// would be right. It is the answer when a calculation cannot be made.
type FieldError struct {
	Field string `json:"field"`
	Wrong string `json:"wrong"`
	Want  string `json:"want"`
}

func (e *FieldError) Error() string { return fmt.Sprintf("%s: %s; %s", e.Field, e.Wrong, e.Want) }

// Entry is one calculation.
type Entry struct {
	Name, Doc       string
	request, answer reflect.Type
	example         string
	run             func(context.Context, []byte, Bounds) (Answer, error)
}

// Answer is a calculation's answer, ready to be written: JSON with a newline at
// its end. Writing ends early with the context or the first failing write.
type Answer interface {
	Write(ctx context.Context, w io.Writer) error
}

// whole is an answer that is small enough to be made at once.
type whole []byte

func (a whole) Write(_ context.Context, w io.Writer) error {
	_, err := w.Write(a)
	return err
}

var register = map[string]*Entry{}

// stream registers a calculation that writes its answer of type A by itself.
func stream[Q, A any](name, doc, example string, f func(context.Context, *Q, Bounds) (Answer, error)) {
	register[name] = &Entry{Name: name, Doc: doc, example: example,
		request: reflect.TypeFor[Q](), answer: reflect.TypeFor[A](),
		run: func(ctx context.Context, raw []byte, b Bounds) (Answer, error) {
			q := new(Q)
			if err := decode(raw, q); err != nil {
				return nil, err
			}
			return f(ctx, q, b)
		}}
}

func notFinite() error {
	return &FieldError{"request", "its answer is not a finite number", "use smaller numbers"}
}

// List is every calculation by name.
func List() []*Entry {
	out := make([]*Entry, 0, len(register))
	for _, e := range register {
		out = append(out, e)
	}
	slices.SortFunc(out, func(a, b *Entry) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// Status is how a calculation ended.
type Status int

// The endings: an answer, a mistake in the request, no such calculation.
const (
	OK Status = iota
	BadRequest
	Unknown
)

// Prepare works a request out as far as is needed to know that it can be
// answered. On BadRequest and Unknown the answer is {"error": FieldError}.
func Prepare(ctx context.Context, name string, request []byte, bounds Bounds) (Answer, Status) {
	e := register[name]
	if e == nil {
		names := make([]string, 0)
		for _, e := range List() {
			names = append(names, e.Name)
		}
		return whole(fail(&FieldError{"name", fmt.Sprintf("there is no calculation %q", name),
			"use one of: " + strings.Join(names, ", ")})), Unknown
	}
	if len(request) > bounds.RequestBytes {
		return whole(fail(&FieldError{"request", fmt.Sprintf("it is over %d bytes", bounds.RequestBytes),
			"send less"})), BadRequest
	}
	a, err := e.run(ctx, request, bounds)
	if err == nil {
		return a, OK
	}
	var fe *FieldError
	if !errors.As(err, &fe) {
		fe = &FieldError{"request", err.Error(), "correct it"}
	}
	return whole(fail(fe)), BadRequest
}

// Busy is the answer where too many calculations run already.
func Busy() []byte {
	return fail(&FieldError{"request", "other calculations are still being answered",
		"try again in a moment, or run keenarc calc on the command line"})
}

// Run answers a request at once, within the bounds of the command line.
func Run(name string, request []byte) ([]byte, Status) {
	a, st := Prepare(context.Background(), name, request, CommandLine)
	var b bytes.Buffer
	_ = a.Write(context.Background(), &b) // a buffer takes everything
	return b.Bytes(), st
}

func fail(e *FieldError) []byte {
	b, err := json.Marshal(map[string]*FieldError{"error": e})
	if err != nil {
		return []byte("{}\n")
	}
	return append(b, '\n')
}

func decode(raw []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	err := d.Decode(into)
	if err == nil {
		if _, more := d.Token(); more != io.EOF {
			return &FieldError{"request", "something follows the first object", "send one JSON object"}
		}
		return nil
	}
	var ty *json.UnmarshalTypeError
	var sy *json.SyntaxError
	var fe *FieldError
	switch {
	case errors.As(err, &fe):
		return fe
	case errors.As(err, &ty):
		return &FieldError{orRequest(ty.Field), "it is a " + ty.Value, "give a " + ty.Type.String()}
	case errors.As(err, &sy):
		line, col := place(raw, sy.Offset)
		return &FieldError{"request", fmt.Sprintf("it is not JSON at line %d column %d: %s", line, col, sy.Error()),
			"send one JSON object"}
	case strings.HasPrefix(err.Error(), "json: unknown field "):
		return &FieldError{strings.Trim(strings.TrimPrefix(err.Error(), "json: unknown field "), `"`),
			"there is no such field", "see keenarc calc --schema"}
	}
	return &FieldError{"request", "it ends too early", "send one JSON object"}
}

func orRequest(s string) string {
	if s == "" {
		return "request"
	}
	return s
}

func place(raw []byte, off int64) (line, col int) {
	head := raw[:min(int(off), len(raw))]
	return bytes.Count(head, []byte{'\n'}) + 1, len(head) - bytes.LastIndexByte(head, '\n') - 1
}

// Schema is the JSON Schema of a calculation's request and answer.
func Schema(name string) ([]byte, error) {
	e := register[name]
	if e == nil {
		return nil, fmt.Errorf("there is no calculation %q; see keenarc calc --list", name)
	}
	reg := huma.NewMapRegistry("#/$defs/", huma.DefaultSchemaNamer)
	doc := map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema", "title": e.Name, "description": e.Doc,
		"request": reg.Schema(e.request, true, "Request"), "answer": reg.Schema(e.answer, true, "Answer"),
		"$defs": reg.Map(),
	}
	b, err := json.MarshalIndent(doc, "", "  ")
	return append(b, '\n'), err
}

// Markdown is docs/calc.md.
func Markdown() ([]byte, error) {
	var b bytes.Buffer
	b.WriteString("<!-- generated by keenarc calc --markdown; DO NOT EDIT -->\n# Calculations\n\n`keenarc " +
		"calc NAME < " +
		"request.json > answer.json` and `POST /api/calc/NAME` give the same bytes.\nA mistake in the " +
		"request answers " +
		"`{\"error\":{\"field\":…,\"wrong\":…,\"want\":…}}` with exit 2 / HTTP 422.\n")
	for _, e := range List() {
		s, err := Schema(e.Name)
		if err != nil {
			return nil, err
		}
		out, _ := Run(e.Name, []byte(e.example))
		fmt.Fprintf(&b, "\n## %s\n\n%s\n\nExample request\n\n```json\n%s\n```\n\nIts "+
			"answer\n\n```json\n%s```\n\nSchema\n\n```json\n%s```\n", e.Name, e.Doc, e.example, out, s)
	}
	return b.Bytes(), nil
}
