package endpoint

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
)

// TestTallyKeepsWhatIsShown: a tally that keeps few rows shows the same as one that keeps all, also where what is full
// is only counted.
func TestTallyKeepsWhatIsShown(t *testing.T) {
	t.Parallel()
	counted := 0
	for seed := range uint64(500) {
		random := rand.New(rand.NewPCG(seed, 1))
		most := 1 + random.IntN(12)
		few, all := NewTally(most), NewTally(1000)
		for i := range random.IntN(60) {
			r := ProofRow{Machine: fmt.Sprint("m", i), State: standings[random.IntN(len(standings))]}
			all.Add(r)
			if few.Full(r.State) {
				counted++
				few.Count(r.State, 1)
			} else {
				few.Add(r)
			}
		}
		got, want := Proof{}.Close(few, nil), Proof{}.Close(all, nil)
		want.Rows = want.Rows[:min(most, len(want.Rows))]
		if fmt.Sprint(got) != fmt.Sprint(want) {
			t.Fatalf("seed %d: of %d rows\n%+v\nwant\n%+v", seed, most, got, want)
		}
		if !slices.IsSortedFunc(got.Rows, func(a, b ProofRow) int {
			return slices.Index(standings, a.State) - slices.Index(standings, b.State)
		}) {
			t.Errorf("seed %d: not in order: %+v", seed, got.Rows)
		}
	}
	if counted < 1000 {
		t.Error("too dull:", counted)
	}
}
