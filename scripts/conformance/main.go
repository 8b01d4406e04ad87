// Command conformance runs the suites of spoolers on each of them, and prints a table of what passed: the checks by
// row, the spoolers by column. What did not run, or was skipped, is said so. With CIRQUE_WINE, as make test-windows has
// it, the spooler of Windows under Wine is one of them.
package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
)

// A column is one spooler: the test that holds it to a suite.
type column struct{ title, pkg, test string }

// A suite has rows of its own.
type suite struct {
	title   string
	columns []column
}

var suites = []suite{
	{"Queues of an endpoint", []column{
		{"stand-in", "./internal/agent", "TestStandInConforms"},
		{"stand-in in memory", "./internal/sim", "TestMemoryConforms"},
		{"Unix", "./internal/agent", "TestUnixConforms"},
		{"Windows, calls in memory", "./internal/windows", "TestConforms"},
		{"Windows under Wine", "./test", "TestWineSpooler"},
	}},
	{"Shared queues of a print server", []column{
		{"stand-in", "./internal/agent", "TestStandInServerConforms"},
		{"Unix", "./internal/agent", "TestUnixServerConforms"},
	}},
}

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	fmt.Print(`# Conformance of spoolers

Made by "make conformance": each check of the two suites in internal/testkit/conform, run on each spooler that the
agent drives. yes: passed. skips: the check does not apply there, and its output says why. Under Wine single parts
stand in: [windows.md](windows.md).
`)
	for _, s := range suites {
		var rows []string
		results := map[string]map[string]string{}
		for _, c := range s.columns {
			got, order, err := c.run()
			if err != nil {
				return err
			}
			results[c.title] = got
			for _, r := range order {
				if !slices.Contains(rows, r) {
					rows = append(rows, r)
				}
			}
		}
		fmt.Printf("\n## %s\n\n| Check |", s.title)
		for _, c := range s.columns {
			fmt.Printf(" %s |", c.title)
		}
		fmt.Print("\n|---|" + strings.Repeat("---|", len(s.columns)) + "\n")
		count := map[string]int{}
		for _, r := range rows {
			fmt.Printf("| %s |", r)
			for _, c := range s.columns {
				says := results[c.title][r]
				if says == "" {
					says = "not run"
				}
				if says == "yes" {
					count[c.title]++
				}
				fmt.Printf(" %s |", says)
			}
			fmt.Println()
		}
		fmt.Print("| passed |")
		for _, c := range s.columns {
			fmt.Printf(" %d of %d |", count[c.title], len(rows))
		}
		fmt.Println()
	}
	return nil
}

// run runs one column's test, and gives its checks' results and their order.
func (c column) run() (results map[string]string, order []string, err error) {
	var says bytes.Buffer
	cmd := exec.Command("go", "test", "-count=1", "-json", "-run", "^"+c.test+"$", c.pkg)
	cmd.Stdout, cmd.Stderr = &says, os.Stderr
	runErr := cmd.Run()
	results = map[string]string{}
	for d := json.NewDecoder(&says); d.More(); {
		var e struct{ Action, Test string }
		if err := d.Decode(&e); err != nil {
			return nil, nil, err
		}
		check, ok := strings.CutPrefix(e.Test, c.test+"/")
		if !ok || strings.Contains(check, "/") || strings.HasPrefix(check, "Test") {
			continue
		}
		switch e.Action {
		case "run":
			order = append(order, words(check))
		case "pass":
			results[words(check)] = "yes"
		case "skip":
			results[words(check)] = "skips"
		case "fail":
			results[words(check)] = "NO"
		}
	}
	if runErr != nil {
		return nil, nil, fmt.Errorf("%s in %s: %w", c.test, c.pkg, runErr)
	}
	return results, order, nil
}

// words gives a check's name as it was written.
func words(name string) string { return strings.ReplaceAll(name, "_", " ") }
