// Package specification gives tests the samples that stand in docs/reference/specification, so that what is written
// there is what is built.
package specification

import (
	"os"
	"path/filepath"
	"regexp"
	"testing"
)

var block = regexp.MustCompile("(?s)```(?:yaml|json)\n(.*?)```")

// Samples gives the YAML and JSON blocks of a page, in their order.
func Samples(t testing.TB, page string) []string {
	t.Helper()
	root := "."
	for range 8 { // a test runs in the folder of its package
		if _, err := os.Stat(filepath.Join(root, "go.mod")); err == nil {
			break
		}
		root = filepath.Join(root, "..")
	}
	b, err := os.ReadFile(filepath.Join(root, "docs/reference/specification", page))
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, m := range block.FindAllSubmatch(b, -1) {
		out = append(out, string(m[1]))
	}
	return out
}
