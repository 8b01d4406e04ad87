// Package spool keeps the documents of jobs, each enciphered with a key of its own, as files or wherever else their
// pieces are put. What it says to be kept lies on stable storage, whole; it is read in bounded memory, from any place
// in it; and it is gone for good once its key is.
package spool

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"io"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/stock"
)

// Piece is how many bytes of a document are enciphered together.
const Piece = 256 << 10

const sealed = Piece + 16 // with the tag of AES-GCM

// A Seal wraps the keys of documents, under the names of their jobs.
type Seal interface {
	Seal(name, secret string) ([]byte, error)
	Open(name string, sealed []byte) (string, error)
}

// A Place takes the pieces of documents.
type Place interface {
	// Kind is what the place calls itself: file or database.
	Kind() string
	// Create begins the document of a job. What was there of it is overwritten.
	Create(ctx context.Context, id int64) (Pieces, error)
	// Read gives a way to read pieces by their numbers; the last may be shorter.
	Read(ctx context.Context, id int64) (Reading, error)
	// Remove takes a document away; one that is not there is no error.
	Remove(ctx context.Context, id int64) error
}

// Pieces are those of one document, in their order.
type Pieces interface {
	Put(piece []byte) error
	// Keep returns once all of them lie on stable storage.
	Keep() error
	// Drop takes them back; after Keep it does nothing.
	Drop()
}

// A Reading reads pieces of one document.
type Reading interface {
	Piece(n int64, into []byte) ([]byte, error)
	Close() error
}

// A Spool keeps documents. It is safe for any number of goroutines.
type Spool struct {
	seal   Seal
	to     Place
	places map[string]Place
}

// New makes a spool that keeps documents at a place, and reads those that lie at others, too.
func New(seal Seal, to Place, others ...Place) *Spool {
	s := &Spool{seal: seal, to: to, places: map[string]Place{to.Kind(): to}}
	for _, p := range others {
		s.places[p.Kind()] = p
	}
	return s
}

func named(id int64) string { return stock.Sealed{Kind: stock.SealedDocument, ID: id}.Under() }

// Create begins the document of a job.
func (s *Spool) Create(ctx context.Context, id int64) (*Writer, error) {
	key := make([]byte, 32)
	_, _ = rand.Read(key) // never fails
	wrapped, err := s.seal.Seal(named(id), hex.EncodeToString(key))
	if err != nil {
		return nil, err
	}
	aead, err := cipherOf(key)
	if err != nil {
		return nil, err
	}
	pieces, err := s.to.Create(ctx, id)
	if err != nil {
		return nil, trouble(err)
	}
	return &Writer{aead: aead, pieces: pieces, clear: make([]byte, 0, Piece), out: make([]byte, 0, sealed),
		stored: job.Stored{Key: wrapped, Place: s.to.Kind()}}, nil
}

func cipherOf(key []byte) (cipher.AEAD, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	return cipher.NewGCM(block)
}

// nonce is that of a piece: its number, and whether it is the last, so that nothing can be left out or cut off.
func nonce(n int64, last bool) []byte {
	b := make([]byte, 12)
	binary.BigEndian.PutUint64(b, uint64(n))
	if last {
		b[11] = 1
	}
	return b
}

// trouble is what is told of a place that takes or gives nothing.
func trouble(err error) error {
	if f := fault.As(err); err == nil || f.Kind != fault.Internal {
		return err
	}
	return fault.New(fault.Unavailable, "spool", "see whether the disk is full: cirque doctor", "documents cannot be "+
		"kept just now").Because(err)
}

// A Writer takes one document.
type Writer struct {
	aead   cipher.AEAD
	pieces Pieces
	clear  []byte // what is not enciphered yet: a whole piece is, once more follows
	more   []byte // takes what follows a whole piece
	out    []byte
	n      int64
	stored job.Stored
}

// Write takes more of the document.
func (w *Writer) Write(b []byte) (int, error) {
	did := len(b)
	for len(b) > 0 {
		if len(w.clear) == Piece {
			if err := w.put(false); err != nil {
				return did - len(b), err
			}
		}
		n := min(Piece-len(w.clear), len(b))
		w.clear, b = append(w.clear, b[:n]...), b[n:]
	}
	w.stored.Bytes += int64(did)
	return did, nil
}

// ReadFrom takes all that a reader gives, straight into what is to be enciphered.
func (w *Writer) ReadFrom(r io.Reader) (total int64, err error) {
	for {
		into := w.clear[len(w.clear):Piece]
		if len(into) == 0 { // whether it is the last piece is known once more has come
			if w.more == nil {
				w.more = make([]byte, Piece)
			}
			into = w.more
		}
		n, err := r.Read(into)
		if n > 0 && len(w.clear) == Piece {
			full := w.clear
			if err := w.put(false); err != nil {
				return total, err
			}
			w.clear, w.more = w.more[:n], full[:Piece]
		} else {
			w.clear = w.clear[:len(w.clear)+n]
		}
		total += int64(n)
		w.stored.Bytes += int64(n)
		if err == io.EOF {
			return total, nil
		}
		if err != nil {
			return total, err
		}
	}
}

func (w *Writer) put(last bool) error {
	w.out = w.aead.Seal(w.out[:0], nonce(w.n, last), w.clear, nil)
	w.clear = w.clear[:0]
	w.n++
	return trouble(w.pieces.Put(w.out))
}

// Bytes is how long the document is so far.
func (w *Writer) Bytes() int64 { return w.stored.Bytes }

// Keep ends the document; once it returns, all of it lies on stable storage.
func (w *Writer) Keep() (job.Stored, error) {
	if err := w.put(true); err != nil {
		return job.Stored{}, err
	}
	return w.stored, trouble(w.pieces.Keep())
}

// Drop throws the document away, unless it is kept already.
func (w *Writer) Drop() { w.pieces.Drop() }

// Remove takes a document away, wherever it lies.
func (s *Spool) Remove(ctx context.Context, id int64) error {
	var errs []error
	for _, p := range s.places {
		errs = append(errs, p.Remove(ctx, id))
	}
	return errors.Join(errs...)
}
