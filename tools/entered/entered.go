// Package entered keeps which functions are entered, for tests that have every function of ours
// say so as it begins. Nothing that ships imports it.
package entered

import "sync"

var (
	mu    sync.Mutex
	on    bool
	names []string
	had   map[string]bool
)

// Begin keeps what is entered from now on.
func Begin() {
	mu.Lock()
	defer mu.Unlock()
	on, names, had = true, nil, map[string]bool{}
}

// End keeps no more, and answers what was entered, in the order in which it first was.
func End() []string {
	mu.Lock()
	defer mu.Unlock()
	on = false
	return names
}

// Func says that a function is entered.
func Func(name string) {
	mu.Lock()
	defer mu.Unlock()
	if on && !had[name] {
		had[name] = true
		names = append(names, name)
	}
}
