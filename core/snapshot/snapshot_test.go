package snapshot

import (
	"fmt"
	"math/rand"
	"reflect"
	"testing"
)

func TestCompare(t *testing.T) {
	t.Parallel()
	a := []Object{{"queue", "hall", map[string]string{"driver": "PCL6", "note": "x"}}, {"server", "ps-1",
		map[string]string{"answers": "yes"}}, {"server", "ps-2", nil}}
	b := []Object{{"queue", "hall", map[string]string{"driver": "PS", "uri": "ipp://x"}}, {"server", "ps-1",
		map[string]string{"answers": "yes"}}, {"server", "ps-3", nil}}
	want := []Difference{{"queue", "hall", "changed", "driver", "PCL6", "PS"}, {"queue", "hall", "changed", "note", "x",
		""}, {"queue", "hall", "changed", "uri", "", "ipp://x"}, {Kind: "server", Name: "ps-2", What: "gone"},
		{Kind: "server", Name: "ps-3", What: "new"}}
	if got := Compare(a, b); !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	if got := Compare(a, a); len(got) != 0 {
		t.Errorf("a thing differs from itself: %+v", got)
	}
}

// TestCompareBothWays: what is new one way is gone the other, and a change has its sides exchanged.
func TestCompareBothWays(t *testing.T) {
	t.Parallel()
	for seed := range int64(300) {
		r := rand.New(rand.NewSource(seed))
		random := func() []Object {
			var out []Object
			for n := range 8 {
				if r.Intn(3) > 0 {
					out = append(out, Object{[]string{"a", "b"}[n%2], fmt.Sprint(n), map[string]string{"x": fmt.Sprint(r.Intn(2)),
						"y": fmt.Sprint(r.Intn(2))}})
				}
			}
			return Sorted(out)
		}
		a, b := random(), random()
		there, back := Compare(a, b), Compare(b, a)
		if len(there) != len(back) {
			t.Fatal(seed, there, back)
		}
		for i, d := range there {
			o := back[i]
			swap := map[string]string{"new": "gone", "gone": "new", "changed": "changed"}
			if o.Name != d.Name || o.What != swap[d.What] || o.Before != d.After || o.After != d.Before {
				t.Fatal(seed, d, o)
			}
		}
	}
}
