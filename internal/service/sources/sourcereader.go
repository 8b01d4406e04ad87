package sources

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/words"
	"cirque/internal/service/worker"
)

// lastPass is what is known of a source between passes, in the process that reads it.
type lastPass struct {
	tree *directory.Tree
	mark directory.Mark
	of   directory.Source // as it was read
}

// readSources looks for what is due until ctx is done or the database is away. Each source is read by one goroutine at
// a time.
func (s *Room) readSources(ctx context.Context) error {
	notices, stop := s.present.Hub.Subscribe(event.Sources)
	defer stop()
	var wg sync.WaitGroup
	defer wg.Wait()
	kept := map[string]*lastPass{}
	busy := map[string]bool{}
	begun := map[string]time.Time{}
	done := make(chan string, 64)
	for ctx.Err() == nil {
		next, err := s.beginRuns(ctx, busy, begun, func(d dueRun) {
			called := d.source.Name
			h := kept[called]
			if h == nil {
				h = &lastPass{}
				kept[called] = h
			}
			busy[called] = true
			wg.Go(func() {
				s.run(ctx, d, h)
				done <- called
			})
		})
		if err != nil {
			if ctx.Err() == nil {
				s.log.Warn("the sources of the directory cannot be looked at", "error", err)
			}
			return err
		}
		t := time.NewTimer(min(max(time.Until(next), 100*time.Millisecond), 10*time.Second))
	wait:
		for {
			select {
			case <-ctx.Done():
				break wait
			case called := <-done:
				delete(busy, called)
				break wait
			case <-notices:
				break wait
			case <-t.C:
				break wait
			}
		}
		t.Stop()
	}
	return nil
}

// A dueRun is a pass that is to begin.
type dueRun struct {
	source directory.Source
	sealed []byte
	run    directory.Run
	before []directory.Run // newest first
}

// beginRuns begins what waits and what is due, and says when the next will be due. begun is when passes that were due
// began.
func (s *Room) beginRuns(ctx context.Context, busy map[string]bool, begun map[string]time.Time,
	begin func(dueRun)) (next time.Time, err error) {
	next = time.Now().Add(time.Minute)
	list, sealed, err := s.store.Sources(ctx)
	if err != nil {
		return next, err
	}
	latest, err := s.store.LatestRuns(ctx, directory.LatestRuns)
	if err != nil {
		return next, err
	}
	for _, v := range list {
		if busy[v.Name] {
			continue
		}
		runs := latest[v.Name]
		if len(runs) > 0 && runs[0].State == directory.Waiting {
			begin(dueRun{v, sealed[v.Name], runs[0], runs[1:]})
			continue
		}
		if v.Paused || len(runs) > 0 && runs[0].State == directory.Running {
			continue // of another process, which has gone; it ends by itself
		}
		at, whole := v.NextRun(runs)
		// Runs end by the database's clock, which may be another than this machine's; its own clock paces them too.
		if wait := max(at.Sub(s.now()), time.Until(begun[v.Name].Add(v.Pace()))); wait > 0 {
			if due := time.Now().Add(wait); due.Before(next) {
				next = due
			}
			continue
		}
		kind := directory.RunChanges
		if whole {
			kind = directory.RunWhole
		}
		r, err := s.store.AddRun(ctx, directory.Run{Source: v.Name, Kind: kind, Author: "schedule", Says: "begins"})
		if fault.Is(err, fault.Conflict) {
			continue
		}
		if err != nil {
			return next, err
		}
		begun[v.Name] = time.Now()
		begin(dueRun{v, sealed[v.Name], r, runs})
	}
	return next, nil
}

// run does one pass and keeps what came of it.
func (s *Room) run(ctx context.Context, d dueRun, h *lastPass) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	v, r := d.source, d.run
	r.State, r.Says = directory.Running, "reads"
	if r.Kind == directory.RunChanges && (h.tree == nil || !sameReading(h.of, v)) {
		r.Kind = directory.RunWhole // nothing is known to begin at
	}
	var read atomic.Int64
	save := func() {
		now := r
		now.Read = int(read.Load())
		stop, err := s.store.SaveRun(context.WithoutCancel(ctx), now)
		if err != nil {
			s.log.Warn("a pass's progress could not be kept", "source", v.Name, "error", err)
		}
		if stop {
			cancel()
		}
	}
	save()
	end := worker.Beat(time.Second, save)
	came, err := s.pass(ctx, d, r.Kind, h, func(n int) { read.Store(int64(n)) })
	end()
	out := came.Import
	r.Kind, r.Read = came.kind, max(came.read, int(read.Load()))
	r.Users, r.Groups, r.Machines = came.rows["user"], came.rows["group"], came.rows["machine"]
	r.Notes = came.notes
	r.Added, r.Changed, r.Removed = out.Added, out.Changed, out.Removed
	var events []event.Event
	tell := func(kind, pattern string, pairs ...any) {
		events = append(events, event.Event{Kind: kind, Subject: v.Name, Author: r.Author}.Saying(pattern, pairs...))
	}
	was := lastState(d.before)
	switch f := fault.As(err); {
	case err != nil && (f.Code == "stopped" || ctx.Err() != nil):
		r.State, r.Says = directory.Stopped, "it was stopped, and nothing was applied"
	case err != nil:
		r.State, r.Code, r.Says, r.Fix = directory.Failed, f.Code, f.What, f.Fix
		if was != directory.Failed && r.Kind != directory.RunDry {
			tell(event.SourceBad, "The source {source} of the directory cannot be read: {reason}", "source", v.Name,
				"reason", f.What)
		}
	case out.Held != "" && r.Kind != directory.RunDry:
		r.State, r.Code, r.Says = directory.Held, "removal-limit", out.Held+", and nothing was applied"
		r.Fix = fmt.Sprintf("look at the directory; if it is meant: cirque directory source run %s --accept-removals", v.Name)
		if was != directory.Held {
			tell(event.SourceHeld, "A pass over the source {source} was held: {reason}; nothing was applied", "source",
				v.Name, "reason", out.Held)
		}
	default:
		r.State = directory.Done
		r.Says = fmt.Sprintf("%d added, %d changed, %d removed", out.Added, out.Changed, out.Removed)
		if r.Kind == directory.RunDry {
			r.Says = fmt.Sprintf("%d would be added, %d changed, %d removed; nothing was applied", out.Added, out.Changed,
				out.Removed)
			if out.Held != "" {
				r.Says += "; the removal limit would hold it: " + out.Held
			}
		} else if was == directory.Failed || was == directory.Held {
			tell(event.SourceGood, "The source {source} of the directory is read again", "source", v.Name)
		}
	}
	if r.State != directory.Done && r.Kind != directory.RunDry {
		*h = lastPass{} // the next pass begins anew
	}
	if _, err := s.store.SaveRun(context.WithoutCancel(ctx), r, events...); err != nil {
		s.log.Warn("a pass's end could not be kept", "source", v.Name, "error", err)
	}
}

// lastState is how the last pass ended that was no dry one. before are passes, newest first.
func lastState(before []directory.Run) string {
	for _, r := range before {
		if r.Kind != directory.RunDry && r.State != directory.Stopped && r.Over() {
			return r.State
		}
	}
	return ""
}

// outcome is what came of a pass.
type outcome struct {
	directory.Import
	kind  string // as it turned out
	read  int
	rows  map[string]int // by kind, where all is known
	notes []string
}

// pass reads a source and takes in what came: what has changed or, where that is asked for or nothing else tells,
// everything.
func (s *Room) pass(ctx context.Context, d dueRun, kind string, h *lastPass, tell func(int)) (outcome, error) {
	v := d.source
	came := outcome{kind: kind}
	password, err := s.cfg.Passwords.SourcePassword(v, d.sealed)
	if err != nil {
		return came, err
	}
	how := directory.Taking{Author: "directory " + v.Name, Share: v.Share(), Quiet: true, Kept: true,
		Named: s.estateNames(v.Name)}
	if d.run.Accept {
		how.Share, how.Author = 100, d.run.Author
	}
	if kind == directory.RunChanges {
		came, whole, err := s.changes(ctx, v, password, h, how, tell)
		if !whole {
			return came, err
		}
		kind = directory.RunWhole
	}
	p, err := s.cfg.Dir.ReadLDAP(ctx, v, password, tell)
	if err != nil {
		return outcome{kind: kind}, err
	}
	tree := directory.NewTree(p.Entries)
	rows, twice := tree.Rows()
	came = outcome{kind: kind, read: len(p.Entries), rows: directory.CountRows(rows), notes: p.Notes}
	for i, t := range twice {
		if i == 20 {
			came.notes = append(came.notes, fmt.Sprintf("and %d more names that are there twice", len(twice)-i))
			break
		}
		came.notes = append(came.notes, "there twice, and taken once: "+t)
	}
	came.notes = append(came.notes, s.alsoElsewhere(v.Name, rows)...)
	how.Dry = kind == directory.RunDry
	var records directory.Records
	for _, r := range rows {
		if r.Kind == "group" {
			if err := records.Add(r, v.Name); err != nil {
				return came, err
			}
		}
	}
	if err := records.CheckNesting(); err != nil {
		return came, err
	}
	came.Import, err = s.store.Import(ctx, v.Name, rows, how)
	if err != nil || how.Dry || came.Held != "" {
		return came, err
	}
	*h = lastPass{tree: tree, mark: p.Mark, of: v}
	// it is applied, stopped or not
	s.present.Show(context.WithoutCancel(ctx), event.Signal{What: event.Directory})
	return came, nil
}

// changes takes in what has changed since the last pass; whole says that only a whole pass tells.
func (s *Room) changes(ctx context.Context, v directory.Source, password string, h *lastPass, how directory.Taking,
	tell func(int)) (came outcome, whole bool, err error) {
	came.kind = directory.RunChanges
	p, err := s.cfg.Dir.ChangesLDAP(ctx, v, password, h.mark, tell)
	if fault.Is(err, fault.Conflict) { // the server remembers too little
		return came, true, nil
	}
	if err != nil {
		return came, false, err
	}
	d := h.tree.Apply(p.Entries, h.tree.Absent(p))
	if d.Whole {
		*h = lastPass{}
		return came, true, nil
	}
	came.read, came.notes = len(p.Entries), p.Notes
	h.mark = p.Mark
	if len(d.Rows)+len(d.Gone) == 0 {
		return came, false, nil
	}
	came.Import, err = s.store.ImportDelta(ctx, v.Name, d.Rows, d.Gone, how)
	if err != nil || came.Held != "" || came.Added+came.Changed+came.Removed == 0 {
		return came, false, err
	}
	s.present.Show(context.WithoutCancel(ctx), event.Signal{What: event.Directory})
	return came, false, nil
}

// alsoElsewhere says which names other sources have as well, and whose counts.
func (s *Room) alsoElsewhere(source string, rows []directory.Row) []string {
	other := map[string]string{} // by kind and folded name: the first other source by name
	note := func(kind, called, from string) {
		k := kind + " " + name.Fold(called)
		if from != source && (other[k] == "" || from < other[k]) {
			other[k] = from
		}
	}
	have := s.present.View().World.Directory.Records()
	for _, u := range have.Users {
		note("user", u.Name, u.Source)
	}
	for _, g := range have.Groups {
		note("group", g.Name, g.Source)
	}
	for _, m := range have.Machines {
		note("machine", m.Name, m.Source)
	}
	type pair struct{ kind, from string }
	count, example := map[pair]int{}, map[pair]string{}
	for _, r := range rows {
		if from := other[r.Kind+" "+name.Fold(r.Name)]; from != "" {
			p := pair{r.Kind, from}
			if count[p]++; count[p] == 1 {
				example[p] = r.Name
			}
		}
	}
	var out []string
	for p, n := range count {
		counts := source
		if p.from < source {
			counts = p.from
		}
		have := "have names"
		if n == 1 {
			have = "has a name"
		}
		says := fmt.Sprintf("what %s says counts, as it comes first by name", counts)
		if p.kind == "user" {
			says = "who has the name in both is one person"
		}
		out = append(out, fmt.Sprintf("%s %s that the source %s has too, such as %s: %s", words.Count(n, p.kind),
			have, p.from,
			example[p], says))
	}
	slices.Sort(out)
	return out
}

// sameReading says whether what was read of a source as it was tells also of it as it is.
func sameReading(a, b directory.Source) bool {
	return a.URL == b.URL && a.Base == b.Base && a.Bind == b.Bind && a.Attributes() == b.Attributes()
}
