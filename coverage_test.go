package cirque_test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestCoverageOfNeeds: every test that the table of needs names is there and runs wherever the tests do, what counts as
// met names one, what does not says what is missing, and the figures at its top are right.
func TestCoverageOfNeeds(t *testing.T) {
	t.Parallel()
	there := map[string]bool{}
	function := regexp.MustCompile(`(?m)^func (Test[A-Za-z0-9_]+)\(t \*testing\.T\) \{\n(.*)\n`)
	err := filepath.WalkDir(".", func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() && (d.Name() == "node_modules" || strings.HasPrefix(d.Name(), ".") && d.Name() != ".") {
			if d.IsDir() && err == nil {
				return filepath.SkipDir
			}
			return err
		}
		if !strings.HasSuffix(path, "_test.go") {
			return nil
		}
		b, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		if strings.HasPrefix(string(b), "//go:build") {
			return nil // it does not run everywhere
		}
		for _, m := range function.FindAllStringSubmatch(string(b), -1) {
			there[m[1]] = !strings.Contains(m[2], "t.Skip")
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile("docs/reference/coverage.md")
	if err != nil {
		t.Fatal(err)
	}
	named := regexp.MustCompile("`(Test[A-Za-z0-9_]+)`")
	all, met, part, coming, cannot := 0, 0, 0, 0, 0
	for n, line := range strings.Split(string(text), "\n") {
		cells := strings.Split(strings.Trim(line, "| "), " | ")
		if !strings.HasPrefix(line, "| ") || strings.HasPrefix(line, "| Need |") {
			continue
		}
		all++
		where := strings.ToLower(strings.Join(cells[1:], " "))
		tests := named.FindAllStringSubmatch(line, -1)
		for _, m := range tests {
			if !there[m[1]] {
				t.Errorf("line %d: there is no %s, or it is skipped", n+1, m[1])
			}
		}
		switch {
		case strings.Contains(where, "**cannot be met here**"):
			cannot++
		case strings.Contains(where, "**to come**"):
			if coming++; len(tests) > 0 {
				t.Errorf("line %d: it is to come, and has a test: %s", n+1, line)
			}
		case len(tests) == 0:
			t.Errorf("line %d: no test shows it: %s", n+1, line)
		case strings.Contains(where, "**in part**"):
			part++
		default:
			met++
		}
	}
	says := fmt.Sprintf("Figures: %d needs; %d met, %d in part, %d to come, %d cannot be met here.", all, met, part,
		coming,
		cannot)
	if !strings.Contains(string(text), says) || cannot > 5 {
		t.Errorf("the figures are: %s", says)
	}
}
