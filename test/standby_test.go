package test

import (
	"net/http"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"cirque/core/readiness"
	"cirque/internal/app"
	"cirque/internal/postgres"
	"cirque/internal/postgres/cluster"
)

// asDatabase gives what runs a program as the account that runs databases, in a place that it can enter.
func asDatabase(t *testing.T) func(program string, args ...string) *exec.Cmd {
	t.Helper()
	paths, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	if len(paths) == 0 {
		t.Skip("no PostgreSQL is installed")
	}
	var attr *syscall.SysProcAttr
	if os.Getuid() == 0 {
		u, err := user.Lookup("postgres")
		if err != nil {
			t.Skip("there is no account for databases")
		}
		uid, _ := strconv.ParseUint(u.Uid, 10, 32)
		gid, _ := strconv.ParseUint(u.Gid, 10, 32)
		attr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}
	}
	return func(program string, args ...string) *exec.Cmd {
		cmd := exec.Command(filepath.Join(paths[len(paths)-1], program), args...)
		cmd.Dir, cmd.SysProcAttr = "/", attr
		return cmd
	}
}

// TestStandby: a service on a database that stands by for another serves lineups as that one has them, keeps nothing
// and says so; once the database is promoted all works.
func TestStandby(t *testing.T) {
	t.Parallel()
	run := asDatabase(t)
	dir, err := scratch()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	primary, err := cluster.Start(t.Context(), filepath.Join(dir, "a"), cluster.Config{Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = primary.Stop() })
	if err := postgres.Create(t.Context(), primary.URL("postgres"), "cirque"); err != nil {
		t.Fatal(err)
	}
	at := startService(t, func(o *app.Options) { o.Database = primary.URL("cirque") })
	at.database = primary.URL("cirque")
	at.importDirectory(twoPeople)
	at.publish(oneQueue)

	place := filepath.Join(dir, "b")
	if err := os.Mkdir(place, 0o777); err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(place, 0o777); err != nil { // the umask may have closed it
		t.Fatal(err)
	}
	sockets := filepath.Join(dir, "a", "postgres", "run")
	if out, err := run("pg_basebackup", "-h", sockets, "-U", "postgres", "-D", filepath.Join(place, "data"), "-R", "-X",
		"stream",
		"--checkpoint=fast").CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	standby := run("postgres", "-D", filepath.Join(place, "data"), "-k", place, "-p", "5432", "-c", "listen_addresses=",
		"-c", "max_connections=200")
	log, err := os.Create(filepath.Join(dir, "standby.log"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if b, err := os.ReadFile(log.Name()); err == nil && t.Failed() {
			t.Logf("the standby says: %s", b)
		}
		_ = log.Close()
	})
	standby.Stdout, standby.Stderr = log, log
	if err := standby.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = standby.Process.Signal(os.Interrupt); _ = standby.Wait() })
	url := "host='" + place + "' port=5432 user=postgres dbname=cirque sslmode=disable"
	within(t, "the standby answers", func() bool {
		s, err := postgres.Open(t.Context(), url)
		if err == nil {
			s.Close()
		}
		return err == nil
	})

	here := at.startOn(t, url)
	if r := here.condition(readiness.Behind); r.Writing {
		t.Errorf("%+v", r)
	}
	if l, _ := ask(t, here.c, `{"user":"mira"}`); len(l.Entries) != 1 {
		t.Errorf("%+v", l)
	}
	code, _, errs := here.run("token", "create", "--name", "n", "--role", "auditor")
	if code != 7 || !strings.Contains(errs, "takes no changes") {
		t.Errorf("%d %s", code, errs)
	}
	at.publish(twoQueues)
	begun := time.Now()
	within(t, "it follows", func() bool { l, _ := ask(t, here.c, `{"user":"mira"}`); return l.Revision == 2 })
	if took := time.Since(begun); took > 15*time.Second {
		t.Errorf("it took %v", took)
	}
	if out, err := run("pg_ctl", "-D", filepath.Join(place, "data"), "promote", "-w").CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	within(t, "changes are kept", func() bool { status, _ := here.ready("writing"); return status == http.StatusOK })
	here.publish(oneQueue)
}
