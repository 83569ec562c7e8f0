// Package mistake is how core says what a caller got wrong: which field, what is wrong
// with it, and what would be right. Nothing else is an error of the same type, so that
// whoever shows it can point to the field.
package mistake

import "fmt"

// Error is a caller's mistake. Choices, where there are some, are what may have been meant.
type Error struct {
	Field, Wrong, Want string
	Choices            []string
}

func (e *Error) Error() string { return fmt.Sprintf("%s: %s; %s", e.Field, e.Wrong, e.Want) }

// In is a mistake in a field; wrong is a format.
func In(field, want, wrong string, v ...any) error {
	return &Error{Field: field, Wrong: fmt.Sprintf(wrong, v...), Want: want}
}
