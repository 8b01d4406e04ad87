package estate_test

import (
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/internal/testkit/worlds"
)

// TestWithout: in random estates whatever is taken out along with its mentions is not named any more, what is left
// holds together, and nothing else has gone but what names nothing else.
func TestWithout(t *testing.T) {
	t.Parallel()
	along := 0
	for seed := range uint64(120) {
		doc := worlds.New(seed).Estate()
		for _, r := range doc.Refs() {
			if r.List == "settings" {
				continue
			}
			out, err := doc.Without([]estate.Ref{r})
			if r.List == "locations" && len(estate.Dependents(doc, r)) > 0 {
				if !fault.Is(err, fault.Invalid) {
					t.Fatalf("seed %d: %s: %v", seed, r, err)
				}
				continue
			}
			if err != nil {
				t.Fatalf("seed %d: %s: %v", seed, r, err)
			}
			// A place that is there for what lies in it alone goes with it: that is Integrity's to say.
			if p := estate.Integrity(out); r.List != "locations" && len(p) > 0 && len(estate.Integrity(doc)) == 0 {
				t.Fatalf("seed %d, without %s: %+v", seed, r, p)
			}
			if out.Find(r) != nil {
				t.Fatalf("seed %d: %s is there still", seed, r)
			}
			for _, c := range estate.Changes(doc, out) {
				if c.Ref == r {
					continue
				}
				along++
				if c.After == nil && c.List != "grants" && c.List != "promises" && c.List != "allowances" &&
					c.List != "server_sets" {
					t.Fatalf("seed %d: with %s goes %s", seed, r, c.Ref)
				}
			}
		}
	}
	if along < 100 {
		t.Errorf("only %d objects changed along: too dull", along)
	}
}

func TestWithoutOldNames(t *testing.T) {
	t.Parallel()
	doc, err := estate.Parse([]document.File{{Name: "e.yaml", Text: `estate: 1
queues: [{name: hall, formerly: [desk]}, {name: yard}]
grants:
  - {name: one, effect: place, queues: [desk]}
  - {name: two, effect: place, queues: [hall, yard]}
promises: [{name: p, context: {user: mira}, receives: [hall], default: hall}]
`}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	out, err := doc.Without([]estate.Ref{{List: "queues", Name: "hall"}})
	if err != nil {
		t.Fatal(err)
	}
	text, err := out.YAML()
	if err != nil {
		t.Fatal(err)
	}
	if got := string(text); strings.Contains(got, "hall") || strings.Contains(got, "one") || strings.Contains(got,
		"promises") || !strings.Contains(got, "queues: [yard]") {
		t.Error(got)
	}
	if _, err := doc.Without([]estate.Ref{{List: "queues", Name: "hal"}}); !fault.Is(err, fault.Unknown) ||
		!strings.Contains(fault.As(err).Fix, "hall") {
		t.Error(err)
	}
}
