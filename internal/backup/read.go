package backup

import (
	"archive/tar"
	"bytes"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"maps"
	"path"
	"slices"
	"strings"

	"filippo.io/age"
	"github.com/klauspost/compress/zstd"

	"cirque/core/fault"
)

// A Reader reads a backup.
type Reader struct {
	zip  *zstd.Decoder
	tar  *tar.Reader
	next *tar.Header // that was read already
	now  *entry
	sums map[string]Sum
}

// NewReader opens a backup with one of the keys. An Invalid fault says that it is none, a Denied one that no key opens
// it.
func NewReader(r io.Reader, with Keys) (*Reader, error) {
	plain, err := age.Decrypt(r, with...)
	if _, wrong := errors.AsType[*age.NoIdentityMatchError](err); wrong {
		return nil, fault.New(fault.Denied, "backup-sealed", "give the passphrase or the key with which it was made",
			"what was given does not open the backup").Because(err)
	}
	if err != nil {
		return nil, fault.New(fault.Invalid, "no-backup", "name a file that cirque backup made, whole", "this is no backup").
			Because(err)
	}
	zip, err := zstd.NewReader(plain, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxWindow(8<<20))
	if err != nil {
		return nil, err
	}
	return &Reader{zip: zip, tar: tar.NewReader(zip), sums: map[string]Sum{}}, nil
}

// Close lets go of what reading needs.
func (r *Reader) Close() { r.zip.Close() }

// Sums are what was read, by name; complete at the end.
func (r *Reader) Sums() map[string]Sum { return r.sums }

// Next gives the next entry, in one. At the end it is io.EOF, once all is known to be as it was written; an Invalid
// fault says that it is not.
func (r *Reader) Next() (name string, from io.Reader, err error) {
	if r.now != nil { // what was not read of it
		if _, err := io.Copy(io.Discard, r.now); err != nil {
			return "", nil, err
		}
		r.now = nil
	}
	h := r.next
	if r.next = nil; h == nil {
		if h, err = r.tar.Next(); err != nil {
			return "", nil, damaged(err)
		}
	}
	if h.Name == sumsName {
		return "", nil, r.compare()
	}
	e := &entry{r: r, name: h.Name, sum: newSum()}
	if dir, piece := path.Split(h.Name); numbered(piece) {
		e.name, e.pieces = strings.TrimSuffix(dir, "/"), true
	}
	r.now = e
	return e.name, e, nil
}

func numbered(piece string) bool {
	return len(piece) == 6 && strings.Trim(piece, "0123456789") == ""
}

// compare reads what everything was.
func (r *Reader) compare() error {
	var were map[string]Sum
	b, err := io.ReadAll(io.LimitReader(r.tar, 16<<20))
	if err == nil {
		err = json.Unmarshal(b, &were)
	}
	if err == nil {
		_, err = r.tar.Next()
	}
	if !errors.Is(err, io.EOF) {
		return damaged(err)
	}
	// What follows an archive's end belongs to it, and with it the proof that nothing was cut off.
	if _, err := io.Copy(io.Discard, r.zip); err != nil {
		return damaged(err)
	}
	for _, name := range slices.Sorted(maps.Keys(were)) {
		if r.sums[name].Bytes != were[name].Bytes || r.sums[name].BLAKE2b != were[name].BLAKE2b {
			return damaged(fmt.Errorf("%s: %d octets, %d were written", name, r.sums[name].Bytes, were[name].Bytes))
		}
	}
	r.sums = were
	return io.EOF
}

func damaged(err error) error {
	if err == nil {
		err = errors.New("something follows its end")
	}
	return fault.New(fault.Invalid, "backup-damaged", "take another one", "the backup is damaged or was cut off").
		Because(err)
}

// An entry gives what was written as one.
type entry struct {
	r      *Reader
	name   string
	pieces bool
	ended  bool
	bytes  int64
	sum    hash.Hash
}

func (e *entry) Read(b []byte) (n int, err error) {
	for n == 0 && !e.ended {
		n, err = e.r.tar.Read(b)
		e.bytes += int64(n)
		e.sum.Write(b[:n])
		if err == nil || n > 0 && errors.Is(err, io.EOF) {
			return n, nil
		}
		if !errors.Is(err, io.EOF) {
			return n, damaged(err)
		}
		if err := e.further(); err != nil {
			return 0, err
		}
	}
	if n == 0 && len(b) > 0 {
		return 0, io.EOF
	}
	return n, nil
}

// further goes on to the next piece, or ends.
func (e *entry) further() error {
	if e.pieces {
		h, err := e.r.tar.Next()
		if err != nil {
			return damaged(err) // the sums are missing
		}
		if dir, piece := path.Split(h.Name); numbered(piece) && strings.TrimSuffix(dir, "/") == e.name {
			return nil
		}
		e.r.next = h
	}
	e.ended = true
	e.r.sums[e.name] = Sum{Bytes: e.bytes, BLAKE2b: hex.EncodeToString(e.sum.Sum(nil))}
	return nil
}

// ReadAll reads what is small.
func ReadAll(from io.Reader) ([]byte, error) {
	var b bytes.Buffer
	n, err := io.Copy(&b, io.LimitReader(from, 16<<20+1))
	if err == nil && n > 16<<20 {
		err = damaged(errors.New("an entry is larger than it can be"))
	}
	return b.Bytes(), err
}
