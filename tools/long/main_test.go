package main

import (
	"strings"
	"testing"
)

func TestTooLong(t *testing.T) {
	x := strings.Repeat("ü", 116)
	for line, want := range map[string]bool{
		"\t" + x:       false,
		"\t" + x + "x": true,
		"\tName string `json:\"name\" doc:\"" + x + "\"`":          false,
		"\tName string `json:\"name\" doc:\"" + x + "\"` // of it": false,
		"\tsql(`" + x + "`)": true,
	} {
		if n, got := tooLong(line); got != want {
			t.Errorf("%.40s: %d columns, long: %v", line, n, got)
		}
	}
}
