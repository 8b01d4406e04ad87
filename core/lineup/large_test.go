package lineup_test

import (
	"encoding/json"
	"slices"
	"sync"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/internal/large"
)

var organisation = sync.OnceValue(func() *large.Organisation { return large.New(1, large.ForBench()) })

// TestLargeIsAsIntended: a median context of the large organisation matches about 40 grants and receives about 12
// queues.
func TestLargeIsAsIntended(t *testing.T) {
	t.Parallel()
	o := large.New(1, large.Small)
	text, err := json.Marshal(o.Estate)
	if err != nil {
		t.Fatal(err)
	}
	doc, err := estate.Parse([]document.File{{Name: "large.json", Text: string(text)}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if again, _ := json.Marshal(large.New(1, large.Small).Estate); string(again) != string(text) {
		t.Error("the same seed gives another estate")
	}
	w := lineup.Bind(lineup.Compile(doc, 1, lineup.Options{Zone: zone}), directory.New(o.Directory), live.State{})
	var queues, grants []int
	for _, c := range o.Contexts {
		l, err := w.Resolve(c, nil)
		if err != nil {
			t.Fatal(err)
		}
		queues = append(queues, len(l.Entries))
		matched := map[string]bool{}
		for _, q := range doc.Queues {
			y := w.Matching(c, q.Name)
			for _, g := range y {
				matched[g] = true
			}
		}
		grants = append(grants, len(matched))
		if len(grants) == 100 {
			break
		}
	}
	slices.Sort(queues)
	slices.Sort(grants)
	if q, g := queues[50], grants[50]; q < 11 || q > 13 || g < 36 || g > 44 {
		t.Errorf("a median context matches %d grants and receives %d queues", g, q)
	}
}

// BenchmarkLarge is a large organisation: what a change costs, and what an answer does.
func BenchmarkLarge(b *testing.B) {
	o := organisation()
	doc := o.Estate
	options := lineup.Options{Zone: zone}
	b.Run("compile-estate", func(b *testing.B) {
		for b.Loop() {
			lineup.Compile(doc, 1, options)
		}
	})
	b.Run("index-directory", func(b *testing.B) {
		for b.Loop() {
			directory.New(o.Directory)
		}
	})
	b.Run("parse-estate", func(b *testing.B) {
		text, err := doc.YAML()
		if err != nil {
			b.Fatal(err)
		}
		b.SetBytes(int64(len(text)))
		for b.Loop() {
			if _, err := estate.Parse([]document.File{{Name: "large.yaml", Text: string(text)}}, estate.Options{}); err != nil {
				b.Fatal(err)
			}
		}
	})
	e, d := lineup.Compile(doc, 1, options), directory.New(o.Directory)
	b.Run("recompile-one-grant", func(b *testing.B) {
		sorted := e.Document()
		g := sorted.Grants[len(sorted.Grants)*7/9]
		g.Default++
		again := options
		again.Reuse = e
		for b.Loop() {
			changed := sorted.With([]estate.Change{{Ref: estate.Ref{List: "grants", Name: g.Name}, Before: &sorted.Grants[len(sorted.Grants)*7/9],
				After: &g}})
			lineup.Compile(changed, 2, again)
		}
	})
	b.Run("bind", func(b *testing.B) {
		for b.Loop() {
			lineup.Bind(e, d, live.State{})
		}
	})
	b.Run("check", func(b *testing.B) {
		for b.Loop() {
			lineup.Check(e, d)
		}
	})
	w := lineup.Bind(e, d, live.State{})
	// The contexts in the order of the directory, so that what a site has in common is at hand for its people, and far
	// apart, so that hardly anything is: in turns, so that both are measured on the same machine at the same time.
	b.Run("resolve", func(b *testing.B) {
		var s lineup.Scratch
		b.ReportAllocs()
		const turn = 2000
		took := map[int][]time.Duration{}
		i := 0
		for ; b.Loop(); i++ {
			step := []int{1, 7919}[i/turn%2]
			begin := time.Now()
			if _, err := w.Resolve(o.Contexts[i*step%len(o.Contexts)], &s); err != nil {
				b.Fatal(err)
			}
			took[step] = append(took[step], time.Since(begin))
		}
		if i < 2*turn {
			return
		}
		near, apart := median(took[1]), median(took[7919])
		b.ReportMetric(float64(near.Nanoseconds()), "median-ns")
		b.ReportMetric(float64(apart.Nanoseconds()), "apart-ns")
		b.ReportMetric(float64(apart)/float64(near), "apart/near")
	})
}

func median(took []time.Duration) time.Duration {
	slices.Sort(took)
	return took[len(took)/2]
}
