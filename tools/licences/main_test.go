package main

import (
	"os"
	"path/filepath"
	"testing"
)

func TestLicencesAreKnownByTheirWords(t *testing.T) {
	for text, want := range map[string]string{
		"MIT\n\nPermission is hereby granted, free of\ncharge, to any person … without restriction, …": "MIT",
		"Apache License\nVersion 2.0, January 2004":                                                    "Apache-2.0",
		"Redistribution and use in source and binary forms … Neither the name of …":                    "BSD-3-Clause",
		"Redistribution and use in source and binary forms …":                                          "BSD-2-Clause",
		"Permission to use, copy, modify, and distribute this software for any purpose with or" +
			" without fee": "ISC",
		"All rights reserved.": "",
	} {
		if got := named(text); got != want {
			t.Errorf("%.30q is %q, want %q", text, got, want)
		}
	}
}

// What a package needs is looked for beside it first, then where all lie; what is needed to build alone
// does not ship.
func TestWhatThePackagesNeedShips(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		"package.json": `{"dependencies":{"a":"1","b":"1"},"devDependencies":{` +
			`"tool":"1"}}`,
		"node_modules/a/package.json":                `{"version":"1.0","license":"MIT","dependencies":{"b":"2"}}`,
		"node_modules/b/package.json":                `{"version":"1.0","license":"ISC"}`,
		"node_modules/a/node_modules/b/package.json": `{"version":"2.0","license":"MIT","dependencies":{"a":"1"}}`,
		"node_modules/tool/package.json":             `{"version":"9.0","license":"GPL-3.0"}`,
	} {
		to := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(to, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	got, err := packages(dir)
	if err != nil || len(got) != 3 || got[0] != (part{"a", "1.0", "MIT"}) || got[1] != (part{"b", "1.0", "ISC"}) ||
		got[2] != (part{"b", "2.0", "MIT"}) {
		t.Errorf("%v %v", got, err)
	}
}
