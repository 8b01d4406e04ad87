package spool

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

// Files keeps documents as files below a directory, which several services may share.
type Files struct{ dir string }

// shelves are the directories among which files are divided.
const shelves = 64

// NewFiles keeps documents below a directory, which is made where it is not there.
func NewFiles(dir string) (Files, error) {
	for i := range shelves {
		if err := os.MkdirAll(filepath.Join(dir, fmt.Sprintf("%02d", i)), 0o700); err != nil {
			return Files{}, err
		}
	}
	return Files{dir}, nil
}

const suffix = ".doc"

func (f Files) path(id int64) string {
	return filepath.Join(f.dir, fmt.Sprintf("%02d", (id%shelves+shelves)%shelves), strconv.FormatInt(id, 10)+suffix)
}

// Kind is file.
func (f Files) Kind() string { return "file" }

// Create begins a file.
func (f Files) Create(_ context.Context, id int64) (Pieces, error) {
	file, err := os.OpenFile(f.path(id), os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return nil, err
	}
	return &writing{file: file}, nil
}

type writing struct {
	file *os.File
	done bool
}

func (w *writing) Put(piece []byte) error {
	_, err := w.file.Write(piece)
	return err
}

// Keep has the file's contents, and its place in the directory, on the disk.
func (w *writing) Keep() error {
	err := w.file.Sync()
	if e := w.file.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = syncDir(filepath.Dir(w.file.Name()))
	}
	w.done = err == nil
	return err
}

func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(d.Sync(), d.Close())
}

func (w *writing) Drop() {
	if !w.done {
		_ = w.file.Close() // it may be, already
		_ = os.Remove(w.file.Name())
	}
}

// Read opens a file.
func (f Files) Read(_ context.Context, id int64) (Reading, error) {
	file, err := os.Open(f.path(id))
	if err != nil {
		return nil, err
	}
	return reading{file}, nil
}

type reading struct{ *os.File }

func (r reading) Piece(n int64, into []byte) ([]byte, error) {
	got, err := r.ReadAt(into, n*sealed)
	if err == io.EOF && got > 0 {
		err = nil
	}
	return into[:got], err
}

// Remove takes a file away.
func (f Files) Remove(_ context.Context, id int64) error {
	if err := os.Remove(f.path(id)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// Sweep takes away what belongs to no job: files that are older than a while and not among those that known gives back.
func (f Files) Sweep(older time.Duration, known func(ids []int64) (map[int64]bool, error)) (gone int, err error) {
	for i := range shelves {
		dir := filepath.Join(f.dir, fmt.Sprintf("%02d", i))
		entries, err := os.ReadDir(dir)
		if err != nil {
			return gone, err
		}
		var ids []int64
		for _, e := range entries {
			id, err := strconv.ParseInt(strings.TrimSuffix(e.Name(), suffix), 10, 64)
			if info, e := e.Info(); err == nil && e == nil && time.Since(info.ModTime()) > older {
				ids = append(ids, id)
			}
		}
		if len(ids) == 0 {
			continue
		}
		is, err := known(ids)
		if err != nil {
			return gone, err
		}
		for _, id := range ids {
			if !is[id] {
				gone++
				if err := f.Remove(context.Background(), id); err != nil {
					return gone, err
				}
			}
		}
	}
	return gone, nil
}
