package install

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
)

// aMachine is one whose installer is a function of the test.
type aMachine struct {
	dir   string
	laid  []string // the files that were installed, in their order
	down  []bool   // over a later version
	comes map[string]string
	fails map[string]bool
}

func (m *aMachine) install(_ context.Context, _, file string, down bool) ([]byte, error) {
	m.laid = append(m.laid, filepath.Base(file))
	m.down = append(m.down, down)
	if m.fails[filepath.Base(file)] {
		return []byte("unpacking\nit does not fit\n"), errors.New("exit status 1")
	}
	if v := m.comes[filepath.Base(file)]; v != "" {
		return nil, Alive(m.dir, v)
	}
	return nil, nil
}

func aTask(t *testing.T, dir string, back bool) Task {
	t.Helper()
	sums := map[string]string{}
	for _, f := range []string{"new.deb", "old.deb"} {
		if err := os.MkdirAll(dir, 0o700); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, f), []byte(f), 0o600); err != nil {
			t.Fatal(err)
		}
		sum := sha256.Sum256([]byte(f))
		sums[f] = hex.EncodeToString(sum[:])
	}
	task := Task{Order: 1, Kind: "deb", From: "0.1.0", To: "0.2.0", File: "new.deb", SHA256: sums["new.deb"], State: Begun}
	if back {
		task.WayBack = &Way{"old.deb", sums["old.deb"]}
	}
	if err := task.Save(dir); err != nil {
		t.Fatal(err)
	}
	return task
}

// TestApply: what is installed is held to coming up; where it does not, the former version is laid again, and what came
// of it says so.
func TestApply(t *testing.T) {
	t.Parallel()
	for what, c := range map[string]struct {
		back   bool
		comes  map[string]string
		fails  string
		change func(*Task)
		state  string
		says   string
		laid   string
	}{
		"it comes up": {comes: map[string]string{"new.deb": "0.2.0"}, state: Done, laid: "new.deb"},
		"it does not, and there is a way back": {back: true, state: Failed,
			says: "did not come up within 0 s; this machine went back to 0.1.0", laid: "new.deb old.deb"},
		"it does not, and there is none": {state: Failed, says: "no way back", laid: "new.deb"},
		"another comes up": {comes: map[string]string{"new.deb": "0.1.0"}, back: true, state: Failed,
			says: "went back", laid: "new.deb old.deb"},
		"the installer fails": {fails: "new.deb", back: true, state: Failed,
			says: "exit status 1: unpacking it does not fit", laid: "new.deb"},
		"the way back fails": {fails: "old.deb", back: true, state: Failed, says: "going back to 0.1.0 failed",
			laid: "new.deb old.deb"},
		"going back fails": {fails: "new.deb", back: true, change: func(k *Task) { k.From = "0.3.0" }, state: Failed,
			says: "it does not fit", laid: "new.deb old.deb"}, // the later one was taken away for it
		"it is another package": {change: func(k *Task) { k.SHA256 = strings.Repeat("0", 64) }, state: Failed,
			says: "not what the service said"},
		"it is gone": {change: func(k *Task) { k.File = "gone.deb" }, state: Failed, says: "no such file"},
		"it was killed once it had installed": {change: func(k *Task) { k.State = Installed }, back: true, state: Failed,
			says: "went back", laid: "old.deb"},
		"it was killed while going back": {change: func(k *Task) { k.State = Returning }, back: true, state: Failed,
			says: "went back", laid: "old.deb"},
	} {
		t.Run(what, func(t *testing.T) {
			t.Parallel()
			m := &aMachine{dir: Folder(t.TempDir()), comes: c.comes, fails: map[string]bool{c.fails: true}}
			task := aTask(t, m.dir, c.back)
			if c.change != nil {
				c.change(&task)
				if err := task.Save(m.dir); err != nil {
					t.Fatal(err)
				}
			}
			u := Updater{Dir: m.dir, Within: 30 * time.Millisecond, Install: m.install}
			if err := u.Apply(t.Context()); err != nil {
				t.Fatal(err)
			}
			got, ok, err := Read(m.dir)
			if err != nil || !ok || got.State != c.state || !strings.Contains(got.Says, c.says) ||
				strings.Join(m.laid, " ") != c.laid {
				t.Errorf("%+v %v; laid %v", got, err, m.laid)
			}
			if err := u.Apply(t.Context()); !fault.Is(err, fault.Conflict) {
				t.Error("done twice:", err)
			}
		})
	}
	if err := (Updater{Dir: t.TempDir()}).Apply(t.Context()); !fault.Is(err, fault.Conflict) {
		t.Error("without a task:", err)
	}
}

// TestApplyStopped: one that is stopped while it waits goes on when it is started again.
func TestApplyStopped(t *testing.T) {
	t.Parallel()
	m := &aMachine{dir: Folder(t.TempDir())}
	aTask(t, m.dir, true)
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() {
		done <- Updater{Dir: m.dir, Within: time.Hour, Install: m.install}.Apply(ctx)
	}()
	for {
		if got, _, err := Read(m.dir); err == nil && got.State == Installed {
			break
		}
		time.Sleep(time.Millisecond)
	}
	stop()
	if err := <-done; !errors.Is(err, context.Canceled) {
		t.Fatal(err)
	}
	if err := Alive(m.dir, "0.2.0"); err != nil {
		t.Fatal(err)
	}
	if err := (Updater{Dir: m.dir, Within: time.Hour, Install: m.install}).Apply(t.Context()); err != nil {
		t.Fatal(err)
	}
	if got, _, _ := Read(m.dir); got.State != Done || len(m.laid) != 1 {
		t.Errorf("%+v, laid %v", got, m.laid)
	}
	if err := Forget(m.dir); err != nil {
		t.Fatal(err)
	}
	if err := Alive(m.dir, "0.2.0"); err != nil {
		t.Error("with no task:", err)
	}
	if _, ok, _ := Read(m.dir); ok {
		t.Error("it is remembered")
	}
}

// TestApplyDown: an installer is told where a later version is there, on the way back from it as well.
func TestApplyDown(t *testing.T) {
	t.Parallel()
	for from, want := range map[string][]bool{"0.1.0": {false, true}, "0.3.0": {true, false}} {
		m := &aMachine{dir: Folder(t.TempDir())}
		task := aTask(t, m.dir, true)
		task.From = from
		if err := task.Save(m.dir); err != nil {
			t.Fatal(err)
		}
		if err := (Updater{Dir: m.dir, Within: time.Millisecond, Install: m.install}).Apply(t.Context()); err != nil {
			t.Fatal(err)
		}
		if !slices.Equal(m.down, want) {
			t.Errorf("from %s: %v, want %v", from, m.down, want)
		}
	}
}
