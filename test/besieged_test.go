package test

import (
	"context"
	"encoding/json"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/internal/agent"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/testkit"
)

// besieged are a service, its database, an agent and its spooler, each of which is killed along the way.
type besieged struct {
	t       *testing.T
	r       *rand.Rand
	dir     string
	data    string // of the service
	at      string // where it listens, as its environment says it
	p       *process
	spooler *testkit.UnixSpooler
	job     agentJob
	running *exec.Cmd // the agent
}

// besiege starts a service with two drivers, and logs the seed of what is to come.
func besiege(t *testing.T, spooler *testkit.UnixSpooler) *besieged {
	t.Helper()
	seed := uint64(time.Now().UnixNano())
	t.Logf("seed %d", seed)
	b := &besieged{t: t, r: rand.New(rand.NewPCG(seed, 0)), spooler: spooler}
	var err error
	if b.dir, err = os.MkdirTemp("", "cirque-test-"); err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(b.dir, 0o755); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(b.dir) })
	b.data, b.at = filepath.Join(b.dir, "data"), serveAt+"="+testkit.FreeAddress(t)
	b.p = startProcess(t, b.data, b.at)
	t.Cleanup(func() {
		b.p.kill()
		killPID(t, databasePID(t, b.data))
	})
	packages := folder(t, map[string]string{"mono.ppd": somePPD("Skerrymark Mono 40"),
		"wide.ppd": somePPD("Northreach Wide 90 PS")})
	b.p.must("driver", "add", packages, "--name", "both")
	return b
}

// follows has an agent of a machine follow the service; of job all is said but service, token, socket and state.
func (b *besieged) follows(machine string, job agentJob) {
	b.t.Helper()
	made, err := apiclient.Post[api.MadeToken](b.t.Context(), b.p.c, "/api/v1/tokens", map[string]any{"name": machine,
		"role": "agent", "machine": machine})
	if err != nil {
		b.t.Fatal(err)
	}
	job.Service, job.Token, job.Socket, job.State = b.p.URL, made.Secret, b.spooler.Socket, filepath.Join(b.dir, "agent")
	b.job = job
	b.start()
	b.t.Cleanup(b.stop)
}

func (b *besieged) start() {
	b.t.Helper()
	text, err := json.Marshal(b.job)
	if err != nil {
		b.t.Fatal(err)
	}
	b.running = exec.Command(os.Args[0])
	b.running.Env = append(os.Environ(), agentFor+"="+string(text))
	if err := b.running.Start(); err != nil {
		b.t.Fatal(err)
	}
}

func (b *besieged) stop() { _ = b.running.Process.Kill(); _ = b.running.Wait() }

// publish makes an estate current, as soon as there is a service again.
func (b *besieged) publish(text string) {
	b.t.Helper()
	within(b.t, "a change is published", func() bool {
		var out api.Published
		err := b.p.c.Do(b.t.Context(), "POST", "/api/v1/revisions", nil, api.Publish{Files: []document.File{{
			Name: "estate.yaml", Text: text}}, Reason: "random"}, &out)
		if err != nil && !strings.Contains(err.Error(), "answer") && !strings.Contains(err.Error(), "away") &&
			!strings.Contains(err.Error(), "refused") {
			b.t.Log(err)
		}
		return err == nil
	})
}

// change makes so many changes, and kills one of the four after some of them.
func (b *besieged) change(changes int, publish func()) {
	b.t.Helper()
	for i := range changes {
		publish()
		if b.r.IntN(3) == 0 {
			// so that kills meet the agent at its work, and not only before
			time.Sleep(time.Duration(b.r.IntN(60)) * time.Millisecond)
		}
		switch {
		case i%25 == 10:
			b.stop()
			b.start()
		case i%50 == 20:
			b.p.kill()
			b.p = startProcess(b.t, b.data, b.at)
		case i%50 == 40:
			killPID(b.t, databasePID(b.t, b.data))
		case i%100 == 70:
			b.spooler.Stop(9)
			b.spooler.Start()
		}
	}
}

// followsOn has an agent follow the service on Debian's spooler, until the test ends.
func (s *aService) followsOn(u *testkit.UnixSpooler, machine string) agent.Spooler {
	s.t.Helper()
	spooler, err := agentJob{Socket: u.Socket, Homes: s.t.TempDir()}.open()
	if err != nil {
		s.t.Fatal(err)
	}
	a, err := agent.New(agent.Config{Service: s.URL, Token: s.tokenFor(machine, access.Agent, machine),
		State: s.t.TempDir(), Version: "test", Spooler: spooler, Machine: madeUp{}})
	if err != nil {
		s.t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(s.t.Context())
	var wg sync.WaitGroup
	wg.Go(func() { _ = a.Run(ctx) })
	s.t.Cleanup(func() { cancel(); wg.Wait() })
	return spooler
}
