// Command licences lists what ships with the application, and under which licence: modules that are
// linked into it, and packages that are bundled into its interface, with all that these need.
//
//	go run ./tools/licences          writes docs/licences.md
//	go run ./tools/licences -check   says whether that is what ships
package main

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

const file = "docs/licences.md"

type part struct{ name, version, licence string }

func main() {
	check := flag.Bool("check", false, "say whether the list is current, and write nothing")
	flag.Parse()
	text, err := list()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
	was, _ := os.ReadFile(file)
	switch {
	case bytes.Equal(was, text):
	case *check:
		fmt.Fprintf(os.Stderr, "%s is not what ships: run make licences\n", file)
		os.Exit(1)
	default:
		if err := os.WriteFile(file, text, 0o644); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(2)
		}
	}
}

func list() ([]byte, error) {
	mods, err := modules()
	if err != nil {
		return nil, err
	}
	packs, err := packages("ui")
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	b.WriteString("# What ships, and its licences\n\nWritten by `make licences`.\n")
	for _, of := range []struct {
		title string
		parts []part
	}{{"Linked into the program", mods}, {"Bundled into the interface", packs}} {
		fmt.Fprintf(&b, "\n## %s\n\n| what | version | licence |\n| --- | --- | --- |\n", of.title)
		for _, p := range of.parts {
			if p.licence == "" {
				return nil, fmt.Errorf("the licence of %s %s is not known", p.name, p.version)
			}
			fmt.Fprintf(&b, "| %s | %s | %s |\n", p.name, p.version, p.licence)
		}
	}
	return b.Bytes(), nil
}

// modules are those of which a package is linked in, and Go's own.
func modules() ([]part, error) {
	out, err := exec.Command("go", "list", "-deps", "-f",
		"{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}", "./cmd/keenarc").Output()
	if err != nil {
		return nil, fmt.Errorf("listing modules: %w", err)
	}
	all := strings.Split(strings.TrimSpace(string(out)), "\n")
	slices.Sort(all)
	var parts []part
	for _, line := range slices.Compact(all) {
		if f := strings.Fields(line); len(f) == 3 {
			parts = append(parts, part{f[0], f[1], textOf(f[2])})
		}
	}
	root, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return nil, fmt.Errorf("looking for Go: %w", err)
	}
	return append(parts, part{"Go's own library", "", textOf(strings.TrimSpace(string(root)))}), nil
}

// packages are what package.json names as needed at run time, and what these need, as they lie in
// node_modules.
func packages(dir string) ([]part, error) {
	type described struct {
		Version      string
		License      string
		Dependencies map[string]string
	}
	read := func(at string) (d described, err error) {
		raw, err := os.ReadFile(filepath.Join(at, "package.json"))
		if err == nil {
			err = json.Unmarshal(raw, &d)
		}
		return d, err
	}
	first, err := read(dir)
	if err != nil {
		return nil, err
	}
	seen := map[string]part{}
	var add func(from string, d described) error
	add = func(from string, d described) error {
		for name := range d.Dependencies {
			at := filepath.Join(from, "node_modules", name)
			if _, err := os.Stat(at); err != nil {
				at = filepath.Join(dir, "node_modules", name)
			}
			if _, ok := seen[at]; ok {
				continue
			}
			own, err := read(at)
			if err != nil {
				return fmt.Errorf("reading %s: %w", name, err)
			}
			seen[at] = part{name, own.Version, own.License}
			if err := add(at, own); err != nil {
				return err
			}
		}
		return nil
	}
	if err := add(dir, first); err != nil {
		return nil, err
	}
	var parts []part
	for _, p := range seen {
		parts = append(parts, p)
	}
	slices.SortFunc(parts, func(a, b part) int { return strings.Compare(a.name+a.version, b.name+b.version) })
	return slices.Compact(parts), nil
}

// textOf is which licence lies in a folder, by words that only it has; empty where that is not known.
func textOf(dir string) string {
	names, _ := filepath.Glob(filepath.Join(dir, "*"))
	for _, n := range names {
		base := strings.ToUpper(filepath.Base(n))
		if !strings.HasPrefix(base, "LICENSE") && !strings.HasPrefix(base, "LICENCE") && !strings.HasPrefix(base,
			"COPYING") {
			continue
		}
		raw, err := os.ReadFile(n)
		if err != nil {
			continue
		}
		if l := named(string(raw)); l != "" {
			return l
		}
	}
	return ""
}

func named(text string) string {
	words := strings.ToLower(strings.Join(strings.Fields(text), " "))
	has := func(s string) bool { return strings.Contains(words, s) }
	switch {
	case has("apache license") && has("version 2.0"):
		return "Apache-2.0"
	case has("mozilla public license") && has("version 2.0"):
		return "MPL-2.0"
	case has("permission to use, copy, modify, and/or distribute this software for any purpose with or without fee"),
		has("permission to use, copy, modify, and distribute this software for any purpose with or without fee"):
		return "ISC"
	case has("permission is hereby granted, free of charge") && has("without restriction"):
		return "MIT"
	case has("redistribution and use in source and binary forms") && has("neither the name"):
		return "BSD-3-Clause"
	case has("redistribution and use in source and binary forms"):
		return "BSD-2-Clause"
	case has("this is free and unencumbered software released into the public domain"):
		return "Unlicense"
	}
	return ""
}
