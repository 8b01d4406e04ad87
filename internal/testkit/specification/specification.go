// Package specification gives tests the samples that stand in docs/reference/specification, so that what is written
// there is what is built.
package specification

import (
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"testing"
)

var block = regexp.MustCompile("(?s)```(?:yaml|json)\n(.*?)```")

// Samples gives the YAML and JSON blocks of a page, in their order.
func Samples(t testing.TB, page string) []string {
	t.Helper()
	_, here, _, _ := runtime.Caller(0)
	b, err := os.ReadFile(filepath.Join(filepath.Dir(here), "../../../docs/reference/specification", page))
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, m := range block.FindAllSubmatch(b, -1) {
		out = append(out, string(m[1]))
	}
	return out
}
