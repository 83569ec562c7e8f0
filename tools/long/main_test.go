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
		if n, _, got := tooLong("a.go", line); got != want {
			t.Errorf("%.40s: %d columns, long: %v", line, n, got)
		}
	}
	for of, want := range map[int]bool{100: false, 101: true} {
		if _, may, got := tooLong("a.vue", strings.Repeat("ü", of)); got != want || may != 100 {
			t.Errorf("%d columns of %d, long: %v", of, may, got)
		}
	}
}
