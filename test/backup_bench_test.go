package test

import (
	"context"
	"crypto/rand"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/backup"
	"cirque/internal/large"
	"cirque/internal/postgres/cluster"
	"cirque/internal/testkit"
)

// backUpFor is where a process that backs up finds the data, the file and the passphrase.
const backUpFor = "CIRQUE_TEST_BACKUP"

// backUpIfAsked is the main function of that process.
func backUpIfAsked() {
	f := strings.Split(os.Getenv(backUpFor), "\n")
	if len(f) != 3 {
		return
	}
	out, err := os.Create(f[1])
	if err == nil {
		_, err = app.Backup(contextOfProcess(), app.Options{Data: f[0]}, backup.Call{Passphrase: f[2]}, out)
	}
	if err == nil {
		err = out.Sync()
	}
	if err != nil {
		fmt.Println("failed", err)
		os.Exit(1)
	}
	os.Exit(0)
}

// BenchmarkBackup backs up a large service (100,000 people, 20,000 machines of which 10,000 have reported, 2 GB of
// packages that cannot be compressed) while it answers lineups, and restores it. It gives how long each takes, and by
// how much the slowest hundredth of answers is slower meanwhile.
func BenchmarkBackup(b *testing.B) {
	dir := b.TempDir() // on disk, as in earnest
	for at := dir; at != "/"; at = filepath.Dir(at) {
		_ = os.Chmod(at, 0o755)
	}
	data := filepath.Join(dir, "data")
	p := startProcess(b, data)
	endDatabase(b, data)
	fillLarge(b, p, data)
	for b.Loop() {
		quiet := p.slowest(b, func() { time.Sleep(time.Duration(large.Scale(1500)) * 10 * time.Millisecond) })
		file := filepath.Join(dir, "backup")
		var took time.Duration
		busy := p.slowest(b, func() {
			begun := time.Now()
			cmd := exec.Command(os.Args[0])
			cmd.Env = append(os.Environ(), backUpFor+"="+data+"\n"+file+"\n"+"five words or perhaps six")
			if out, err := cmd.CombinedOutput(); err != nil {
				b.Fatalf("%v: %s", err, out)
			}
			took = time.Since(begun)
		})
		info, err := os.Stat(file)
		if err != nil {
			b.Fatal(err)
		}
		begun := time.Now()
		same := restoredSame(b, file, filepath.Join(dir, "there"))
		b.ReportMetric(took.Seconds(), "backup-s")
		b.ReportMetric(time.Since(begun).Seconds(), "restore-and-compare-s")
		b.ReportMetric(float64(info.Size())/1e6, "file-MB")
		b.ReportMetric(quiet.Seconds()*1000, "quiet-p99-ms")
		b.ReportMetric(busy.Seconds()/quiet.Seconds(), "p99-ratio")
		b.ReportMetric(float64(same), "equal-tables")
	}
}

// endDatabase ends the database of a service that was killed.
func endDatabase(b testing.TB, data string) {
	b.Helper()
	b.Cleanup(func() {
		if s, err := cluster.Attach(context.Background(), data); err == nil {
			_ = s.Stop()
		}
	})
}

func fillLarge(b *testing.B, p *process, data string) {
	b.Helper()
	ctx := b.Context()
	o := large.New(1, large.ForBench())
	files := map[string]string{}
	if err := o.Write(func(name string, t []byte) error { files[name] = string(t); return nil }); err != nil {
		b.Fatal(err)
	}
	if _, err := apiclient.Post[api.Published](ctx, p.c, "/api/v1/revisions", api.Publish{Reason: "large",
		Files: []document.File{{Name: "estate.json", Text: files["estate.json"]}}}); err != nil {
		b.Fatal(err)
	}
	if _, err := apiclient.Post[directory.Import](ctx, p.c, "/api/v1/directory/import", api.Import{Source: "large",
		Files: []document.File{{Name: "directory.json", Text: files["directory.json"]}}}); err != nil {
		b.Fatal(err)
	}
	s, err := cluster.Attach(ctx, data)
	if err != nil {
		b.Fatal(err)
	}
	conn := testkit.Connect(b, s.URL("cirque"))
	var reports [][]any
	if err := o.Reports(1, func(r large.Reported) error {
		if len(reports) < large.Scale(10_000) {
			reports = append(reports, []any{strings.ToLower(r.Report.Machine), r.Report})
		}
		return nil
	}); err != nil {
		b.Fatal(err)
	}
	if _, err := conn.CopyFrom(ctx, pgx.Identifier{"endpoint"}, []string{"folded", "report"},
		pgx.CopyFromRows(reports)); err != nil {
		b.Fatal(err)
	}
	n := 0
	chunk := make([]byte, 1<<20)
	if _, err := conn.CopyFrom(ctx, pgx.Identifier{"driver_chunk"}, []string{"sha256", "n", "data"},
		pgx.CopyFromFunc(func() ([]any, error) {
			if n++; n > large.Scale(2000) {
				return nil, nil
			}
			_, _ = rand.Read(chunk)
			return []any{fmt.Sprintf("%064d", n), 0, chunk}, nil
		})); err != nil {
		b.Fatal(err)
	}
	for _, sql := range []string{"VACUUM ANALYZE", "CHECKPOINT"} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			b.Fatal(err)
		}
	}
}

// slowest asks for lineups while f runs, as four clients that pause, and gives how long all but a hundredth took at
// most.
func (p *process) slowest(b *testing.B, f func()) time.Duration {
	b.Helper()
	o := large.New(1, large.Size{Sites: 1, Users: 500, Machines: 100, Queues: 50, Grants: 100, Subnets: 20, Teams: 20})
	ctx, stop := context.WithCancel(b.Context())
	var mu sync.Mutex
	var all []time.Duration
	var wg sync.WaitGroup
	for i := range 4 {
		wg.Go(func() {
			for n := i; ctx.Err() == nil; n += 4 {
				begun := time.Now()
				if err := p.c.Do(ctx, "POST", "/api/v1/lineups", nil, o.Contexts[n%len(o.Contexts)], nil); err != nil {
					if ctx.Err() == nil {
						b.Error(err)
					}
					return
				}
				mu.Lock()
				all = append(all, time.Since(begun))
				mu.Unlock()
				time.Sleep(10 * time.Millisecond)
			}
		})
	}
	f()
	stop()
	wg.Wait()
	slices.Sort(all)
	return all[len(all)*99/100]
}

// restoredSame restores a backup and gives how many tables are equal to what it holds, octet by octet; all must be, but
// for the events.
func restoredSame(b *testing.B, file, there string) int {
	b.Helper()
	ctx := b.Context()
	how := backup.Call{Passphrase: "five words or perhaps six"}
	in, err := os.Open(file)
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = in.Close() }()
	was, err := app.Restore(ctx, app.Options{Data: there}, how, in)
	if err != nil {
		b.Fatal(err)
	}
	out, err := os.Create(file + ".again")
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = out.Close() }()
	is, err := app.Backup(ctx, app.Options{Data: there}, how, out)
	if err != nil {
		b.Fatal(err)
	}
	same := 0
	for i, e := range was.Entries {
		switch {
		case is.Entries[i] == e:
			same++
		case e.Name != "tables/event" && e.Name != "backup.json":
			b.Errorf("%s was %+v and is %+v", e.Name, e, is.Entries[i])
		}
	}
	return same
}
