package test

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"cirque/core/access"
	"cirque/core/readiness"
	"cirque/internal/app"
	"cirque/internal/testkit"
)

// smallDisk mounts a disk of its own, in memory.
func smallDisk(t *testing.T, size string) string {
	t.Helper()
	dir, err := scratch()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	disk := filepath.Join(dir, "disk")
	if err := os.Mkdir(disk, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Mount("tmpfs", disk, "tmpfs", 0, "size="+size+",mode=755"); err != nil {
		t.Skipf("no disk can be mounted here: %v", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(disk, syscall.MNT_DETACH) })
	return disk
}

func fillDisk(t *testing.T, disk string) {
	t.Helper()
	f, err := os.Create(filepath.Join(disk, "filler"))
	if err != nil {
		t.Fatal(err)
	}
	for _, size := range []int{1 << 20, 4096} {
		for err = nil; err == nil; {
			_, err = f.Write(make([]byte, size))
		}
	}
	_ = f.Close()
}

// TestFullDisk: data, database and files on one disk, which fills up. The service says so and answers lineups; it
// starts on the full disk, also after its database was killed; and all is well once there is room.
func TestFullDisk(t *testing.T) {
	t.Parallel()
	disk := smallDisk(t, "250M")
	data := filepath.Join(disk, "data")
	o := app.Options{Data: data, Listen: "127.0.0.1:0", PlainHTTP: true, AllowOutgoing: loopback}
	begin := func(token string) *aService {
		t.Helper()
		r, err := app.Start(t.Context(), o)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = r.Stop() })
		s := &aService{Running: r, t: t, data: t.TempDir(), token: token}
		if token == "" {
			s.token = s.tokenFor("test", access.Administrator, "")
		}
		s.c = s.client(s.token)
		return s
	}
	s := begin("")
	s.importDirectory(twoPeople)
	s.publish(oneQueue)

	fillDisk(t, disk)
	s.condition(readiness.Full)
	s.condition(readiness.Disk)
	if status, _ := s.ready("writing"); status != http.StatusServiceUnavailable {
		t.Errorf("for writing: %d", status)
	}
	for _, dies := range []bool{false, true} {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
		if dies { // without writing down what it holds
			if b, err := os.ReadFile(filepath.Join(data, "postgres", "data", "postmaster.pid")); err == nil && len(b) > 0 {
				killPID(t, databasePID(t, data))
			}
			fillDisk(t, disk)
		}
		s = begin(s.token)
		if l, _ := ask(t, s.c, `{"user":"mira"}`); len(l.Entries) != 1 {
			t.Errorf("on the full disk: %+v", l)
		}
		if _, r := s.ready("lineups"); r.Writing {
			t.Errorf("on the full disk: %+v", r)
		}
		code, _, errs := s.run("token", "create", "--name", "n", "--role", "auditor")
		if code != 7 || !strings.Contains(errs, "takes no changes") {
			t.Errorf("%d %s", code, errs)
		}
		if !dies { // the room that was given up is taken again, so that it can be given up again
			if err := os.Remove(filepath.Join(disk, "filler")); err != nil {
				t.Fatal(err)
			}
			within(t, "changes are kept again", func() bool { status, _ := s.ready("writing"); return status == http.StatusOK })
			s.publish(twoQueues)
			s.publish(oneQueue)
			fillDisk(t, disk)
		}
	}
	if err := os.Remove(filepath.Join(disk, "filler")); err != nil {
		t.Fatal(err)
	}
	within(t, "changes are kept in the end", func() bool {
		status,
			_ := s.ready("writing")
		return status == http.StatusOK
	})
	s.publish(twoQueues)
	if err := s.Stop(); err != nil {
		t.Error(err)
	}
}

// TestFirstStartOnFullDisk: nothing half made is left behind, so that the next start works.
func TestFirstStartOnFullDisk(t *testing.T) {
	t.Parallel()
	disk := smallDisk(t, "1M")
	data := filepath.Join(disk, "data")
	if err := os.Mkdir(data, 0o755); err != nil {
		t.Fatal(err)
	}
	fillDisk(t, disk)
	o := app.Options{Data: data, Database: testkit.Database(t), Listen: "127.0.0.1:0", PlainHTTP: true, AllowOutgoing: loopback}
	if r, err := app.Start(t.Context(), o); err == nil {
		_ = r.Stop()
		t.Fatal("it started without its secret key")
	}
	files, err := filepath.Glob(filepath.Join(data, "*"))
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		if info, err := os.Stat(f); err == nil && !info.IsDir() && info.Size() == 0 {
			t.Errorf("left behind: %s", f)
		}
	}
	if err := os.Remove(filepath.Join(disk, "filler")); err != nil {
		t.Fatal(err)
	}
	r, err := app.Start(t.Context(), o)
	if err != nil {
		t.Fatal(err)
	}
	if err := r.Stop(); err != nil {
		t.Error(err)
	}
	// What an earlier version left at zero length stops no start either.
	for _, f := range []string{"secret-key", "setup-code", "ca/ca.pem", "ca/ca-key.pem", "ca/server.pem", "lock"} {
		if err := os.WriteFile(filepath.Join(data, f), nil, 0o600); err != nil {
			t.Fatal(err)
		}
		o.PlainHTTP = false
		if r, err = app.Start(t.Context(), o); err != nil {
			t.Errorf("with an empty %s: %v", f, err)
			continue
		}
		if err := r.Stop(); err != nil {
			t.Error(err)
		}
	}
}
