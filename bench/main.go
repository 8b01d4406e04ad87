// Bench measures Cirque's decisions on a large organisation, beside the same lineups asked of SQL over normalised
// tables and of a general-purpose policy engine, in one run. It is a module of its own, so that Cirque does not depend
// on these.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"text/tabwriter"
	"time"
	_ "time/tzdata"

	"github.com/jackc/pgx/v5"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/rehearse"
	"cirque/internal/large"
	"cirque/internal/postgres/cluster"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func zone(name string) *time.Location {
	z, err := time.LoadLocation(name)
	if err != nil {
		return nil
	}
	return z
}

// table is printed at the end, aligned.
type table struct{ *tabwriter.Writer }

func (t table) row(what, value, note string) { fmt.Fprintf(t, "%s\t%s\t%s\n", what, value, note) }

func ms(d time.Duration) string { return fmt.Sprintf("%.1f ms", float64(d.Microseconds())/1000) }
func us(d time.Duration) string { return fmt.Sprintf("%.2f µs", float64(d.Nanoseconds())/1000) }

// middle runs f some times and gives the median.
func middle(times int, f func()) time.Duration {
	var all []time.Duration
	for range times {
		begin := time.Now()
		f()
		all = append(all, time.Since(begin))
	}
	slices.Sort(all)
	return all[len(all)/2]
}

func heap() uint64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
}

func run(ctx context.Context) error {
	o := large.New(1, large.Full)
	e := o.Estate
	fmt.Printf("%d users, %d machines, %d groups, %d queues, %d grants, %d subnets; seed 1; %d cores\n\n",
		len(o.Directory.Users), len(o.Directory.Machines), len(o.Directory.Groups), len(e.Queues), len(e.Grants),
		len(e.Subnets), runtime.GOMAXPROCS(0))
	t := table{tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)}
	options := lineup.Options{Zone: zone}
	t.row("compile the estate", ms(middle(9, func() { lineup.Compile(e, 1, options) })), "")
	t.row("index the directory", ms(middle(5, func() { directory.New(o.Directory) })), "")
	before := heap()
	compiled := lineup.Compile(e, 1, options)
	dir := directory.New(o.Directory)
	w := lineup.Bind(compiled, dir, live.State{})
	t.row("memory of the snapshot", fmt.Sprintf("%d MB", (heap()-before)>>20), "compiled estate and indexed directory, "+
		"beside the records themselves")
	doc := compiled.Document()
	i := slices.IndexFunc(doc.Grants, func(g estate.Grant) bool { return g.Name > "g-100-20" && g.Effect == estate.Place })
	g := doc.Grants[i]
	g.Effect, g.Default = estate.Offer, 0
	change := []estate.Change{{Ref: estate.Ref{List: "grants", Name: g.Name}, Before: &doc.Grants[i], After: &g}}
	again := options
	again.Reuse = compiled
	var changed *lineup.Estate
	t.row("recompile after one grant changes", ms(middle(15, func() {
		changed = lineup.Compile(doc.With(change), 2,
			again)
	})), "")
	cases := rehearse.NewCases(dir, nil, o.Contexts)
	looked := 0
	one := middle(15, func() {
		w2 := lineup.Bind(lineup.Compile(doc.With(change), 2, again), dir, live.State{})
		looked = rehearsal(rehearse.NewPlan(w, w2, cases, large.Time, false)).Looked
	})
	t.row("recompile and rehearse one grant's change", ms(one), fmt.Sprintf("%d contexts that it can touch", looked))
	w2 := lineup.Bind(changed, dir, live.State{})
	full := middle(3, func() { looked = rehearsal(rehearse.NewPlan(w, w2, cases, large.Time, true)).Looked })
	resolve, err := decide(t, o, w)
	if err != nil {
		return err
	}
	limit := 2 * resolve * time.Duration(looked) / time.Duration(runtime.GOMAXPROCS(0))
	t.row("full rehearsal", ms(full), fmt.Sprintf("%d contexts; %d %% of what two resolutions each allow, %s", looked,
		100*limit/full, ms(limit)))
	if err := t.Flush(); err != nil {
		return err
	}
	fmt.Println()
	return compare(ctx, t, o, w, resolve)
}

// decide resolves every context, one after another in the order of the directory, and gives the median.
func decide(t table, o *large.Organisation, w *lineup.World) (time.Duration, error) {
	var s lineup.Scratch
	var best time.Duration
	queues := 0
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	const passes = 3
	for range passes {
		took := make([]time.Duration, 0, len(o.Contexts))
		queues = 0
		for _, c := range o.Contexts {
			begin := time.Now()
			l, err := w.Resolve(c, &s)
			took = append(took, time.Since(begin))
			if err != nil {
				return 0, err
			}
			queues += len(l.Entries)
		}
		slices.Sort(took)
		if median := took[len(took)/2]; best == 0 || median < best {
			best = median
		}
	}
	runtime.ReadMemStats(&after)
	t.row("resolve, median over all contexts", us(best), fmt.Sprintf("of the quietest of %d passes; %.1f queues, %.1f "+
		"allocations", passes, float64(queues)/float64(len(o.Contexts)),
		float64(after.Mallocs-before.Mallocs)/float64(passes*len(o.Contexts))))
	return best, nil
}

// rehearsal runs a plan on every core, as the service does.
func rehearsal(p *rehearse.Plan) *rehearse.Part {
	var parts []*rehearse.Part
	var mu sync.Mutex
	var wg sync.WaitGroup
	var next atomic.Int64
	const stride = 512
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			var scratch rehearse.Scratch
			for {
				from := int(next.Add(stride)) - stride
				if from >= p.Len() {
					return
				}
				part := p.Run(from, min(from+stride, p.Len()), &scratch)
				mu.Lock()
				parts = append(parts, part)
				mu.Unlock()
			}
		})
	}
	wg.Wait()
	return rehearse.Merge(parts)
}

// compare asks the same contexts of all three, first whether they agree, then how long they take.
func compare(ctx context.Context, t table, o *large.Organisation, w *lineup.World, resolve time.Duration) error {
	f := factsOf(o, w)
	dir, err := os.MkdirTemp("/dev/shm", "cirque-bench-")
	if err != nil {
		if dir, err = os.MkdirTemp("", "cirque-bench-"); err != nil {
			return err
		}
	}
	defer func() { _ = os.RemoveAll(dir) }()
	if err := os.Chmod(dir, 0o755); err != nil {
		return err
	}
	db, err := cluster.Start(ctx, filepath.Join(dir, "data"), cluster.Config{Throwaway: true})
	if err != nil {
		return err
	}
	defer func() { _ = db.Stop() }()
	conn, err := pgx.Connect(ctx, db.URL("postgres"))
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(ctx) }()
	if err := loadSQL(ctx, conn, f); err != nil {
		return err
	}
	sql := database{conn}
	policy, err := newEngine(ctx, f)
	if err != nil {
		return err
	}
	sample := make([]lineup.Context, 0, 500)
	for i := range 500 {
		sample = append(sample, o.Contexts[i*len(o.Contexts)/500])
	}
	for i, c := range sample {
		l, err := w.Resolve(c, nil)
		if err != nil {
			return err
		}
		want := rowsOf(l)
		for name, ask := range map[string]func(context.Context, lineup.Context) ([]row, error){"SQL": sql.ask,
			"the policy engine": policy.ask} {
			if name != "SQL" && i%5 > 0 {
				continue
			}
			got, err := ask(ctx, c)
			if err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
			if !slices.Equal(got, want) {
				return fmt.Errorf("%s differs for %s:\n got %v\nwant %v", name, c.User, got, want)
			}
		}
	}
	var took []time.Duration
	for _, other := range []struct {
		name string
		n    int
		ask  func(context.Context, lineup.Context) ([]row, error)
	}{{"SQL, prepared, over the local socket", 500, sql.ask}, {"policy engine, prepared, in the same process", 100,
		policy.ask}} {
		took = took[:0]
		for i := range other.n {
			c := sample[i*len(sample)/other.n]
			begin := time.Now()
			if _, err := other.ask(ctx, c); err != nil {
				return err
			}
			took = append(took, time.Since(begin))
		}
		slices.Sort(took)
		median := took[len(took)/2]
		t.row(other.name, us(median), fmt.Sprintf("%.0f times as long; its answers agree", float64(median)/float64(resolve)))
	}
	return t.Flush()
}
