package cirque_test

import (
	"os"
	"strings"
	"testing"
)

// TestVersion: what is built without a number calls itself what packages are made as, and -dev.
func TestVersion(t *testing.T) {
	t.Parallel()
	b, err := os.ReadFile("packaging/version")
	if err != nil {
		t.Fatal(err)
	}
	want := `= "` + strings.TrimSpace(string(b)) + `-dev"`
	for _, file := range []string{"internal/app/app.go", "cmd/cirque-agent/main.go"} {
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		if !strings.Contains(string(b), want) {
			t.Errorf("%s does not have %s", file, want)
		}
	}
}
