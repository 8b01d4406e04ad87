package agent_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/estate"
	"cirque/core/job"
	"cirque/core/server"
	"cirque/internal/agent"
	ippclient "cirque/internal/probe/ipp"
	"cirque/internal/testkit"
	"cirque/internal/testkit/conform"
)

// TestUnixServerConforms holds Debian's spooler, as a server's, to the suite.
func TestUnixServerConforms(t *testing.T) {
	s := testkit.NewUnixSpooler(t, false)
	by, err := ippclient.NewSpooler(s.Socket)
	if err != nil {
		t.Fatal(err)
	}
	c := ippclient.New(nil)
	conform.TestServerSpooler(t, func(t *testing.T) conform.ServerSpooler {
		empty(t, by)
		u, err := agent.NewUnixServer(s.Socket)
		if err != nil {
			t.Fatal(err)
		}
		u.DriversFrom(func(_ context.Context, exact string) ([]byte, error) {
			if exact != conform.ExactDriver {
				return nil, fmt.Errorf("the driver %q is not here", exact)
			}
			return fmt.Appendf(nil, ppd, exact), nil
		})
		return conform.ServerSpooler{ServerSpooler: u,
			Foreign: func(t *testing.T, queue string) {
				t.Helper()
				if err := by.Set(t.Context(), ippclient.SpoolerQueue{Name: queue, Device: "ipp://127.0.0.1:9/x",
					Title: "Theirs", Options: map[string]any{"sides": "one-sided"}}, nil); err != nil {
					t.Fatal(err)
				}
			},
			Spoils: func(t *testing.T, queue string) {
				t.Helper()
				q, err := by.Queue(t.Context(), queue)
				if err != nil {
					t.Fatal(err)
				}
				q.Options, q.Device = map[string]any{"sides": "one-sided"}, "ipp://127.0.0.1:9/y"
				if err := by.Set(t.Context(), *q, nil); err != nil {
					t.Fatal(err)
				}
			},
			Print: func(t *testing.T, queue, owner string) error {
				_, err := c.Print(t.Context(), s.URI+"printers/"+queue, job.Document{Name: "page", Owner: owner,
					Format: "application/octet-stream"}, bytes.NewReader([]byte("a page\n")))
				return err
			},
			Waiting: func(t *testing.T) map[string]int {
				t.Helper()
				jobs, err := c.ReadJobs(t.Context(), s.URI, nil, false, 1000)
				if err != nil {
					t.Fatal(err)
				}
				out := map[string]int{}
				for _, j := range jobs {
					out[j.Owner]++
				}
				return out
			}}
	})
}

// empty takes away all queues, with their jobs.
func empty(t *testing.T, by *ippclient.Spooler) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	queues, err := by.Queues(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, q := range queues {
		if q.Class {
			err = by.DeleteClass(ctx, q.Name)
		} else {
			err = by.Delete(ctx, q.Name)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
}

// TestStrangersNames: where somebody else has a queue of a name that the agent needs for a member or for handing on,
// that is said, and the queue stays as it was, with what it remembers; so does a queue that somebody put into a class.
func TestStrangersNames(t *testing.T) {
	t.Parallel()
	s := testkit.NewUnixSpooler(t, false)
	by, err := ippclient.NewSpooler(s.Socket)
	if err != nil {
		t.Fatal(err)
	}
	u, err := agent.NewUnixServer(s.Socket)
	if err != nil {
		t.Fatal(err)
	}
	devices := []string{"ipp://127.0.0.1:9/x", "ipp://127.0.0.1:9/y"}
	sum := sha256.Sum256([]byte(devices[1]))
	strangers := []string{"hall+onward", "hall+" + hex.EncodeToString(sum[:4])}
	for _, called := range strangers {
		if err := by.Set(t.Context(), ippclient.SpoolerQueue{Name: called, Device: "ipp://127.0.0.1:9/z"}, nil); err != nil {
			t.Fatal(err)
		}
	}
	look := func(called string) string {
		q, err := by.Queue(t.Context(), called)
		if err != nil || q == nil {
			t.Fatal(called, err)
		}
		return fmt.Sprint(*q)
	}
	before := []string{look(strangers[0]), look(strangers[1])}
	w := server.Now{Want: server.Want{Name: "hall", Queue: "hall", Devices: devices[:1], People: server.People{Everyone: true}}}
	if err := u.Bring(t.Context(), w, false); err != nil {
		t.Fatal(err)
	}
	page := job.Document{Name: "page", Owner: "ida", Format: "application/octet-stream"}
	if _, err := ippclient.New(nil).Print(t.Context(), s.URI+"printers/hall", page, strings.NewReader("a\n")); err != nil {
		t.Fatal(err)
	}
	if err := by.Halt(t.Context(), ippclient.SpoolerQueue{Name: "hall"}); err != nil {
		t.Fatal(err)
	}
	const says = "somebody else made it"
	if _, left, err := u.PassOn(t.Context(), "hall", "ipp://127.0.0.1:9/other"); err == nil || left != 1 ||
		!strings.Contains(err.Error(), says) {
		t.Errorf("handed on: %d left, %v", left, err)
	}
	w.Devices = devices
	if err := u.Bring(t.Context(), w, false); err == nil || !strings.Contains(err.Error(), says) {
		t.Error("made a class of it:", err)
	}
	if after := []string{look(strangers[0]), look(strangers[1])}; !slices.Equal(after, before) {
		t.Errorf("they were\n%s\nand are\n%s", before, after)
	}

	// A class of theirs, into which they put a queue of the agent's, is taken over: that queue stays.
	if err := by.SetClass(t.Context(), ippclient.SpoolerQueue{Name: "all", Class: true, Members: []string{"hall"}}); err != nil {
		t.Fatal(err)
	}
	all := server.Now{Want: server.Want{Name: "all", Queue: "all", Devices: devices[:1], People: server.People{Everyone: true}}}
	if err := u.Bring(t.Context(), all, true); err != nil {
		t.Fatal(err)
	}
	if q, err := by.Queue(t.Context(), "hall"); err != nil || q == nil || q.Jobs != 1 {
		t.Errorf("hall: %+v, %v", q, err)
	}
}

// TestUnixServerLacks: what the common Unix spooler cannot do is told, queue by queue, with what to do about it.
func TestUnixServerLacks(t *testing.T) {
	t.Parallel()
	s := testkit.NewUnixSpooler(t, false)
	u, err := agent.NewUnixServer(s.Socket)
	if err != nil {
		t.Fatal(err)
	}
	u.DriversFrom(func(_ context.Context, exact string) ([]byte, error) { return fmt.Appendf(nil, ppd, exact), nil })
	w := server.Now{Want: server.Want{Name: "hall", Queue: "hall-mono", Devices: []string{"ipp://127.0.0.1:9/x"}, Driver: "m",
		Exact: conform.ExactDriver, People: server.People{Everyone: true}}}
	if err := u.Bring(t.Context(), w, false); err != nil || len(u.Lacks(w)) != 0 {
		t.Fatal(err, u.Lacks(w))
	}
	w.Mismatch, w.ColourProfile, w.Units = estate.PrintMismatch, "hall-toner", &estate.Units{Trays: []string{"tray-9"},
		Finishings: []string{"punch"}}
	if err := u.Bring(t.Context(), w, false); err != nil {
		t.Fatal(err)
	}
	var kinds []string
	for _, p := range u.Lacks(w) {
		kinds = append(kinds, p.Kind)
		if p.Name != "hall" || p.Queue != "hall-mono" || p.Fix == "" {
			t.Errorf("%+v", p)
		}
	}
	if fmt.Sprint(kinds) != "[mismatch colour-profile units]" {
		t.Error(kinds, u.Lacks(w))
	}
}
