package lineup_test

import (
	"strings"
	"testing"

	"cirque/core/bulk"
	"cirque/core/lineup"
)

// TestFindingKeys: a finding about one key of an object names it, and it is a key of that list.
func TestFindingKeys(t *testing.T) {
	t.Parallel()
	seen := map[string]bool{}
	for text, want := range map[string]string{
		"queues: [{name: q, devices: [p], paths: [{device: p}]}]\ngrants: [{name: g, effect: place, queues: [q, 'label:x'], to: [everyone]}]": "grants.queues",
		"queues: [{name: q, devices: [p], paths: [{device: p}]}]\ngrants: [{name: g, effect: place, queues: [q], to: ['user:mirra']}]":        "grants.to",
		"queues: [{name: q, devices: [p], paths: [{device: p}]}]\ngrants: [{name: g, effect: place, queues: [q], on: ['machine:x']}]":         "grants.on",
		"queues: [{name: q, devices: [p], paths: [{device: p}]}]\ngrants: [{name: g, effect: place, queues: [q], at: ['subnet:0.0.0.0/0']}]":  "grants.at",
		"server_sets: [{name: x, style: standby, members: [s]}]":                                                                              "server_sets.members",
		"queues: [{name: q, devices: [p], paths: [{device: p}], access: {deny: ['user:nobody']}}]":                                            "queues.access",
	} {
		found := false
		for _, f := range lineup.Check(world(t, checkEstate+text+"\n", checkDirectory).Estate, world(t, checkEstate+text+"\n",
			checkDirectory).Directory) {
			found = found || f.At.List+"."+f.Key == want
			if f.Key == "" {
				continue
			}
			seen[f.At.List+"."+f.Key] = true
			known := false
			for _, k := range bulk.Keys(f.At) {
				known = known || k.Name == f.Key
			}
			if !known || !strings.HasSuffix(f.Object, f.At.Name) {
				t.Errorf("%+v names no key of its list", f)
			}
		}
		if !found {
			t.Errorf("nothing is found at %s of %s", want, text)
		}
	}
	if len(seen) < 6 {
		t.Errorf("the estates are too good: %v", seen)
	}
}
