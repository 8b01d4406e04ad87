package install

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/update"
	"cirque/core/words"
)

// How long an installer may take, and how long the agent that it has installed may take to come up.
const (
	installs = 10 * time.Minute
	comesUp  = 5 * time.Minute
)

// An Updater installs what a task says.
type Updater struct {
	Dir    string        // the task's folder
	Within time.Duration // in which the agent is to come up; five minutes when zero
	// Install lays a package; down says that a later version is there, which some installers want taken away first.
	Install func(ctx context.Context, kind, file string, down bool) ([]byte, error)
}

// Apply does the task in the folder: it installs the package, waits for the agent to come up, and goes back where it
// does not. What came of it stands in the task; an error is one of its own.
func (u Updater) Apply(ctx context.Context) error {
	if u.Install == nil {
		u.Install = run
	}
	if u.Within == 0 {
		u.Within = comesUp
	}
	// Whoever is started by that file's coming is started once.
	if err := os.Remove(filepath.Join(u.Dir, goFile)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	t, ok, err := Read(u.Dir)
	if err != nil {
		return err
	}
	if !ok || t.Over() {
		return fault.New(fault.Conflict, "update-none", "the agent begins one when the service tells it to",
			"there is nothing to install in %s", u.Dir)
	}
	if t.State == Begun {
		if t, err = u.forward(ctx, t); err != nil || t.Over() {
			return err
		}
	}
	if t.State == Installed && u.waits(ctx, t.To) {
		return u.now(t, Done, "")
	}
	if ctx.Err() != nil {
		return ctx.Err() // it goes on when it is started again
	}
	return u.back(ctx, t)
}

func (u Updater) now(t Task, state, says string) error {
	t.State, t.Says, t.At = state, says, time.Now().UTC()
	return t.Save(u.Dir)
}

// forward installs the version that is wanted.
func (u Updater) forward(ctx context.Context, t Task) (Task, error) {
	if err := os.Remove(filepath.Join(u.Dir, aliveFile)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return t, err
	}
	down := update.Compare(t.To, t.From) < 0
	if says := u.lay(ctx, t.Kind, t.File, t.SHA256, down); says != "" {
		if down && t.WayBack != nil { // what was there may have been taken away
			if again := u.lay(ctx, t.Kind, t.WayBack.File, t.WayBack.SHA256, false); again != "" {
				says += "; laying " + t.From + " again failed: " + again
			}
		}
		t.State = Failed
		return t, u.now(t, Failed, says)
	}
	t.State = Installed
	return t, u.now(t, Installed, "")
}

// back installs the former version again.
func (u Updater) back(ctx context.Context, t Task) error {
	why := fmt.Sprintf("version %s did not come up within %s", t.To, words.Span(u.Within))
	if t.WayBack == nil {
		return u.now(t, Failed, why+"; the package of "+t.From+" is not kept, so there was no way back")
	}
	if err := u.now(t, Returning, why); err != nil {
		return err
	}
	if says := u.lay(ctx, t.Kind, t.WayBack.File, t.WayBack.SHA256,
		update.Compare(t.From, t.To) < 0); says != "" {
		return u.now(t, Failed, why+"; going back to "+t.From+" failed: "+says)
	}
	return u.now(t, Failed, why+"; this machine went back to "+t.From)
}

// lay installs a package of the folder, and says why it could not.
func (u Updater) lay(ctx context.Context, kind, file, sum string, down bool) string {
	path := filepath.Join(u.Dir, filepath.Base(file))
	b, err := os.ReadFile(path)
	if err != nil {
		return words.OneLine(err.Error(), 300)
	}
	if got := sha256.Sum256(b); hex.EncodeToString(got[:]) != sum {
		return "the package " + file + " is not what the service said"
	}
	ctx, cancel := context.WithTimeout(ctx, installs)
	defer cancel()
	out, err := u.Install(ctx, kind, path, down)
	if err == nil {
		return ""
	}
	return words.OneLine(strings.TrimSpace(fmt.Sprintf("%v: %s", err, last(out))), 500)
}

// last gives the last lines of what an installer says.
func last(out []byte) string {
	lines := strings.Split(strings.TrimSpace(string(bytes.ToValidUTF8(out, nil))), "\n")
	return strings.Join(strings.Fields(strings.Join(lines[max(len(lines)-6, 0):], " ")), " ")
}

// waits waits for a version of the agent to come up.
func (u Updater) waits(ctx context.Context, version string) bool {
	look := time.NewTicker(200 * time.Millisecond)
	defer look.Stop()
	end := time.NewTimer(u.Within)
	defer end.Stop()
	for {
		if came(u.Dir, version) {
			return true
		}
		select {
		case <-ctx.Done():
			return false
		case <-end.C:
			return came(u.Dir, version)
		case <-look.C:
		}
	}
}

// output runs a command, and gives what it says.
func output(ctx context.Context, name string, args ...string) ([]byte, error) {
	c := exec.CommandContext(ctx, name, args...)
	c.WaitDelay = time.Second
	return c.CombinedOutput()
}
