package continuity_test

import (
	"testing"
	"time"

	"cirque/core/continuity"
	"cirque/core/live"
	"cirque/internal/testkit/worlds"
)

// TestOnward: of a server that is out of duty, jobs go on to the first other member that serves and has the queue.
func TestOnward(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, `estate: 1
servers: [{name: a, uri: "ipp://a.example/"}, {name: b, uri: "ipp://b.example:6310/"}, {name: c, uri: "ipp://c.example/", queue_root: q}]
server_sets: [{name: s, style: standby, members: [a, b, c]}]
queues: [{name: hall, paths: [{set: s, remote_name: Hall}]}, {name: old, retired: true, paths: [{set: s}]}, {name: own, paths: [{server: a}]}]
`)
	on := func(d map[string]live.Duty, lists map[string]*live.List) string {
		list := continuity.Onward(doc, live.State{Servers: d, Lists: lists}, "a")
		if len(list) == 0 {
			return ""
		}
		if len(list) > 1 || list[0].Name != "Hall" {
			t.Fatalf("%+v", list)
		}
		return list[0].To + " " + list[0].URI
	}
	empty := map[string]*live.List{"b": live.NewList(time.Time{}, time.Time{}, nil)}
	for name, c := range map[string][2]string{
		"on duty":       {on(nil, nil), ""},
		"drained":       {on(map[string]live.Duty{"a": live.Drained}, nil), "b ipp://b.example:6310/printers/Hall"},
		"b down":        {on(map[string]live.Duty{"a": live.Drained, "b": live.Down}, nil), "c ipp://c.example/q/Hall"},
		"b lacks it":    {on(map[string]live.Duty{"a": live.Drained}, empty), "c ipp://c.example/q/Hall"},
		"nobody serves": {on(map[string]live.Duty{"a": live.Drained, "b": live.Down, "c": live.Drained}, nil), ""},
	} {
		if c[0] != c[1] {
			t.Errorf("%s: %q, want %q", name, c[0], c[1])
		}
	}
}
