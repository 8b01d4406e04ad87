package whole

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"testing/iotest"
)

// TestWrite: whoever reads while others write sees one of them whole, and nothing else is left behind.
func TestWrite(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	file := filepath.Join(dir, "f")
	texts := []string{strings.Repeat("a", 100_000), strings.Repeat("b", 50_000)}
	if err := Write(file, []byte(texts[0]), 0o600); err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	for _, text := range texts {
		wg.Go(func() {
			for range 20 {
				if err := Write(file, []byte(text), 0o600); err != nil {
					t.Error(err)
				}
			}
		})
	}
	for range 200 {
		b, err := os.ReadFile(file)
		if err != nil || string(b) != texts[0] && string(b) != texts[1] {
			t.Fatalf("%d bytes, %v", len(b), err)
		}
	}
	wg.Wait()
	info, err := os.Stat(file)
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Error(info.Mode(), err)
	}
	if list, _ := os.ReadDir(dir); len(list) != 1 {
		t.Errorf("left behind: %v", list)
	}
}

func TestAdd(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	file := filepath.Join(dir, "f")
	if err := Add(file, []byte("one"), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := Add(file, []byte("two"), 0o644); !errors.Is(err, fs.ErrExist) {
		t.Errorf("twice: %v", err)
	}
	if b, err := Read(file); err != nil || string(b) != "one" {
		t.Errorf("%s %v", b, err)
	}
	if list, _ := os.ReadDir(dir); len(list) != 1 {
		t.Errorf("left behind: %v", list)
	}
}

// TestNoRoom: what cannot be written leaves what was there.
func TestNoRoom(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	file := filepath.Join(dir, "f")
	if err := Write(file, []byte("before"), 0o644); err != nil {
		t.Fatal(err)
	}
	broken := errors.New("no room")
	if _, err := write(file, strings.NewReader("after"), 0o644, func(string,
		string) error {
		return broken
	}); !errors.Is(err, broken) {
		t.Error(err)
	}
	if err := Write(filepath.Join(dir, "none", "f"), nil, 0o644); err == nil {
		t.Error("written into a directory that is not there")
	}
	// A source that breaks off leaves no part of it.
	if _, err := Copy(file, iotest.TimeoutReader(iotest.OneByteReader(strings.NewReader("after"))), 0o644); err == nil {
		t.Error("half of it counts as written")
	}
	if b, _ := Read(file); string(b) != "before" {
		t.Errorf("%s", b)
	}
	if list, _ := os.ReadDir(dir); len(list) != 1 {
		t.Errorf("left behind: %v", list)
	}
}

func TestReadEmpty(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "f")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Read(file); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("an empty file: %v", err)
	}
}
