// Package install brings the agent on this machine to another version: by a program of its own, which outlives the
// agent that begins it, holds the new one to coming up, and goes back by itself where it does not. What is to be done
// and what came of it stands in one file.
package install

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"cirque/internal/whole"
)

// A Task is what is to be installed, and what came of it.
type Task struct {
	Order   int64     `json:"order"`
	Back    bool      `json:"back,omitempty"` // it goes back to a former version, as it was told
	Kind    string    `json:"kind"`           // deb, rpm, msi or archive
	From    string    `json:"from"`           // the version that ran when it began
	To      string    `json:"to"`
	File    string    `json:"file"` // in the task's folder
	SHA256  string    `json:"sha256"`
	WayBack *Way      `json:"way_back,omitempty"` // nil where the former version's package is not kept
	State   string    `json:"state"`
	Says    string    `json:"says,omitempty"`
	At      time.Time `json:"at"` // when it came to that
}

// A Way is the package of the version that ran before.
type Way struct {
	File   string `json:"file"`
	SHA256 string `json:"sha256"`
}

// States of a Task.
const (
	Begun     = "begun"
	Installed = "installed" // the new one is to come up
	Done      = "done"      // it has
	Returning = "returning" // it has not: the former one is being installed again
	Failed    = "failed"
)

// Over says whether nothing more comes of it.
func (t Task) Over() bool { return t.State == Done || t.State == Failed }

// Folder is where tasks lie in the agent's state.
func Folder(state string) string { return filepath.Join(state, "update") }

// Files in the folder.
const (
	taskFile  = "task.json"
	goFile    = "go"    // whose coming starts the updater where the system watches for it
	aliveFile = "alive" // the version that has come up
)

// Read reads the task in a folder; false where there is none.
func Read(dir string) (t Task, ok bool, err error) {
	b, err := whole.Read(filepath.Join(dir, taskFile))
	if errors.Is(err, fs.ErrNotExist) {
		return t, false, nil
	}
	if err != nil {
		return t, false, err
	}
	return t, true, json.Unmarshal(b, &t)
}

// Save keeps a task.
func (t Task) Save(dir string) error {
	b, err := json.Marshal(t)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	return whole.Write(filepath.Join(dir, taskFile), b, 0o600)
}

// Forget removes a task, and its packages as far as nothing has them open any more: on Windows the updater may still be
// ending. What stays goes with the next.
func Forget(dir string) error {
	err := os.Remove(filepath.Join(dir, taskFile))
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	_ = os.RemoveAll(dir)
	return err
}

// Alive tells that a version of the agent has come up: it has read what it knows, and opened its spooler.
func Alive(dir, version string) error {
	if _, ok, err := Read(dir); err != nil || !ok {
		return err
	}
	return whole.Write(filepath.Join(dir, aliveFile), []byte(version), 0o600)
}

// came says whether a version has come up since the last was told.
func came(dir, version string) bool {
	b, err := whole.Read(filepath.Join(dir, aliveFile))
	return err == nil && string(b) == version
}
