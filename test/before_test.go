package test

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"cirque/internal/testkit"
)

// programsBefore is the environment's name for the folder of the version before; make test-before sets it.
const programsBefore = "CIRQUE_BEFORE"

// both are the programs of this version and of the one before.
func bothVersions(t *testing.T) (now, before string) {
	t.Helper()
	before = os.Getenv(programsBefore)
	if before == "" {
		t.Skip("make test-before builds the version before, and runs this")
	}
	now, err := programs()
	if err != nil {
		t.Fatal(err)
	}
	return now, before
}

// A running program of some version.
type running struct {
	t   *testing.T
	cmd *exec.Cmd
	log string
}

// begin starts a program, which is ended with the test at the latest.
func begin(t *testing.T, program string, args ...string) *running {
	t.Helper()
	log, err := os.Create(filepath.Join(t.TempDir(), "log"))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = log.Close() }()
	r := &running{t, exec.Command(program, args...), log.Name()}
	r.cmd.Stdout, r.cmd.Stderr = log, log
	if err := r.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		r.end()
		if t.Failed() {
			b, _ := os.ReadFile(r.log)
			t.Logf("%s %s says:\n%s", program, strings.Join(args, " "), b)
		}
	})
	return r
}

func (r *running) end() {
	if r.cmd.ProcessState == nil {
		_ = r.cmd.Process.Signal(os.Interrupt)
		_ = r.cmd.Wait()
	}
}

// A generation is a service of some version, with its own command line.
type generation struct {
	t         *testing.T
	folder    string
	url       string
	data      string
	token     string
	is        *running
	arguments []string
}

// generationOf starts a service on a database; at is where it listens.
func generationOf(t *testing.T, folder, data, database, at string) *generation {
	t.Helper()
	g := &generation{t: t, folder: folder, url: "http://" + at, data: data, arguments: []string{"serve", "--data", data,
		"--database", database, "--listen", at, "--plain-http"}}
	g.start()
	g.token = strings.TrimSpace(g.must("token", "create", "--name", "t "+at+folder, "--role", "owner", "--data", data,
		"--database", database))
	return g
}

func (g *generation) start() {
	g.t.Helper()
	g.is = begin(g.t, filepath.Join(g.folder, "cirque"), g.arguments...)
	within(g.t, "it answers", func() bool { _, err := g.run("ready"); return err == nil })
}

func (g *generation) run(args ...string) (string, error) {
	cmd := exec.CommandContext(context.WithoutCancel(g.t.Context()), filepath.Join(g.folder, "cirque"), args...)
	cmd.Env = append(os.Environ(), "CIRQUE_URL="+g.url, "CIRQUE_TOKEN="+g.token, "XDG_CONFIG_HOME="+g.data)
	out, err := cmd.CombinedOutput()
	return string(out), err
}

func (g *generation) must(args ...string) string {
	g.t.Helper()
	out, err := g.run(args...)
	if err != nil {
		g.t.Fatalf("%s: cirque %s: %v: %s", g.folder, strings.Join(args, " "), err, out)
	}
	return out
}

// publish makes an estate current whose queue has a title.
func (g *generation) publish(title string) {
	g.t.Helper()
	file := filepath.Join(g.t.TempDir(), "estate.yaml")
	if err := os.WriteFile(file, []byte(strings.Replace(oneQueue, "title: Hall", "title: "+title, 1)), 0o600); err != nil {
		g.t.Fatal(err)
	}
	g.must("estate", "apply", file, "--publish", "-m", title)
}

// agentOf runs an agent of some version on a desk.
func (g *generation) agentOf(folder, machine string) (d *desk, is *running) {
	g.t.Helper()
	d = newDesk(g.t, fmt.Sprintf("machine: %s\nsessions: [{user: mira}]\n", machine))
	secret := g.must("token", "create", "--name", machine, "--role", "agent", "--machine", machine)
	d.write("token", secret)
	if err := os.Chmod(filepath.Join(d.dir, "token"), 0o600); err != nil {
		g.t.Fatal(err)
	}
	return d, begin(g.t, filepath.Join(folder, "cirque-agent"), "run", "--spooler", "standin:"+d.dir, "--service", g.url,
		"--token-file", filepath.Join(d.dir, "token"))
}

func (d *desk) follows(title string) {
	d.t.Helper()
	within(d.t, "the queue is called "+title, func() bool { return strings.Contains(d.file("users/mira/hall.yaml"), title) })
}

// TestVersionBefore: service and agent of the version before and of this one work together, whichever is older; services
// of both run side by side on one database while one after the other is upgraded; agents notice nothing of an upgrade;
// and a backup of the version before is restored by this one.
func TestVersionBefore(t *testing.T) {
	now, before := bothVersions(t)
	database := testkit.Blank(t)
	dir := t.TempDir()
	first, second := withKeys(t, filepath.Join(dir, "first")), withKeys(t, filepath.Join(dir, "second"))
	people := filepath.Join(dir, "people.yaml")
	if err := os.WriteFile(people, []byte(twoPeople), 0o600); err != nil {
		t.Fatal(err)
	}

	old := generationOf(t, before, first, database, testkit.FreeAddress(t))
	old.must("directory", "import", people)
	old.publish("Hall")
	older, _ := old.agentOf(before, "desk-old")
	newer, _ := old.agentOf(now, "desk-new") // an agent may be ahead of its service
	older.follows("Hall")
	newer.follows("Hall")

	// What this version copies of the one before, before anything is upgraded.
	words, file := passphraseFile(t, "five words or perhaps six"), filepath.Join(dir, "backup")
	old.folder = now
	old.must("backup", file, "--data", first, "--database", database, "--passphrase-file", words)
	old.folder = before

	// One after the other is upgraded; both serve meanwhile, and hear of each other's changes.
	next := generationOf(t, now, second, database, testkit.FreeAddress(t))
	older.follows("Hall")
	next.publish("Salon")
	older.follows("Salon")
	newer.follows("Salon")
	old.publish("Foyer")
	within(t, "the newer one knows", func() bool { return strings.Contains(next.must("lineup", "--user", "mira"), "Foyer") })
	older.follows("Foyer")
	old.is.end()
	old.folder = now
	old.start()
	old.publish("Atrium")
	older.follows("Atrium")
	newer.follows("Atrium")
	for _, d := range []*desk{older, newer} {
		if log := d.file("log"); strings.Count(log, " add ") != 1 || strings.Contains(log, "remove") {
			t.Errorf("a queue was not kept through the upgrade:\n%s", log)
		}
	}

	there := filepath.Join(dir, "there")
	restored := testkit.Blank(t)
	old.must("restore", file, "--data", there, "--database", restored, "--passphrase-file", words)
	again := generationOf(t, now, there, restored, testkit.FreeAddress(t))
	contains(t, "what was restored", again.must("lineup", "--user", "mira"), "Hall")
}
