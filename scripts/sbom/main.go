// Command sbom lists what is shipped with Cirque besides its own code: the Go modules in its programs and the npm
// packages in its console, each with version and licence, as CycloneDX 1.6 (ECMA-424) or, with -table, as a table. It
// fails where a licence is not known.
package main

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

// A component is one thing that is shipped.
type component struct {
	Type     string    `json:"type"`
	Name     string    `json:"name"`
	Version  string    `json:"version"`
	PURL     string    `json:"purl"`
	Licenses []license `json:"licenses"`
}

type license struct {
	License struct {
		ID string `json:"id"`
	} `json:"license"`
}

func (c component) licence() string { return c.Licenses[0].License.ID }

func main() {
	table := flag.Bool("table", false, "a table in place of CycloneDX")
	flag.Parse()
	list, err := all()
	if err == nil {
		err = write(os.Stdout, list, *table)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "sbom:", err)
		os.Exit(1)
	}
}

func all() ([]component, error) {
	goes, err := modules()
	if err != nil {
		return nil, err
	}
	npm, err := packages()
	return append(goes, npm...), err
}

func of(kind, name, version, licence string) component {
	c := component{Type: "library", Name: name, Version: version, PURL: "pkg:" + kind + "/" + name + "@" + version}
	var l license
	l.License.ID = licence
	c.Licenses = []license{l}
	return c
}

// modules lists the Go modules that the three programs consist of.
func modules() ([]component, error) {
	out, err := exec.Command("go", "list", "-deps", "-f",
		"{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}", "./cmd/cirque", "./cmd/cirque-agent",
		"./cmd/cirque-sim").Output()
	if err != nil {
		return nil, err
	}
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	slices.Sort(lines)
	var list []component
	for _, line := range slices.Compact(lines) {
		f := strings.Fields(line)
		if len(f) != 3 {
			continue
		}
		licence, err := licenceIn(f[2])
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f[0], err)
		}
		list = append(list, of("golang", f[0], f[1], licence))
	}
	return list, nil
}

// texts tell licences by what stands in no other, by their SPDX identifiers.
var texts = []struct{ id, part string }{
	{"Apache-2.0", "Apache License"}, {"MPL-2.0", "Mozilla Public License"}, {"ISC",
		"Permission to use, copy, modify, and/or"},
	{"ISC", "Permission to use, copy, modify, and distribute this software for any purpose"},
	{"BSD-3-Clause", "Neither the name"}, {"BSD-3-Clause", "may not be used to endorse"},
	{"BSD-2-Clause", "Redistribution and use in source and binary forms"},
	{"MIT", "Permission is hereby granted, free of charge"}, {"Unlicense", "free and unencumbered software"},
}

func licenceIn(dir string) (string, error) {
	for _, pattern := range []string{"LICENSE*", "LICENCE*", "COPYING*", "License*", "license*"} {
		files, _ := filepath.Glob(filepath.Join(dir, pattern))
		for _, f := range files {
			b, err := os.ReadFile(f)
			if err != nil {
				continue
			}
			flat := strings.Join(strings.Fields(string(b)), " ")
			for _, t := range texts {
				if strings.Contains(flat, t.part) {
					return t.id, nil
				}
			}
		}
	}
	return "", fmt.Errorf("no licence is known in it")
}

// packages lists the npm packages that may be in the console: those that are not for building it alone.
func packages() ([]component, error) {
	b, err := os.ReadFile("web/package-lock.json")
	if err != nil {
		return nil, err
	}
	var lock struct {
		Packages map[string]struct {
			Version, License string
			Dev, Optional    bool
		}
	}
	if err := json.Unmarshal(b, &lock); err != nil {
		return nil, err
	}
	var list []component
	for path, p := range lock.Packages {
		i := strings.LastIndex(path, "node_modules/")
		if i < 0 || p.Dev || p.Optional {
			continue
		}
		name := path[i+len("node_modules/"):]
		if p.License == "" {
			return nil, fmt.Errorf("%s: no licence is known of it", name)
		}
		list = append(list, of("npm", name, p.Version, p.License))
	}
	slices.SortFunc(list, func(a, b component) int { return strings.Compare(a.PURL, b.PURL) })
	return slices.CompactFunc(list, func(a, b component) bool { return a.PURL == b.PURL }), nil
}

func write(w io.Writer, list []component, table bool) error {
	if !table {
		enc := json.NewEncoder(w)
		enc.SetIndent("", "  ")
		return enc.Encode(map[string]any{"bomFormat": "CycloneDX", "specVersion": "1.6", "version": 1, "components": list})
	}
	var b bytes.Buffer
	b.WriteString("# What is shipped besides our own code\n\nThe Go modules in the programs and the npm packages in " +
		"the console; `make sbom` " +
		"lists them as CycloneDX too.\nThe list of common passwords (`core/password/common.bin`) was made of that of " +
		"`@zxcvbn-ts/language-common` 4.1.3 (MIT).\n\n| | version | licence |\n|---|---|---|\n")
	for _, c := range list {
		fmt.Fprintf(&b, "| %s | %s | %s |\n", c.Name, c.Version, c.licence())
	}
	_, err := w.Write(b.Bytes())
	return err
}
