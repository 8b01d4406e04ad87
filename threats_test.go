package cirque_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestThreatsAreTested: each test that the pages on threats name exists.
func TestThreatsAreTested(t *testing.T) {
	t.Parallel()
	there := map[string]bool{}
	function := regexp.MustCompile(`(?m)^func ((?:Test|Fuzz)\w+)\(`)
	err := filepath.WalkDir(".", func(path string, e os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if e.IsDir() && (e.Name() == "node_modules" || e.Name() != "." && strings.HasPrefix(e.Name(), ".")) {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(path, "_test.go") {
			return nil
		}
		b, err := os.ReadFile(path)
		for _, m := range function.FindAllSubmatch(b, -1) {
			there[string(m[1])] = true
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	named := regexp.MustCompile("`(?:[a-z]+\\.)?((?:Test|Fuzz)\\w+)`")
	for _, page := range []string{"SECURITY.md", "docs/reference/threats.md", "docs/reference/agent.md"} {
		b, err := os.ReadFile(page)
		if err != nil {
			t.Fatal(err)
		}
		found := named.FindAllSubmatch(b, -1)
		if len(found) == 0 {
			t.Errorf("%s names no test", page)
		}
		for _, m := range found {
			if !there[string(m[1])] {
				t.Errorf("%s names %s, which does not exist", page, m[1])
			}
		}
	}
}
