package spool

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
)

// plain wraps keys by writing beside them whose they are.
type plain struct{}

func (plain) Seal(name, secret string) ([]byte, error) { return []byte(name + "\n" + secret), nil }

func (plain) Open(name string, sealed []byte) (string, error) {
	of, secret, _ := strings.Cut(string(sealed), "\n")
	if of != name {
		return "", errors.New("sealed under another name")
	}
	return secret, nil
}

// memory is a database.
type memory struct {
	mu     sync.Mutex
	chunks map[string][]byte
}

func (m *memory) PutChunk(_ context.Context, id, n int64, data []byte) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.chunks[fmt.Sprint(id, "/", n)] = bytes.Clone(data)
	return nil
}

func (m *memory) Chunk(_ context.Context, id, n int64) ([]byte, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	b, ok := m.chunks[fmt.Sprint(id, "/", n)]
	if !ok {
		return nil, io.ErrUnexpectedEOF
	}
	return b, nil
}

func (m *memory) DropChunks(_ context.Context, id int64) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	for k := range m.chunks {
		if strings.HasPrefix(k, fmt.Sprint(id, "/")) {
			delete(m.chunks, k)
		}
	}
	return nil
}

func files(t testing.TB, dir string) Files {
	t.Helper()
	f, err := NewFiles(dir)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func keep(t *testing.T, s *Spool, id int64, text []byte) job.Stored {
	t.Helper()
	w, err := s.Create(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	half := len(text) / 2
	if _, err := w.Write(text[:half]); err != nil {
		t.Fatal(err)
	}
	if _, err := w.ReadFrom(iotestHalf{bytes.NewReader(text[half:])}); err != nil {
		t.Fatal(err)
	}
	d, err := w.Keep()
	if err != nil || d.Bytes != int64(len(text)) {
		t.Fatal(d.Bytes, err)
	}
	w.Drop() // does nothing any more
	return d
}

// iotestHalf gives half of what is asked for.
type iotestHalf struct{ io.Reader }

func (r iotestHalf) Read(b []byte) (int, error) { return r.Reader.Read(b[:(len(b)+1)/2]) }

func text(n int) []byte {
	b := make([]byte, n)
	r := rand.New(rand.NewPCG(uint64(n), 1))
	for i := range b {
		b[i] = byte(r.UintN(256))
	}
	return b
}

// TestKept: what was written is read again, wherever it lies, from any place in it; and it lies nowhere in the clear.
func TestKept(t *testing.T) {
	t.Parallel()
	for called, place := range map[string]Place{"files": files(t, t.TempDir()), "database": NewElsewhere(&memory{
		chunks: map[string][]byte{}})} {
		s := New(plain{}, place)
		for i, n := range []int{0, 1, Piece - 1, Piece, Piece + 1, 3*Piece + 17} {
			want := text(n)
			d := keep(t, s, int64(i), want)
			r, err := s.Open(t.Context(), int64(i), d)
			if err != nil {
				t.Fatal(err)
			}
			got, err := io.ReadAll(r)
			if err != nil || !bytes.Equal(got, want) {
				t.Fatalf("%s, %d bytes: %d come back: %v", called, n, len(got), err)
			}
			for range 20 {
				at := rand.IntN(n + 1)
				if _, err := r.Seek(int64(at), io.SeekStart); err != nil {
					t.Fatal(err)
				}
				some := make([]byte, min(1000, n-at))
				if _, err := io.ReadFull(r, some); err != nil || !bytes.Equal(some, want[at:at+len(some)]) {
					t.Fatalf("%s, %d bytes, at %d: %v", called, n, at, err)
				}
			}
			if end, err := r.Seek(-1, io.SeekEnd); n > 0 && (err != nil || end != int64(n-1)) {
				t.Error(end, err)
			}
			if _, err := r.Seek(-1, io.SeekStart); err == nil {
				t.Error("before the beginning")
			}
			if err := r.Close(); err != nil {
				t.Error(err)
			}
			if err := s.Remove(t.Context(), int64(i)); err != nil {
				t.Error(err)
			}
			if r, err := s.Open(t.Context(), int64(i), d); err == nil {
				if _, err = io.ReadAll(r); err == nil && n > 0 {
					t.Errorf("%s: it is still there", called)
				}
			}
		}
	}
}

// TestDamaged: whatever is changed of a document, or put in its place, is noticed.
func TestDamaged(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	f := files(t, dir)
	s := New(plain{}, f)
	secret := bytes.Repeat([]byte("salary list "), Piece/6)
	d, other := keep(t, s, 7, secret), keep(t, s, 8, secret)
	raw, err := os.ReadFile(f.path(7))
	if err != nil {
		t.Fatal(err)
	}
	if bytes.Contains(raw, []byte("salary")) {
		t.Fatal("it lies there in the clear")
	}
	for what, change := range map[string]func() []byte{
		"a bit":           func() []byte { b := bytes.Clone(raw); b[len(b)/2] ^= 1; return b },
		"the last piece":  func() []byte { return raw[:sealed] },
		"a piece doubled": func() []byte { return append(bytes.Clone(raw[:sealed]), raw[:sealed]...) },
		"all":             func() []byte { return nil },
		"the tail":        func() []byte { return raw[:len(raw)-1] },
	} {
		if err := os.WriteFile(f.path(7), change(), 0o600); err != nil {
			t.Fatal(err)
		}
		r, err := s.Open(t.Context(), 7, d)
		if err == nil {
			_, err = io.ReadAll(r)
		}
		if err == nil {
			t.Errorf("%s: nothing was noticed", what)
		}
	}
	if _, err := s.Open(t.Context(), 7, other); err == nil {
		t.Error("the key of another document opens it")
	}
	if _, err := s.Open(t.Context(), 8, job.Stored{Key: other.Key, Place: "database"}); !fault.Is(err, fault.Unavailable) {
		t.Error(err)
	}
}

// TestDropped: what is not kept leaves nothing behind; and what belongs to no job is swept away, when it is old enough.
func TestDropped(t *testing.T) {
	t.Parallel()
	f := files(t, t.TempDir())
	s := New(plain{}, f)
	w, err := s.Create(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.Write(text(2 * Piece)); err != nil {
		t.Fatal(err)
	}
	w.Drop()
	if _, err := os.Stat(f.path(1)); !errors.Is(err, os.ErrNotExist) {
		t.Error(err)
	}
	keep(t, s, 2, []byte("two"))
	keep(t, s, 3, []byte("three"))
	known := func(ids []int64) (map[int64]bool, error) { return map[int64]bool{2: true}, nil }
	if n, err := f.Sweep(time.Hour, known); n != 0 || err != nil {
		t.Error("what has just been written is gone:", n, err)
	}
	if n, err := f.Sweep(-time.Hour, known); n != 1 || err != nil {
		t.Error(n, err)
	}
	for id, there := range map[int64]bool{2: true, 3: false} {
		if _, err := os.Stat(f.path(id)); (err == nil) != there {
			t.Errorf("%d: %v", id, err)
		}
	}
}

// full takes nothing.
type full struct{ Files }

func (full) Create(context.Context, int64) (Pieces, error) { return full{}, nil }
func (full) Put([]byte) error                              { return syscall.ENOSPC }
func (full) Keep() error                                   { return nil }
func (full) Drop()                                         {}

// TestFull: a disk without room is told as something that is not there just now.
func TestFull(t *testing.T) {
	t.Parallel()
	w, err := New(plain{}, full{}).Create(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.ReadFrom(bytes.NewReader(text(3 * Piece))); !fault.Is(err, fault.Unavailable) || !errors.Is(err,
		syscall.ENOSPC) {
		t.Error(err)
	}
}

// BenchmarkKeep keeps documents of 10 MB, beside a raw copy of them to files that are synchronised.
func BenchmarkKeep(b *testing.B) {
	const size = 10 << 20
	doc := text(size)
	b.Run("kept", func(b *testing.B) {
		s := New(plain{}, files(b, b.TempDir()))
		b.SetBytes(size)
		for i := range b.N {
			w, err := s.Create(b.Context(), int64(i%50))
			if err != nil {
				b.Fatal(err)
			}
			if _, err := w.ReadFrom(bytes.NewReader(doc)); err != nil {
				b.Fatal(err)
			}
			if _, err := w.Keep(); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("copied", func(b *testing.B) {
		dir := b.TempDir()
		b.SetBytes(size)
		for i := range b.N {
			f, err := os.Create(filepath.Join(dir, fmt.Sprint(i%50)))
			if err != nil {
				b.Fatal(err)
			}
			if _, err := io.Copy(f, struct{ io.Reader }{bytes.NewReader(doc)}); err != nil {
				b.Fatal(err)
			}
			if err := errors.Join(f.Sync(), f.Close()); err != nil {
				b.Fatal(err)
			}
		}
	})
}
