// Package amend changes single fields of a document that others change, too.
//
// A document is anything that is kept as JSON, each version under a number. A Field says which
// field, what it is to be, and the version in which whoever changes it saw that field. It is
// made on the newest version, if the field is as it was seen; what others did to other fields
// meanwhile stays. All changes of one call are made, or none. Nothing that is given is written
// to.
package amend

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"keenarc/core/mistake"
)

// A Field of a document is given another value.
type Field struct {
	// At names the field from the outside in: names of fields, and in a list of things that each
	// have an id, the id. Lists of other things are one field.
	At []string `json:"at" minItems:"1" maxItems:"12" doc:"names of fields from the outside in; in a list of things with an id, the id"`
	// Is is its new value; left out: it is taken out.
	Is json.RawMessage `json:"is,omitempty" doc:"left out: it is taken out"`
	// Seen is the version in which it was seen.
	Seen int64 `json:"seen" minimum:"0" doc:"the version of the document in which it was seen"`
}

// Most is how many changes one call makes at the most.
const Most = 500

// A StaleError names a field that is not as it was seen.
type StaleError struct {
	Field
	// Now is what the field is, nil where it is not there. Called names it from the inside out:
	// fields by their names, things of a list by theirs, in quotes.
	Now    json.RawMessage
	Called []string
}

func (e *StaleError) Error() string {
	return strings.Join(e.Called, " of ") + " was changed in the meantime"
}

// Apply makes changes on the newest version of a document, and returns what comes of it. seen
// is a version as it was; nil where it is not known any more, which is as good as changed. A
// field that is already as it is to be is no error, whoever made it so. Errors: StaleError,
// mistake.Error, those of seen.
func Apply[T any](now *T, seen func(version int64) (*T, error), changes []Field) (*T, error) {
	if len(changes) > Most {
		return nil, mistake.In("changes", fmt.Sprintf("give at most %d at a time", Most), "there are %d", len(changes))
	}
	tree, err := open(now)
	if err != nil {
		return nil, err
	}
	first, was := clone(tree), map[int64]any{}
	var stale *StaleError
	for _, c := range changes {
		if _, ok := was[c.Seen]; !ok {
			doc, err := seen(c.Seen)
			if err != nil {
				return nil, err
			}
			if was[c.Seen] = any(gone{}); doc != nil {
				if was[c.Seen], err = open(doc); err != nil {
					return nil, err
				}
			}
		}
		is, err := read(c.Is)
		if err != nil {
			return nil, mistake.In(strings.Join(c.At, "."), "give one as JSON", "its value cannot be read")
		}
		had, has := find(was[c.Seen], c.At), find(first, c.At)
		if !same(had, has) && !same(has, is) && stale == nil {
			stale = &StaleError{Field: c, Called: called(first, was[c.Seen], c.At)}
			if has != nil {
				stale.Now, _ = json.Marshal(has)
			}
		}
		if tree, err = put(tree, c.At, 0, is); err != nil {
			return nil, err
		}
	}
	out, err := shut[T](tree)
	if stale == nil {
		return out, err
	}
	// What changes nothing was made already: it is sent once more where its answer was lost.
	if err == nil && reflect.DeepEqual(must(open(out)), first) {
		return out, nil
	}
	return nil, stale
}

// At is a field of a document, as JSON that can be compared; nil where it is not there.
func At[T any](doc *T, at []string) []byte {
	tree, err := open(doc)
	if err != nil {
		return nil
	}
	v := find(tree, at)
	if v == nil {
		return nil
	}
	b, _ := json.Marshal(v)
	return b
}

// gone is a version that is not known any more: none of its fields is as anything.
type gone struct{}

func open(doc any) (any, error) {
	b, err := json.Marshal(doc)
	if err != nil {
		return nil, err
	}
	return read(b)
}

func must(v any, _ error) any { return v }

// read keeps numbers as they are written: a document's integers may be longer than a float.
func read(b []byte) (v any, err error) {
	if len(b) == 0 {
		return nil, nil
	}
	d := json.NewDecoder(bytes.NewReader(b))
	d.UseNumber()
	if err = d.Decode(&v); err == nil && d.More() {
		err = io.ErrUnexpectedEOF
	}
	return v, err
}

func shut[T any](tree any) (*T, error) {
	b, err := json.Marshal(tree)
	if err != nil {
		return nil, err
	}
	out := new(T)
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	if err := d.Decode(out); err != nil {
		field, wrong := "changes", strings.TrimPrefix(err.Error(), "json: ")
		var kind *json.UnmarshalTypeError
		if errors.As(err, &kind) {
			field, wrong = kind.Field, "it cannot be "+kind.Value
		}
		return nil, mistake.In(field, "give what belongs there", "%s", wrong)
	}
	return out, nil
}

func nowhere(at []string) error {
	return mistake.In(strings.Join(at, "."), "name one of the document's", "there is no such field")
}

// things reports whether a value is a list whose members each have an id.
func things(v any) bool {
	list, ok := v.([]any)
	return ok && !slices.ContainsFunc(list, func(x any) bool {
		m, _ := x.(map[string]any)
		_, ok := m["id"].(string)
		return !ok
	})
}

// index is where the thing of an id is in a list of things, or -1.
func index(list []any, id string) int {
	if !things(list) {
		return -1
	}
	return slices.IndexFunc(list, func(x any) bool { return thing(x, id) })
}

// find is a field of a tree; nil where it is not there.
func find(v any, at []string) any {
	if _, lost := v.(gone); lost {
		return v
	}
	for _, name := range at {
		switch x := v.(type) {
		case map[string]any:
			v = x[name]
		case []any:
			i := index(x, name)
			if i < 0 {
				return nil
			}
			v = x[i]
		default:
			return nil
		}
	}
	return v
}

// put gives a field of a tree a value, nil: takes it out. What leads to it and is not there is
// made. depth is how much of at leads to v.
func put(v any, at []string, depth int, is any) (any, error) {
	if depth == len(at) {
		return is, nil
	}
	name, last := at[depth], depth == len(at)-1
	if list, ok := v.([]any); ok || v == nil && last && thing(is, name) {
		if i := index(list, name); i >= 0 {
			x, err := put(list[i], at, depth+1, is)
			switch {
			case err != nil:
				return nil, err
			case x == nil:
				return slices.Delete(list, i, i+1), nil
			case !thing(x, name):
				return nil, mistake.In(strings.Join(at, "."), "leave its id as it is", "its id is another one")
			}
			list[i] = x
			return list, nil
		}
		switch {
		case is == nil:
			return v, nil // what is not there is taken out
		case !last || !thing(is, name) || !things(append(list, is)):
			return nil, nowhere(at)
		}
		return append(list, is), nil
	}
	m, ok := v.(map[string]any)
	switch {
	case !ok && v != nil:
		return nil, nowhere(at)
	case !ok && is == nil:
		return v, nil
	case !ok:
		m = map[string]any{}
	}
	for k := range m { // JSON is read without regard to case: a field has one name here
		if k != name && strings.EqualFold(k, name) {
			return nil, nowhere(at)
		}
	}
	x, err := put(m[name], at, depth+1, is)
	if err != nil {
		return nil, err
	}
	if x == nil {
		delete(m, name)
	} else {
		m[name] = x
	}
	return m, nil
}

// thing reports whether a value is an object of an id.
func thing(v any, id string) bool {
	m, ok := v.(map[string]any)
	return ok && m["id"] == any(id)
}

// same compares values: numbers as what they are worth; null, nothing and what is empty alike.
func same(a, b any) bool {
	if empty(a) && empty(b) {
		return true
	}
	switch x := a.(type) {
	case gone:
		return false
	case json.Number:
		y, ok := b.(json.Number)
		return ok && equal(x, y)
	case []any:
		y, ok := b.([]any)
		return ok && slices.EqualFunc(x, y, same)
	case map[string]any:
		y, ok := b.(map[string]any)
		if !ok {
			return false
		}
		for _, both := range [2]map[string]any{x, y} {
			for k := range both {
				if !same(x[k], y[k]) {
					return false
				}
			}
		}
		return true
	}
	return a == b
}

func empty(v any) bool {
	switch x := v.(type) {
	case nil:
		return true
	case []any:
		return len(x) == 0
	case map[string]any:
		return len(x) == 0
	}
	return false
}

func equal(a, b json.Number) bool {
	if a == b {
		return true
	}
	if i, err := strconv.ParseInt(a.String(), 10, 64); err == nil {
		if j, err := strconv.ParseInt(b.String(), 10, 64); err == nil {
			return i == j
		}
	}
	x, errA := a.Float64()
	y, errB := b.Float64()
	return errA == nil && errB == nil && x == y
}

func clone(v any) any {
	switch x := v.(type) {
	case []any:
		out := make([]any, len(x))
		for i := range x {
			out[i] = clone(x[i])
		}
		return out
	case map[string]any:
		out := make(map[string]any, len(x))
		for k := range x {
			out[k] = clone(x[k])
		}
		return out
	}
	return v
}

// called names a field, and what it is a field of: things by their names.
func called(now, was any, at []string) (words []string) {
	for i, name := range at {
		if !things(find(now, at[:i])) && !things(find(was, at[:i])) {
			words = append(words, name)
			continue
		}
		for _, v := range []any{find(now, at[:i+1]), find(was, at[:i+1])} {
			if m, ok := v.(map[string]any); ok {
				if n, ok := m["name"].(string); ok && n != "" {
					name = n
					break
				}
			}
		}
		words = append(words, "“"+name+"”")
	}
	slices.Reverse(words)
	if len(words) > 2 {
		words = words[:2]
	}
	return words
}
