package backup

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
)

// A keyPair seals and opens.
type keyPair struct {
	file []byte
	seal Seal
	open Keys
}

func newPair(t testing.TB) keyPair {
	t.Helper()
	file, public, err := NewKey(time.Now())
	if err != nil {
		t.Fatal(err)
	}
	seal, err := To("", []string{public})
	if err != nil {
		t.Fatal(err)
	}
	open, err := With("", file)
	if err != nil {
		t.Fatal(err)
	}
	return keyPair{file, seal, open}
}

// written makes a backup of a small file and of streams of these sizes.
func written(t testing.TB, seal Seal, sizes ...int) (file []byte, held map[string][]byte, sums map[string]Sum) {
	t.Helper()
	var out bytes.Buffer
	w, err := NewWriter(&out, time.Unix(1e9, 0), seal)
	if err != nil {
		t.Fatal(err)
	}
	held = map[string][]byte{"files/key": []byte("secret\n")}
	if err := w.Put("files/key", held["files/key"]); err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(1, 2))
	for i, size := range sizes {
		b := make([]byte, size)
		for j := range b {
			b[j] = byte(r.IntN(4))
		}
		name := fmt.Sprintf("tables/t%d", i)
		held[name] = b
		s := w.Stream(name)
		for rest := b; len(rest) > 0; {
			n := min(len(rest), 1+r.IntN(700_000))
			if _, err := s.Write(rest[:n]); err != nil {
				t.Fatal(err)
			}
			rest = rest[n:]
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
		w.Rows(name, int64(i+1))
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if w.Written() != int64(out.Len()) {
		t.Errorf("%d octets went out, it says %d", out.Len(), w.Written())
	}
	return out.Bytes(), held, w.Sums()
}

// readAll reads a backup to its end.
func readAll(file []byte, with Keys) (held map[string][]byte, sums map[string]Sum, err error) {
	r, err := NewReader(bytes.NewReader(file), with)
	if err != nil {
		return nil, nil, err
	}
	defer r.Close()
	held = map[string][]byte{}
	for {
		name, from, err := r.Next()
		if errors.Is(err, io.EOF) {
			return held, r.Sums(), nil
		}
		if err != nil {
			return held, nil, err
		}
		if held[name], err = io.ReadAll(from); err != nil {
			return held, nil, err
		}
	}
}

// TestBackAndForth: what is written is read, whatever its size is beside that of a piece.
func TestBackAndForth(t *testing.T) {
	t.Parallel()
	k := newPair(t)
	file, held, sums := written(t, k.seal, 0, 1, pieceSize-1, pieceSize, pieceSize+1, 2*pieceSize+5)
	got, read, err := readAll(file, k.open)
	if err != nil {
		t.Fatal(err)
	}
	if len(got) != len(held) || len(read) != len(sums) {
		t.Errorf("%d entries and %d sums of %d", len(got), len(read), len(held))
	}
	for name, b := range held {
		if !bytes.Equal(got[name], b) || read[name] != sums[name] || read[name].Bytes != int64(len(b)) {
			t.Errorf("%s: %d octets of %d; %+v %+v", name, len(got[name]), len(b), read[name], sums[name])
		}
	}
	// What is not read of an entry is skipped, and compared all the same.
	r, err := NewReader(bytes.NewReader(file), k.open)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	for err == nil {
		_, _, err = r.Next()
	}
	if !errors.Is(err, io.EOF) || r.Sums()["tables/t5"] != sums["tables/t5"] {
		t.Errorf("%v %+v", err, r.Sums())
	}
}

// TestDamaged: a backup that was cut off, changed or put together anew is never read to its end.
func TestDamaged(t *testing.T) {
	t.Parallel()
	k := newPair(t)
	file, _, _ := written(t, k.seal, 1000, 300_000)
	for at := 0; at < len(file); at += max(1, len(file)/300) {
		if _, _, err := readAll(file[:at], k.open); fault.As(err) == nil {
			t.Fatalf("cut off at %d of %d: %v", at, len(file), err)
		}
		other := bytes.Clone(file)
		other[at] ^= 1
		if _, _, err := readAll(other, k.open); fault.As(err) == nil {
			t.Fatalf("changed at %d of %d: %v", at, len(file), err)
		}
	}
	if _, _, err := readAll(append(bytes.Clone(file), 'x'), k.open); fault.As(err) == nil {
		t.Errorf("with something behind its end: %v", err)
	}
	// Whoever has the public half alone can make one, and what it lacks is seen.
	var out bytes.Buffer
	w, err := NewWriter(&out, time.Now(), k.seal)
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Put("files/key", []byte("x")); err != nil {
		t.Fatal(err)
	}
	w.sums["tables/gone"] = Sum{Bytes: 3}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if _, _, err := readAll(out.Bytes(), k.open); fault.As(err) == nil || fault.As(err).Code != "backup-damaged" {
		t.Errorf("an entry is missing: %v", err)
	}
}

// TestKeys: a passphrase or a key opens what was sealed with it, and nothing else does.
func TestKeys(t *testing.T) {
	t.Parallel()
	one, two := newPair(t), newPair(t)
	both, _, _ := written(t, append(append(Seal{}, one.seal...), two.seal...), 10)
	for _, k := range []keyPair{one, two} {
		if _, _, err := readAll(both, k.open); err != nil {
			t.Error(err)
		}
	}
	seal, err := To("correct horse battery", nil)
	if err != nil {
		t.Fatal(err)
	}
	worded, _, _ := written(t, seal, 10)
	open := func(passphrase string, file []byte) Keys {
		k, err := With(passphrase, file)
		if err != nil {
			t.Fatal(err)
		}
		return k
	}
	if _, _, err := readAll(worded, open("correct horse battery", nil)); err != nil {
		t.Error(err)
	}
	third := newPair(t)
	for what, err := range map[string]error{
		"another key":         second(readAll(both, third.open)),
		"another passphrase":  second(readAll(worded, open("wrong horse battery", nil))),
		"a key for a phrase":  second(readAll(worded, one.open)),
		"a phrase for a key":  second(readAll(both, open("correct horse battery", nil))),
		"nothing to seal for": first(To("", nil)),
		"both":                first(To("correct horse battery", []string{"age1"})),
		"a short passphrase":  first(To("short", nil)),
		"no key":              first(To("", []string{"age1nonsense"})),
		"an empty key file":   first(With("", []byte("# nothing\n"))),
		"a broken key file":   first(With("", []byte("AGE-SECRET-KEY-1NO\n"))),
	} {
		if f := fault.As(err); f == nil || f.Fix == "" || strings.Contains(f.Error(), "AGE-SECRET") {
			t.Errorf("%s: %v", what, err)
		}
	}
}

func first[T any](_ T, err error) error          { return err }
func second[A, B any](_ A, _ B, err error) error { return err }

// TestOpenTools: the tools of each standard take a backup apart, without Cirque.
func TestOpenTools(t *testing.T) {
	t.Parallel()
	for _, tool := range []string{"age", "zstd", "tar"} {
		if _, err := exec.LookPath(tool); err != nil {
			t.Skip("there is no " + tool + " here; make setup installs it")
		}
	}
	k := newPair(t)
	file, held, _ := written(t, k.seal, 10, pieceSize+1)
	dir := t.TempDir()
	for name, b := range map[string][]byte{"b": file, "key": k.file} {
		if err := os.WriteFile(filepath.Join(dir, name), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	cmd := exec.Command("bash", "-o", "pipefail", "-c", "age -d -i key b | zstd -dc | tar x")
	cmd.Dir = dir
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	var t1 []byte
	for _, piece := range []string{"000001", "000002"} {
		b, err := os.ReadFile(filepath.Join(dir, "tables/t1", piece))
		if err != nil {
			t.Fatal(err)
		}
		t1 = append(t1, b...)
	}
	key, err := os.ReadFile(filepath.Join(dir, "files/key"))
	if err != nil || !bytes.Equal(t1, held["tables/t1"]) || !bytes.Equal(key, held["files/key"]) {
		t.Errorf("%v %q, %d octets of %d", err, key, len(t1), len(held["tables/t1"]))
	}
}

// BenchmarkWrite is how fast what cannot be compressed goes out, as files of drivers mostly cannot.
func BenchmarkWrite(b *testing.B) {
	k := newPair(b)
	piece := make([]byte, 1<<20)
	for i := range piece {
		piece[i] = byte(rand.Uint32())
	}
	w, err := NewWriter(io.Discard, time.Now(), k.seal)
	if err != nil {
		b.Fatal(err)
	}
	s := w.Stream("tables/t")
	b.SetBytes(int64(len(piece)))
	for b.Loop() {
		if _, err := s.Write(piece); err != nil {
			b.Fatal(err)
		}
	}
}
