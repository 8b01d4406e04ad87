// Package whole writes files whole or not at all: whatever happens in between, what is at a file's place is what was
// there, or what was to be there, and never a part of it. A file may also be locked, so that one process alone works
// with what lies around it.
package whole

import (
	"bytes"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// ErrLocked is the error of a file that another process has locked.
var ErrLocked = errors.New("another process has it")

// Write puts b at a file's place, and returns once it lies on the disk: it is written beside, synced, given the place's
// name, and the directory is synced (rename(2), fsync(2)).
func Write(file string, b []byte, mode fs.FileMode) error {
	_, err := write(file, bytes.NewReader(b), mode, os.Rename)
	return err
}

// Copy is Write of what is read to its end; it gives how much that was.
func Copy(file string, from io.Reader, mode fs.FileMode) (int64, error) {
	return write(file, from, mode, os.Rename)
}

// Add is Write for a file that must not be there yet; fs.ErrExist where it is.
func Add(file string, b []byte, mode fs.FileMode) error {
	_, err := write(file, bytes.NewReader(b), mode, func(from, to string) error {
		if err := os.Link(from, to); err != nil {
			return err
		}
		return os.Remove(from)
	})
	return err
}

func write(file string, in io.Reader, mode fs.FileMode, place func(from, to string) error) (int64, error) {
	tmp, err := os.CreateTemp(filepath.Dir(file), ".new-*")
	if err != nil {
		return 0, err
	}
	n, err := io.Copy(tmp, in)
	err = errors.Join(err, give(tmp, mode), tmp.Sync(), tmp.Close())
	if err == nil {
		err = place(tmp.Name(), file)
	}
	if err != nil {
		_ = os.Remove(tmp.Name()) // it may have been given its place
		return n, err
	}
	return n, SyncDir(filepath.Dir(file))
}

// SyncDir has what was made, renamed or removed in a directory outlast a power cut. Where directories cannot be synced
// the system sees to it itself.
func SyncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	err = d.Sync()
	if errors.Is(err, fs.ErrInvalid) || errors.Is(err, fs.ErrPermission) || errors.Is(err, errors.ErrUnsupported) {
		err = nil
	}
	return errors.Join(err, d.Close())
}

// Read gives what a file holds. One that is empty, as a power cut or a full disk may have left it in the past, is as
// one that is not there: fs.ErrNotExist.
func Read(file string) ([]byte, error) {
	b, err := os.ReadFile(file)
	if err == nil && len(b) == 0 {
		return nil, &fs.PathError{Op: "read", Path: file, Err: fs.ErrNotExist}
	}
	return b, err
}
