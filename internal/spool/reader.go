package spool

import (
	"context"
	"crypto/cipher"
	"encoding/hex"
	"errors"
	"io"

	"cirque/core/fault"
	"cirque/core/job"
)

// A Reader reads one document, from any place in it. It is for one goroutine.
type Reader struct {
	aead   cipher.AEAD
	pieces Reading
	bytes  int64
	at     int64
	n      int64 // of the piece that is open, -1 for none
	clear  []byte
	read   []byte
}

// Open reads the document of a job.
func (s *Spool) Open(ctx context.Context, id int64, d job.Stored) (*Reader, error) {
	place := s.places[d.Place]
	if place == nil {
		return nil, fault.New(fault.Unavailable, "spool", "start the service with the spool in which it was kept",
			"the document of job %d lies in a %s, which this service has not", id, d.Place)
	}
	word, err := s.seal.Open(named(id), d.Key)
	if err != nil {
		return nil, err
	}
	key, err := hex.DecodeString(word)
	if err != nil {
		return nil, err
	}
	aead, err := cipherOf(key)
	if err != nil {
		return nil, err
	}
	pieces, err := place.Read(ctx, id)
	if err != nil {
		return nil, fault.New(fault.Unavailable, "document-gone", "print it anew", "the document of job %d cannot be read",
			id).Because(err)
	}
	return &Reader{aead: aead, pieces: pieces, bytes: d.Bytes, n: -1, clear: make([]byte, 0, Piece),
		read: make([]byte, sealed)}, nil
}

// Size is how long the document is.
func (r *Reader) Size() int64 { return r.bytes }

func (r *Reader) Read(b []byte) (int, error) {
	if r.at >= r.bytes {
		return 0, io.EOF
	}
	if n := r.at / Piece; n != r.n {
		if err := r.open(n); err != nil {
			return 0, err
		}
	}
	n := copy(b, r.clear[r.at%Piece:])
	r.at += int64(n)
	return n, nil
}

// errCut is a document whose pieces do not make it up.
var errCut = errors.New("the document is shorter than it was")

// open deciphers a piece; that fails where anything of it was changed.
func (r *Reader) open(n int64) error {
	r.n = -1
	b, err := r.pieces.Piece(n, r.read)
	if err != nil {
		return trouble(err)
	}
	last := (n+1)*Piece >= r.bytes
	if r.clear, err = r.aead.Open(r.clear[:0], nonce(n, last), b, nil); err != nil {
		return fault.New(fault.Internal, "document-damaged", "print it anew", "the document is not as it was kept").Because(
			err)
	}
	if want := min(r.bytes-n*Piece, Piece); int64(len(r.clear)) != want {
		return errCut
	}
	r.n = n
	return nil
}

// Seek goes to another place in the document.
func (r *Reader) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += r.at
	case io.SeekEnd:
		offset += r.bytes
	}
	if offset < 0 {
		return r.at, errors.New("before the beginning")
	}
	r.at = offset
	return offset, nil
}

// Close ends reading.
func (r *Reader) Close() error { return r.pieces.Close() }
