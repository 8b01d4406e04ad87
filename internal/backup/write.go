// Package backup is the file of a backup: a tar archive, compressed with Zstandard (RFC 8878), encrypted in the age
// format (version 1). Each can be taken apart with the tools of its own standard.
package backup

import (
	"archive/tar"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"time"

	"filippo.io/age"
	"github.com/klauspost/compress/zstd"
	"golang.org/x/crypto/blake2b"
)

// sumsName is the last entry: what each of the others was. A file without it was cut off.
const sumsName = "sums.json"

// pieceSize is how large an entry of the archive gets, since each says beforehand how large it is.
const pieceSize = 4 << 20

// A Sum is what an entry was; its hash is BLAKE2b of 256 bits (RFC 7693; b2sum -l 256). That nobody changed the file is
// known already by how it is encrypted: a hash says what is equal, and is to cost little.
type Sum struct {
	Bytes   int64  `json:"bytes"`
	BLAKE2b string `json:"blake2b"`
	Rows    int64  `json:"rows,omitempty"` // of a table
}

// A Writer writes a backup. It is not for several goroutines at once.
type Writer struct {
	out    *Counter
	crypt  io.WriteCloser
	zip    *zstd.Encoder
	tar    *tar.Writer
	at     time.Time
	sums   map[string]Sum
	failed error
}

// NewWriter begins a backup that whoever has one of the keys can open, dated at.
func NewWriter(w io.Writer, at time.Time, to Seal) (*Writer, error) {
	out := &Counter{}
	crypt, err := age.Encrypt(io.MultiWriter(w, out), to...)
	if err != nil {
		return nil, err
	}
	// The service is to be felt no more than needed: one core, little memory.
	zip, err := zstd.NewWriter(crypt, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1),
		zstd.WithWindowSize(1<<20))
	if err != nil {
		return nil, err
	}
	return &Writer{out: out, crypt: crypt, zip: zip, tar: tar.NewWriter(zip), at: at.Truncate(time.Second),
		sums: map[string]Sum{}}, nil
}

// Written is how many octets have gone out.
func (w *Writer) Written() int64 { return w.out.N }

// Sums are what was written so far, by name.
func (w *Writer) Sums() map[string]Sum { return w.sums }

// Put writes what is small.
func (w *Writer) Put(name string, b []byte) error {
	if err := w.entry(name, b); err != nil {
		return err
	}
	sum := blake2b.Sum256(b)
	w.sums[name] = Sum{Bytes: int64(len(b)), BLAKE2b: hex.EncodeToString(sum[:])}
	return nil
}

func (w *Writer) entry(name string, b []byte) error {
	if w.failed != nil {
		return w.failed
	}
	w.failed = w.tar.WriteHeader(&tar.Header{Name: name, Size: int64(len(b)), Mode: 0o600, ModTime: w.at,
		Format: tar.FormatPAX})
	if w.failed == nil {
		_, w.failed = w.tar.Write(b)
	}
	return w.failed
}

// Stream writes what may be large, in pieces NAME/000001 and so on. It is closed before the next entry.
func (w *Writer) Stream(name string) io.WriteCloser {
	return &stream{w: w, name: name, piece: make([]byte, 0, pieceSize), sum: newSum()}
}

type stream struct {
	w     *Writer
	name  string
	piece []byte
	n     int
	bytes int64
	sum   hash.Hash
}

func (s *stream) Write(b []byte) (n int, err error) {
	n = len(b)
	s.bytes += int64(n)
	s.sum.Write(b)
	for len(b) > 0 {
		room := min(len(b), pieceSize-len(s.piece))
		s.piece, b = append(s.piece, b[:room]...), b[room:]
		if len(s.piece) == pieceSize {
			if err := s.flush(); err != nil {
				return 0, err
			}
		}
	}
	return n, nil
}

func (s *stream) flush() error {
	s.n++
	err := s.w.entry(fmt.Sprintf("%s/%06d", s.name, s.n), s.piece)
	s.piece = s.piece[:0]
	return err
}

func (s *stream) Close() error {
	if len(s.piece) > 0 || s.n == 0 {
		if err := s.flush(); err != nil {
			return err
		}
	}
	s.w.sums[s.name] = Sum{Bytes: s.bytes, BLAKE2b: hex.EncodeToString(s.sum.Sum(nil))}
	return s.w.failed
}

func newSum() hash.Hash {
	h, _ := blake2b.New256(nil) // it never fails without a key
	return h
}

// Rows notes how many rows an entry has that was written.
func (w *Writer) Rows(name string, n int64) {
	sum := w.sums[name]
	sum.Rows = n
	w.sums[name] = sum
}

// Close writes what everything was, and ends the file.
func (w *Writer) Close() error {
	b, err := json.MarshalIndent(w.sums, "", " ")
	if err != nil {
		return err
	}
	return errors.Join(w.entry(sumsName, b), w.tar.Close(), w.zip.Close(), w.crypt.Close())
}

// A Counter counts the octets that pass it by: on a way out in an io.MultiWriter, on a way in by an io.TeeReader.
type Counter struct {
	N    int64
	Tell func(n int64) // hears how many there have been; nil where nobody does
}

func (c *Counter) Write(b []byte) (int, error) {
	if c.N += int64(len(b)); c.Tell != nil {
		c.Tell(c.N)
	}
	return len(b), nil
}
