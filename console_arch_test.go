package cirque_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// consoleArrows are who may import whom in the console; a feature never imports another.
var consoleArrows = map[string][]string{
	"app":      {"features", "parts", "ui", "lib", "api"},
	"features": {"parts", "ui", "lib", "api"},
	"parts":    {"ui", "lib", "api"},
	"ui":       {"lib"},
	"lib":      {},
	"api":      {},
}

// TestConsoleArrows: what a file of the console imports of the others is permitted to its folder.
func TestConsoleArrows(t *testing.T) {
	t.Parallel()
	imports := regexp.MustCompile(`(?:from|import\() ?"(\.[^"]+)"`)
	seen := map[string]bool{}
	root := "web/src"
	err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".ts") && !strings.HasSuffix(path, ".tsx") {
			return err
		}
		b, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(root, path)
		from := strings.Split(filepath.ToSlash(rel), "/")
		allowed, known := consoleArrows[from[0]]
		if !known {
			t.Errorf("%s: %s is no folder of the console", path, from[0])
		}
		seen[from[0]] = true
		for _, m := range imports.FindAllStringSubmatch(string(b), -1) {
			to := strings.Split(filepath.ToSlash(filepath.Clean(filepath.Join(filepath.Dir(rel), m[1]))), "/")
			same := to[0] == from[0] && (to[0] != "features" || to[1] == from[1])
			if !same && !slices.Contains(allowed, to[0]) {
				t.Errorf("%s may not import %s", path, m[1])
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if len(seen) != len(consoleArrows) {
		t.Errorf("only %v are there", seen)
	}
}
