package windows

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestCallsTold: the reference tells of each call that is made of the system, and of none that is not.
func TestCallsTold(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("../../docs/reference/windows.md")
	if err != nil {
		t.Fatal(err)
	}
	made := map[string]bool{}
	files, err := filepath.Glob("../winspool/*_windows.go")
	if err != nil || len(files) == 0 {
		t.Fatal(files, err)
	}
	for _, f := range files {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range regexp.MustCompile(`NewProc\("(\w+)"\)`).FindAllStringSubmatch(string(b), -1) {
			made[m[1]] = true
			if !strings.Contains(string(text), "`"+m[1]+"`") {
				t.Errorf("%s is made in %s, and docs/reference/windows.md does not tell of it", m[1], filepath.Base(f))
			}
		}
	}
	for _, m := range regexp.MustCompile("`(\\w+(?:PrinterW?|PrintersW|ExW|JobW|PortsW|DC))`").FindAllStringSubmatch(string(text), -1) {
		if !made[m[1]] {
			t.Errorf("docs/reference/windows.md tells of %s, which is not made", m[1])
		}
	}
}
