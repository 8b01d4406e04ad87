package agent

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/internal/agentproto"
)

// converge brings the spooler to the kept lineups and reports.
func (a *Agent) converge(ctx context.Context, facts Facts, contexts []lineup.Query) {
	if s, ok := a.cfg.Spooler.(knowsLogins); ok {
		s.SignedIn(a.logins)
	}
	people := peopleOf(contexts)
	installed, defaults, err := a.cfg.Spooler.List(ctx, people)
	if err != nil {
		a.cfg.Log.Error("the spooler cannot be read", "error", err)
		return
	}
	a.fromSpooler(installed)
	steps, away := endpoint.Steps(a.plan(), installed, defaults, a.kept.Memory)
	if waits := len(steps) > 0 && !agreed(a.cfg, a.kept.Memory); waits != a.kept.Waits {
		if a.kept.Waits = waits; waits {
			a.cfg.Log.Warn("nothing is changed here before somebody agrees: cirque-agent plan, then cirque-agent plan --agree")
		}
		a.keep()
	}
	if a.kept.Waits {
		a.report(ctx, facts, contexts, installed)
		return
	}
	failed := map[endpoint.Key]failure{}
	done := 0
	for _, s := range steps {
		k := s.Want.Key()
		if _, broken := failed[k]; broken && s.Do == "default" {
			continue // it could not be installed, and that has been said
		}
		before, failedBefore := a.failed[k]
		if failedBefore && before.same(s) && time.Now().Before(before.again) {
			failed[k] = before // its time has not come
			continue
		}
		done++
		if err := a.do(ctx, s); err != nil {
			if ctx.Err() != nil {
				return
			}
			f := failureAfter(before, s, err, time.Now())
			if f.tries == 1 || f.Says != before.Says {
				a.cfg.Log.Warn("a step failed", "step", s.Do, "queue", s.Want.Queue, "user", s.Want.User, "says", err)
			}
			failed[k] = f
			continue
		}
		if s.Do == "default" {
			a.kept.Memory.Set(s.Want.User, s.Want.Queue, defaults[name.Fold(s.Want.User)])
		}
	}
	a.failed = failed
	if done > 0 {
		if installed, _, err = a.cfg.Spooler.List(ctx, people); err != nil {
			a.cfg.Log.Error("the spooler cannot be read", "error", err)
			return
		}
		a.fromSpooler(installed)
	}
	a.remember(installed, away)
	a.report(ctx, facts, contexts, installed)
}

// plan is what the kept lineups ask for, with where the queues are, and why they take no jobs.
func (a *Agent) plan() endpoint.Plan {
	_, closes := a.cfg.Spooler.(closesQueues)
	p := endpoint.PlanFor(a.kept.Lineups)
	for i := range p.Wants {
		w := &p.Wants[i]
		w.Place = a.kept.Places[w.Queue]
		if a.kept.Units != nil && w.Exact != "" {
			fitted := estate.Units(a.kept.Units[w.Queue])
			w.Units = &fitted
		}
		if w.Closed == "" {
			continue
		}
		said, known := a.kept.Closed[w.Queue]
		if known {
			w.Closed = said.Says
		}
		// Hours that have begun while the service is away open the queue all the same.
		if !closes || known && said.Until != nil && !time.Now().Before(*said.Until) {
			w.Closed = ""
		}
	}
	return p
}

// places asks where the queues of the lineups are. Without an answer those that are known stay.
func (a *Agent) places(ctx context.Context) {
	var queues, shut []string
	for _, w := range endpoint.PlanFor(a.kept.Lineups).Wants {
		if !slices.Contains(queues, w.Queue) {
			queues = append(queues, w.Queue)
			if w.Closed != "" {
				shut = append(shut, w.Queue)
			}
		}
	}
	slices.Sort(queues)
	slices.Sort(shut)
	if len(queues) == 0 || a.kept.PlacedAt == a.kept.Lineups[0].Revision && slices.Equal(queues, a.kept.Placed) &&
		slices.Equal(shut, a.kept.Shut) && len(shut) == 0 {
		return
	}
	var out agentproto.Places
	_, b, err := a.client.post(ctx, agentproto.PlacesPath, agentproto.PlacesRequest{Queues: queues}, nil, 10*time.Second)
	if err == nil {
		err = json.Unmarshal(b, &out)
	}
	if err != nil {
		a.cfg.Log.Debug("where queues are was not told", "error", err)
		return
	}
	a.kept.Places, a.kept.Placed, a.kept.PlacedAt = out.Places, queues, a.kept.Lineups[0].Revision
	a.kept.Closed, a.kept.Shut, a.kept.Units = out.Closed, shut, out.Units
	if a.kept.Units == nil {
		a.kept.Units = map[string]agentproto.Units{} // so says a service, too, that knows nothing of them
	}
}

// peopleOf names the people of contexts.
func peopleOf(contexts []lineup.Query) []string {
	var out []string
	for _, q := range contexts {
		if q.User != nil && !slices.Contains(out, *q.User) {
			out = append(out, *q.User)
		}
	}
	return out
}

func (a *Agent) do(ctx context.Context, s endpoint.Step) error {
	s.Want.URI = a.absolute(s.Want.URI)
	if (s.Do == "add" || s.Do == "change") && !estate.PrintsTo(s.Want.URI) {
		return fmt.Errorf("%q leads to nothing that prints, and is not installed", s.Want.URI)
	}
	switch s.Do {
	case "add":
		return a.cfg.Spooler.Add(ctx, s.Want)
	case "change":
		return a.cfg.Spooler.Change(ctx, s.Want)
	case "default":
		return a.cfg.Spooler.SetDefault(ctx, s.Want.Queue, s.Want.User)
	}
	return a.cfg.Spooler.Remove(ctx, s.Want.Queue, s.Want.User)
}

// gatewayBase is the service's address as an IPP URI; the gateway's URIs in lineups are relative to it.
func (a *Agent) gatewayBase() string {
	scheme := "ipp"
	if a.client.base.Scheme == "https" {
		scheme = "ipps"
	}
	return scheme + "://" + a.client.base.Host
}

func (a *Agent) absolute(uri string) string {
	if strings.HasPrefix(uri, "/") {
		return a.gatewayBase() + uri
	}
	return uri
}

// fromSpooler turns the gateway's URIs back into the form that lineups have.
func (a *Agent) fromSpooler(installed []endpoint.Installed) {
	for i := range installed {
		if rest, ok := strings.CutPrefix(installed[i].URI, a.gatewayBase()); ok && strings.HasPrefix(rest, "/") {
			installed[i].URI = rest
		}
	}
}

// remember notes what is its own now. A change on disk alone is worth a write.
func (a *Agent) remember(installed []endpoint.Installed, away []endpoint.Key) {
	var own []endpoint.Key
	for _, i := range installed {
		if i.Own {
			own = append(own, i.Key())
		}
	}
	before, _ := json.Marshal(a.kept.Memory)
	a.kept.Memory.Own, a.kept.Memory.Away = own, away
	if after, _ := json.Marshal(a.kept.Memory); string(before) != string(after) {
		a.keep()
	}
}

func (a *Agent) report(ctx context.Context, facts Facts, contexts []lineup.Query, installed []endpoint.Installed) {
	a.lookAttached(ctx)
	r := endpoint.Report{Machine: facts.Machine, Version: a.cfg.Version, Platform: facts.Platform,
		Spooler: a.cfg.Spooler.Name(), Contexts: contexts, Logins: a.logins,
		Installed: installed, Removed: a.kept.Memory.Away, Staged: a.staged(), Failures: []endpoint.Failure{}}
	a.tellAttached(&r)
	a.tellDrivers(ctx, &r)
	if r.Installed == nil {
		r.Installed = []endpoint.Installed{}
	}
	if len(a.kept.Lineups) > 0 {
		r.Revision = a.kept.Lineups[0].Revision
	}
	for _, f := range a.failed {
		r.Failures = append(r.Failures, f.Failure)
	}
	slices.SortFunc(r.Failures, func(x, y endpoint.Failure) int {
		return strings.Compare(x.User+" "+x.Queue, y.User+" "+y.Queue)
	})
	b, err := json.Marshal(r)
	if err != nil {
		return
	}
	sum := sha256.Sum256(append(b, strconv.FormatBool(a.kept.Waits)...))
	if sum == a.toldSum && time.Since(a.toldAt) < a.client.pace.Report || len(contexts) == 0 {
		return
	}
	header := http.Header{}
	if a.kept.Waits {
		header.Set(agentproto.ConsentHeader, Asked)
	}
	if kind := a.kept.Kind; kind != "" {
		header.Set(agentproto.UpdatesHeader, kind)
	}
	order, err := a.client.report(ctx, r, header)
	if err != nil {
		if ctx.Err() == nil {
			a.cfg.Log.Warn("the report did not arrive", "error", err)
		}
		return
	}
	a.toldSum, a.toldAt, a.told = sum, time.Now(), contexts
	a.upgrades.heed(ctx, order, facts.Platform)
}
