package test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/internal/agent"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/backup"
	"cirque/internal/testkit"
)

// passphraseFile writes one.
func passphraseFile(t *testing.T, words string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "passphrase")
	if err := os.WriteFile(file, []byte(words+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	return file
}

// holding is what a backup holds, by name.
func (s *aService) holding(file string, flags ...string) (backup.Result, map[string]backup.Sum) {
	s.t.Helper()
	var r backup.Result
	out := s.must(append([]string{"restore", file, "--check", "-o", "json"}, flags...)...)
	if err := json.Unmarshal([]byte(out), &r); err != nil {
		s.t.Fatal(err, out)
	}
	held := map[string]backup.Sum{}
	for _, e := range r.Entries {
		held[e.Name] = e.Sum
	}
	return r, held
}

// TestBackupRestored: a backup of a service that keeps something of everything, put into an empty place, is the same
// there, octet by octet, and a service on it goes on: who could sign in can, what was sealed opens, and machines that
// were enrolled are known.
func TestBackupRestored(t *testing.T) {
	t.Parallel()
	o := startObjects(t)
	ctx := t.Context()
	if err := o.c.Do(ctx, "POST", "/api/v1/credentials", nil, api.NewCredential{Name: "ward", Kind: "snmp",
		Secret: "community"}, nil); err != nil {
		t.Fatal(err)
	}
	id, err := agent.Enrol(ctx, o.URL, o.enrolToken("", 1), t.TempDir(), o.ca, facts("m-kept", "10.0.0.9"))
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	first, second, there := filepath.Join(dir, "first"), filepath.Join(dir, "second"), filepath.Join(dir, "there")
	o.must("backup-key", filepath.Join(dir, "key"))
	key, err := os.ReadFile(filepath.Join(dir, "key"))
	if err != nil {
		t.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(key), "public key: ")
	public, _, _ := strings.Cut(rest, "\n")
	of := []string{"--data", o.data, "--database", o.database, "--for-key", public}
	o.must(append([]string{"backup", first}, of...)...)
	contains(t, "the figures", o.measured(), "cirque_backup_timestamp_seconds")
	_, says, _ := o.run("doctor", "--data", o.data, "--database", o.database, "--listen", "127.0.0.1:0")
	contains(t, "the doctor", says, "Was it backed up of late?")
	database := testkit.Blank(t)
	with := []string{"--key-file", filepath.Join(dir, "key")}
	out := o.must(append([]string{"restore", first, "--data", there, "--database", database}, with...)...)
	contains(t, "what restoring says", out, "Restored into "+there, "Start the service on it")
	o.must("backup", second, "--data", there, "--database", database, "--for-key", public)
	was, before := o.holding(first, with...)
	is, after := o.holding(second, with...)
	for name, sum := range before {
		if name == "tables/event" || name == "backup.json" { // it was restored, and is of another moment
			continue
		}
		if after[name] != sum {
			t.Errorf("%s was %+v and is %+v", name, sum, after[name])
		}
	}
	if len(before) < 50 || len(before) != len(after) || was.Rows < 60 || is.Rows != was.Rows+1 ||
		before["tables/account"].Rows == 0 || before["files/secret-key"].Bytes == 0 ||
		before["files/ca/ca-key.pem"].Bytes == 0 {
		t.Errorf("%d entries with %d rows, then %d with %d", len(before), was.Rows, len(after), is.Rows)
	}
	if info, err := os.Stat(first); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", info, err)
	}

	next, err := app.Start(ctx, app.Options{Data: there, Database: database, Listen: "127.0.0.1:0", Throwaway: true,
		AllowOutgoing: loopback})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = next.Stop() })
	again := &enrolling{&aService{Running: next, t: t, data: there, database: database, token: o.token}, o.ahead, o.ca}
	if again.c, err = apiclient.New(next.URL, o.token, o.ca); err != nil { // the same authority certifies it
		t.Fatal(err)
	}
	if status, p := again.as(id, "POST", "/api/v1/endpoints/report", `{"machine":"m-kept","version":"t","platform":`+
		`"linux/x64","spooler":"s","revision":0,"contexts":[{"machine":"m-kept"}],"installed":[],"removed":[],"failures":`+
		`[]}`); status >= 300 {
		t.Errorf("an enrolled machine: %d %+v", status, p)
	}
	_, lost, err := app.SecretKeys(ctx, app.Options{Data: there, Database: database}, "", "", false)
	if err != nil || lost != 0 {
		t.Errorf("%d of what was sealed cannot be opened; %v", lost, err)
	}
	if e, err := apiclient.Page[event.Event](ctx, again.c, "/api/v1/events", nil); err != nil ||
		e.Items[0].Kind != event.Restored && !strings.Contains(again.events(), "Everything was restored from the backup of") {
		t.Errorf("%v %s", err, again.events())
	}
}

// TestBackupSettings: the settings and the certificate that they name belong to a backup, and lie beside what is
// restored.
func TestBackupSettings(t *testing.T) {
	t.Parallel()
	s := startService(t)
	dir := t.TempDir()
	write := func(name, text string) string {
		t.Helper()
		file := filepath.Join(dir, name)
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return file
	}
	words := passphraseFile(t, "five words or perhaps six")
	config := write("cirque.yaml", fmt.Sprintf("data: %s\ndatabase: %q\ntls-cert: %s\ntls-key: %s\n", s.data, s.database,
		write("c.pem", "CERT"), write("k.pem", "KEY")))
	file, there := filepath.Join(dir, "b"), filepath.Join(dir, "there")
	s.must("backup", file, "--config", config, "--passphrase-file", words)
	out := s.must("restore", file, "--data", there, "--database", testkit.Blank(t), "--passphrase-file", words)
	contains(t, "what restoring says", out, filepath.Join(there, "restored", "cirque.yaml"))
	for name, want := range map[string]string{"cirque.yaml": "data: " + s.data, "tls-cert.pem": "CERT", "tls-key.pem": "KEY"} {
		b, err := os.ReadFile(filepath.Join(there, "restored", name))
		if err != nil || !strings.HasPrefix(string(b), want) {
			t.Errorf("%s: %q %v", name, b, err)
		}
	}
}

// TestBackupRefused: what is wrong is said, and nothing is touched or left behind.
func TestBackupRefused(t *testing.T) {
	t.Parallel()
	s := startService(t)
	dir := t.TempDir()
	words, file, empty := passphraseFile(t, "five words or perhaps six"), filepath.Join(dir, "b"), filepath.Join(dir, "e")
	s.must("backup", file, "--data", s.data, "--database", s.database, "--passphrase-file", words)
	whole, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	cut := filepath.Join(dir, "cut")
	if err := os.WriteFile(cut, whole[:len(whole)-100], 0o600); err != nil {
		t.Fatal(err)
	}
	blank := testkit.Blank(t)
	for what, c := range map[string]struct{ args, says string }{
		"a file that is there": {"backup " + file + " --data " + s.data + " --passphrase-file " + words, "is there already"},
		"no directory":         {"backup " + dir + "/no/b --data " + s.data + " --passphrase-file " + words, "cannot be"},
		"no data":              {"backup x --data " + empty + " --passphrase-file " + words, "there is no service's data"},
		"a short passphrase": {"backup x --data " + s.data + " --passphrase-file " + passphraseFile(t, "short"),
			"too short"},
		"the wrong passphrase": {"restore " + file + " --check --passphrase-file " + passphraseFile(t, "seven words, none of "+
			"them right"), "does not open"},
		"what is there":    {"restore " + file + " --data " + dir + " --passphrase-file " + words, "is not empty"},
		"a filled one":     {"restore " + file + " --data " + empty + " --passphrase-file " + words, "holds a service's data"},
		"one cut off":      {"restore " + cut + " --data " + empty + " --passphrase-file " + words, "damaged or was cut off"},
		"no backup":        {"restore " + words + " --check --passphrase-file " + words, "this is no backup"},
		"nowhere":          {"restore " + file + " --passphrase-file " + words, "--data is missing"},
		"another's key":    {"restore " + file + " --check --key-file " + words, "no key for backups"},
		"no passphrase":    {"restore - --check", "standard input is the backup"},
		"a key over a key": {"backup-key " + words, "is there already"},
	} {
		args := strings.Fields(c.args)
		switch {
		case what == "one cut off":
			args = append(args, "--database", blank)
		case args[0] != "backup-key" && what != "no data" && what != "nowhere" && what != "no passphrase":
			args = append(args, "--database", s.database)
		}
		if what == "another's key" || what == "no backup" || what == "the wrong passphrase" {
			args = args[:len(args)-2]
		}
		code, out, errs := s.run(args...)
		if code == 0 || out != "" || !strings.Contains(errs, c.says) {
			t.Errorf("%s: %d %s%s", what, code, out, errs)
		}
		if _, err := os.Stat(empty); err == nil {
			t.Errorf("%s left something behind", what)
		}
	}
	if n := testkit.One[int](t, blank, "SELECT count(*) FROM pg_class WHERE relnamespace = 'public'::regnamespace"); n != 0 {
		t.Errorf("%d things are left in the database", n)
	}
	if left, _ := filepath.Glob(filepath.Join(dir, ".new-*")); len(left) > 0 {
		t.Error(left)
	}
}

// TestMachineGone: a service with a database of its own is backed up while people publish; its machine is gone, and it
// is put back elsewhere from the backup alone. It goes on from a moment that was: no revision without what was told of
// it. The agent, which was asked nothing, goes on too, without installing a queue anew.
func TestMachineGone(t *testing.T) {
	t.Parallel()
	dir, err := scratch()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	data, at := filepath.Join(dir, "data"), serveAt+"="+testkit.FreeAddress(t)
	p := startProcess(t, data, at)
	p.importDirectory(twoPeople)
	p.publish(oneQueue)
	d := newDesk(t, "machine: desk-1\nsessions: [{user: mira}]\n")
	token, err := apiclient.Post[api.MadeToken](t.Context(), p.c, "/api/v1/tokens", api.NewToken{Name: "desk", Role: access.Agent,
		Machine: "desk-1"})
	if err != nil {
		t.Fatal(err)
	}
	d.run(p.URL, token.Secret)
	p.reaches("desk-1", endpoint.Converged)
	before := d.file("log")
	if !strings.Contains(before, "hall for mira") {
		t.Fatalf("nothing is installed: %s", before)
	}

	stop := make(chan struct{})
	var publishing sync.WaitGroup
	publishing.Go(func() {
		for i := 0; ; i++ {
			select {
			case <-stop:
				return
			default:
				p.publish(strings.Replace(oneQueue, "locations: [", fmt.Sprintf("locations: [{path: ard/room-%d}, ", i), 1))
			}
		}
	})
	words, file := passphraseFile(t, "five words or perhaps six"), filepath.Join(dir, "b")
	p.must("backup", file, "--data", data, "--passphrase-file", words)
	close(stop)
	publishing.Wait()
	database := databasePID(t, data)
	p.kill()
	killPID(t, database)
	if err := os.RemoveAll(data); err != nil {
		t.Fatal(err)
	}

	p.must("restore", file, "--data", data, "--passphrase-file", words)
	next := startProcess(t, data, at)
	t.Cleanup(func() {
		next.kill()
		if proc, err := os.FindProcess(databasePID(t, data)); err == nil {
			_ = proc.Signal(os.Interrupt)
		}
	})
	now := next.revision(1).Number
	published := 0
	for e, err := range apiclient.All[event.Event](t.Context(), next.c, "/api/v1/events", nil) {
		if err != nil {
			t.Fatal(err)
		}
		if e.Kind == event.Published {
			published++
		}
	}
	if published != now {
		t.Errorf("revision %d, and %d were told of", now, published)
	}
	// The next number follows, and the agent follows it: it changes its queue.
	if got := next.publish(strings.Replace(oneQueue, "title: Hall", "title: Salon", 1)).Revision.Number; got != now+1 {
		t.Errorf("revision %d after %d", got, now)
	}
	within(t, "the agent follows", func() bool { return strings.Contains(d.file("users/mira/hall.yaml"), "Salon") })
	for line := range strings.Lines(strings.TrimPrefix(d.file("log"), before)) {
		if !strings.Contains(line, " change ") {
			t.Errorf("it was done to a queue: %s", line)
		}
	}
}

// TestBackupFullDisk: a backup for which there is no room is said to have none, and nothing of it is left.
func TestBackupFullDisk(t *testing.T) {
	t.Parallel()
	disk := smallDisk(t, "64k")
	fillDisk(t, disk)
	s := startService(t)
	code, out, errs := s.run("backup", filepath.Join(disk, "b"), "--data", s.data, "--database", s.database,
		"--passphrase-file", passphraseFile(t, "five words or perhaps six"))
	left, err := os.ReadDir(disk)
	if code == 0 || out != "" || !strings.Contains(errs, "cannot be written: no space left") || err != nil ||
		len(left) != 1 {
		t.Errorf("%d %s%s; %v %v", code, out, errs, left, err)
	}
}

// TestBackupStopped: reading a backup can be stopped.
func TestBackupStopped(t *testing.T) {
	t.Parallel()
	s := startService(t)
	var made bytes.Buffer
	how := backup.Call{Passphrase: "five words or perhaps six"}
	if _, err := app.Backup(t.Context(), app.Options{Data: s.data, Database: s.database}, how, &made); err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(t.Context())
	how.Tell = func(string, int64, int64) { stop() } // in the middle
	if _, err := app.CheckBackup(ctx, how, &made); !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
}
