package findings

import (
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/server"
)

// keys are the keys of objects that points are about.
var keys = map[string]string{"people": "queues.access", "unknown-people": "queues.access", "name": "queues.paths",
	"no-device": "queues.devices", "plugged-in": "queues.devices", "members": "queues.devices", "driver": "queues.drivers"}

// Kept remarks on what of an estate the servers that Cirque keeps cannot be given.
func Kept(doc *estate.Document, d *directory.Directory) []lineup.Finding {
	var out []lineup.Finding
	var planner *server.Planner
	for i := range doc.Servers {
		s := &doc.Servers[i]
		if !s.Kept {
			continue
		}
		if planner == nil {
			planner = server.NewPlanner(doc, d)
		}
		for _, p := range planner.Wanted(s.Name, time.Time{}, nil).Points {
			severity := warning
			if p.Kind == "unknown-people" {
				severity = remark
			}
			if p.Queue == "" {
				out = append(out, lineup.NewFinding(severity, "servers.machine", s.Name, p.Fix, p.Says))
				continue
			}
			out = append(out, lineup.NewFinding(severity, keys[p.Kind], p.Queue, p.Fix, p.Says))
		}
	}
	return out
}

// Check remarks on an estate as it meets a directory, with what the servers that are kept cannot be given; warnings
// first, then by object.
func Check(e *lineup.Estate, d *directory.Directory) []lineup.Finding {
	return sorted(append(lineup.Check(e, d), Kept(e.Document(), d)...))
}
