package agent

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"time"
	_ "time/tzdata" // hours go by the clocks of sites, also where the system knows none

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/server"
	"cirque/internal/agentproto"
	"cirque/internal/whole"
)

// A Keeper brings the shared queues of a print server to what the estate wants, and holds them there. It goes on from
// what it keeps on disk while the service is away, hours included.
type Keeper struct {
	*Agent
	spooler ServerSpooler
	serving serving
	failed  map[string]stepFailure // by step
	fetched map[string][]byte      // drivers, while one round lasts
	found   []server.Found         // the last that was read
	unread  string                 // why the spooler could not be read; "" where it was
	settled bool                   // nothing is left of handing jobs on
	ended   []server.Ended         // jobs that the service has not heard of
	heard   map[int]bool           // jobs that have ended, and of which it has
}

// serving is what survives a restart.
type serving struct {
	Tag    string          `json:"tag"`
	Now    server.Serving  `json:"now"`
	Done   []server.Done   `json:"done,omitempty"`   // what came of tasks, until the service has heard
	Passed []server.Passed `json:"passed,omitempty"` // what became of jobs while the server is out of duty
}

// A stepFailure is a step that did not succeed, with when it is tried again.
type stepFailure struct {
	server.Failure
	want  string // what was to be brought there
	tries int
	again time.Time
}

// NewKeeper makes one of an agent's configuration, whose own spooler is not used.
func NewKeeper(cfg Config, spooler ServerSpooler) (*Keeper, error) {
	a, err := New(cfg)
	if err != nil {
		return nil, err
	}
	k := &Keeper{Agent: a, spooler: spooler, failed: map[string]stepFailure{}, heard: map[int]bool{}}
	spooler.DriversFrom(k.driver)
	if cfg.State == "" {
		return k, nil
	}
	b, err := os.ReadFile(k.servingFile())
	if err == nil {
		if err := json.Unmarshal(b, &k.serving); err != nil {
			a.cfg.Log.Warn("what was kept cannot be read; starting anew", "file", k.servingFile(), "error", err)
			k.serving = serving{}
		}
	} else if !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	return k, nil
}

func (k *Keeper) servingFile() string { return filepath.Join(k.cfg.State, servingFile) }

func (k *Keeper) keepServing() {
	if k.cfg.State == "" {
		return
	}
	b, err := json.Marshal(k.serving)
	if err == nil {
		err = whole.Write(k.servingFile(), b, 0o600)
	}
	if err != nil {
		k.cfg.Log.Error("what the server is to have cannot be kept on disk", "error", err)
	}
}

// zoneOf gives a time zone by its name, nil for one that is not known here.
func zoneOf(called string) *time.Location {
	z, err := time.LoadLocation(called)
	if err != nil {
		return nil
	}
	return z
}

// lookEvery is how often the spooler is looked at, where nothing else gives cause.
const lookEvery = 30 * time.Second

// Run holds the server until ctx is done. A Conflict fault says that another agent works with the same state.
func (k *Keeper) Run(ctx context.Context) error {
	if k.cfg.State != "" {
		unlock, err := lockState(k.cfg.State)
		if err != nil {
			return err
		}
		defer func() { _ = unlock() }()
	}
	gap := shortestGap
	for ctx.Err() == nil {
		k.renewIfDue(ctx)
		facts, err := k.facts(ctx)
		if err != nil {
			k.cfg.Log.Error("the machine cannot be read", "error", err)
			sleep(ctx, gap)
			continue
		}
		next := k.round(ctx, facts)
		known := k.serving.Tag
		now, tag, err := k.askServing(ctx, facts, known, next)
		switch {
		case ctx.Err() != nil || errors.Is(err, errHere):
		case err != nil:
			k.cfg.Log.Warn("the service does not answer; going on with what is kept", "error", err)
			k.rest(ctx, min(gap, time.Until(next)))
			gap = min(gap*2, k.client.pace.Gap*2/3)
		default:
			gap = shortestGap
			if now != nil {
				k.serving.Tag, k.serving.Now = tag, *now
				k.keepServing()
			}
		}
	}
	return nil
}

// rest waits, unless somebody at the machine calls.
func (k *Keeper) rest(ctx context.Context, d time.Duration) {
	for end := time.Now().Add(d); ctx.Err() == nil && time.Now().Before(end); {
		if k.called() || !sleep(ctx, min(k.cfg.Look, time.Until(end))) {
			return
		}
	}
}

// called says whether somebody at the machine called the agent since it was last asked; what failed is tried anew then.
func (k *Keeper) called() bool {
	if k.cfg.State == "" || os.Remove(callFile(k.cfg.State)) != nil {
		return false
	}
	for key, f := range k.failed {
		f.again = time.Time{}
		k.failed[key] = f
	}
	k.toldAt = time.Time{}
	return true
}

// askServing asks what the server is to have, and waits for another answer until next. A nil answer is the known one.
func (k *Keeper) askServing(ctx context.Context, facts Facts, known string, next time.Time) (*server.Serving, string,
	error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	wait := max(0, min(cmp.Or(k.cfg.Wait, k.client.pace.Wait), time.Until(next)))
	go func() {
		end := time.After(time.Until(next))
		for {
			select {
			case <-ctx.Done():
				return
			case <-end:
				cancel(errHere)
				return
			case <-time.After(k.cfg.Look):
				if k.cfg.State != "" {
					if _, err := os.Stat(callFile(k.cfg.State)); err == nil {
						cancel(errHere)
						return
					}
				}
			}
		}
	}()
	h := http.Header{}
	if known != "" && wait >= time.Second {
		h.Set("If-None-Match", agentproto.Quote(known))
		h.Set("Prefer", agentproto.Prefer(wait))
	} else if known != "" {
		h.Set("If-None-Match", agentproto.Quote(known))
	}
	resp, body, err := k.client.signedPost(ctx, agentproto.ServePath, server.Ask{Machine: facts.Machine}, h,
		wait+30*time.Second)
	if err != nil {
		if context.Cause(ctx) == errHere {
			err = errHere
		}
		return nil, "", err
	}
	seconds, _ := strconv.Atoi(resp.Header.Get("Age")) // RFC 9111, section 5.1
	k.client.age = time.Duration(max(seconds, 0)) * time.Second
	k.client.pace = agentproto.ParsePace(resp.Header.Get(agentproto.PaceHeader), k.client.pace)
	if resp.StatusCode == http.StatusNotModified {
		return nil, known, nil
	}
	var out server.Serving
	if err := json.Unmarshal(body, &out); err != nil {
		return nil, "", fmt.Errorf("the service's answer cannot be read: %w", err)
	}
	return &out, agentproto.TagOf(resp.Header.Get("ETag")), nil
}

// round brings the server to what is kept, reports, and says when it is to be looked at again.
func (k *Keeper) round(ctx context.Context, facts Facts) (next time.Time) {
	k.called()
	next = time.Now().Add(lookEvery)
	sooner := func(at time.Time) {
		if !at.IsZero() && at.Before(next) {
			next = at
		}
	}
	found, err := k.spooler.Shared(ctx)
	if err != nil {
		if ctx.Err() == nil {
			k.unread = err.Error()
			k.cfg.Log.Error("the spooler cannot be read", "error", err)
			k.tell(ctx, facts)
		}
		return time.Now().Add(shortestGap * 2)
	}
	k.found, k.unread = found, ""
	if k.serving.Now.Server == "" {
		k.failed = map[string]stepFailure{}
		k.tell(ctx, facts) // what is there, for whoever takes the server into the estate
		return next
	}
	k.tasks(ctx)
	wants, edge := server.At(k.serving.Now.Wants, time.Now(), zoneOf)
	sooner(edge)
	if k.work(ctx, server.Steps(wants, found, k.serving.Now.Take)) {
		if found, err = k.spooler.Shared(ctx); err == nil {
			k.found = found
		}
	}
	if k.handOn(ctx) {
		sooner(time.Now().Add(handEvery))
	}
	if k.rank(ctx) {
		sooner(time.Now().Add(rankEvery))
	}
	k.history(ctx)
	for _, f := range k.failed {
		sooner(f.again)
	}
	k.tell(ctx, facts)
	return next
}

// work does steps, each of which holds up nothing but what needs it, and says whether any was tried.
func (k *Keeper) work(ctx context.Context, steps []server.Step) (tried bool) {
	k.fetched = map[string][]byte{}
	defer func() { k.fetched = nil }()
	failed, noDrivers := map[string]stepFailure{}, map[string]error{}
	for _, s := range steps {
		if ctx.Err() != nil {
			return tried
		}
		key, want := s.Key(), wanted(s)
		before, failedBefore := k.failed[key]
		if failedBefore && before.want == want && time.Now().Before(before.again) {
			failed[key] = before // its time has not come
			if s.Do == server.GetDriver {
				noDrivers[s.Want.Exact] = errors.New(before.Says)
			}
			continue
		}
		err := noDrivers[s.Want.Exact]
		if err == nil || s.Do == server.GetDriver {
			err = k.step(ctx, s)
		}
		tried = tried || s.Do != server.GetDriver
		if err == nil {
			continue
		}
		if ctx.Err() != nil {
			return tried
		}
		if s.Do == server.GetDriver {
			noDrivers[s.Want.Exact] = err
		}
		f := stepFailure{Failure: server.Failure{Name: s.Want.Name, Step: s.Do, Says: err.Error(),
			Since: time.Now().UTC().Truncate(time.Second)}, want: want, tries: 1}
		if s.Do == server.GetDriver {
			f.Exact = s.Want.Exact
		}
		if before.Says == f.Says {
			f.Since = before.Since
		}
		if before.want == want {
			f.tries = before.tries + 1
		}
		f.again = time.Now().Add(min(lastRetry, firstRetry<<min(f.tries-1, 16)))
		if f.tries == 1 || f.Says != before.Says {
			k.cfg.Log.Warn("a step failed", "step", s.Do, "queue", s.Want.Name, "driver", f.Exact, "says", err)
		}
		failed[key] = f
	}
	k.failed = failed
	return tried
}

// wanted is what a step is to bring about, to tell one that failed from another.
func wanted(s server.Step) string {
	b, _ := json.Marshal(s.Want)
	sum := sha256.Sum256(b)
	return s.Do + " " + string(sum[:])
}

func (k *Keeper) step(ctx context.Context, s server.Step) error {
	switch s.Do {
	case server.GetDriver:
		_, err := k.driver(ctx, s.Want.Exact)
		return err
	case server.Remove:
		return k.spooler.Drop(ctx, s.Want.Name)
	}
	if err := printsAll(s.Want.Devices); err != nil {
		return err
	}
	return k.spooler.Bring(ctx, s.Want, s.Do == server.Take)
}

// driver gives a driver's description, which is fetched once a round.
func (k *Keeper) driver(ctx context.Context, exact string) ([]byte, error) {
	if b, ok := k.fetched[exact]; ok {
		return b, nil
	}
	b, err := k.fetchDriverFor(ctx, exact, k.serving.Now.Platform)
	if err != nil {
		return nil, endpoint.NoDriver{Err: err}
	}
	if k.fetched != nil {
		k.fetched[exact] = b
	}
	return b, nil
}

// tell reports, where something is otherwise or it is time.
func (k *Keeper) tell(ctx context.Context, facts Facts) {
	r := server.Report{Machine: facts.Machine, Version: k.cfg.Version, Platform: facts.Platform, Spooler: k.spooler.Name(),
		Server: k.serving.Now.Server, Revision: k.serving.Now.Revision, Found: k.found, Failures: []server.Failure{},
		Unread: k.unread, Done: k.serving.Done, Passed: k.serving.Passed, Ended: k.ended}
	if r.Found == nil {
		r.Found = []server.Found{}
	}
	wants, _ := server.At(k.serving.Now.Wants, time.Now(), zoneOf)
	for _, w := range wants {
		r.Points = append(r.Points, k.spooler.Lacks(w)...)
	}
	server.SortPoints(r.Points)
	for _, f := range k.failed {
		r.Failures = append(r.Failures, f.Failure)
	}
	slices.SortFunc(r.Failures, func(a, b server.Failure) int {
		return cmp.Or(cmp.Compare(a.Exact, b.Exact), cmp.Compare(a.Name, b.Name))
	})
	b, err := json.Marshal(r)
	if err != nil {
		return
	}
	sum := sha256.Sum256(b)
	if sum == k.toldSum && time.Since(k.toldAt) < k.client.pace.Report {
		return
	}
	if _, _, err := k.client.post(ctx, agentproto.KeptPath, r, nil, 30*time.Second); err != nil {
		if ctx.Err() == nil {
			k.cfg.Log.Warn("the report did not arrive", "error", err)
		}
		return
	}
	k.toldSum, k.toldAt = sum, time.Now()
	for _, e := range r.Ended {
		k.heard[e.ID] = true
	}
}

// Serves says which server is kept here, "" for none yet.
func (k *Keeper) Serves() string { return k.serving.Now.Server }

// errNoServer says that a machine's agent was not yet told of a server.
var errNoServer = fault.New(fault.Invalid, "nothing-served",
	"run the agent with --serve, and take the server into the estate with kept: true",
	"this machine keeps no print server")
