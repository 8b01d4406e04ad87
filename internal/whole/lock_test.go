package whole

import (
	"errors"
	"path/filepath"
	"testing"
)

// TestLock: one alone has it; it is free again once it was given back.
func TestLock(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "lock")
	unlock, _, err := Lock(file)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := Lock(file); !errors.Is(err, ErrLocked) {
		t.Errorf("a second has it, too: %v", err)
	}
	if err := unlock(); err != nil {
		t.Fatal(err)
	}
	if unlock, _, err = Lock(file); err != nil {
		t.Fatal(err)
	}
	if err := unlock(); err != nil {
		t.Error(err)
	}
	if _, _, err := Lock(filepath.Join(t.TempDir(), "none", "lock")); err == nil || errors.Is(err, ErrLocked) {
		t.Errorf("where there is no directory: %v", err)
	}
}
