package agent

import (
	"cmp"
	"context"
	"fmt"
	"strings"
	"time"

	"cirque/core/server"
)

// servingFile is where a keeper keeps what it knows of its server.
const servingFile = "serving.json"

// PlanServer says what an agent would do to a server's spooler, in lines, and touches nothing. It asks the service with
// the machine's own identity.
func PlanServer(ctx context.Context, o OpenedServer) ([]string, error) {
	k, err := NewKeeper(Config{State: o.State, Machine: o.Machine}, o.Spooler)
	if err != nil {
		return nil, err
	}
	facts, err := k.facts(ctx)
	if err != nil {
		return nil, err
	}
	now, _, err := k.askServing(ctx, facts, "", time.Now().Add(time.Minute))
	if err != nil {
		return nil, err
	}
	if now.Server == "" {
		return nil, errNoServer
	}
	found, err := o.Spooler.Shared(ctx)
	if err != nil {
		return nil, err
	}
	wants, _ := server.At(now.Wants, time.Now(), zoneOf)
	steps := server.Steps(wants, found, now.Take)
	var out []string
	for _, s := range steps {
		line := fmt.Sprintf("%-8s %s", s.Do, cmp.Or(s.Want.Name, s.Want.Exact))
		switch s.Do {
		case server.Add, server.Take:
			line += fmt.Sprintf(", to %s with %s, for %s", strings.Join(s.Want.Devices, " and "), cmp.Or(s.Want.Exact,
				s.Want.Driver, "what is sent passed on as it is"), s.Want.People)
		case server.Change:
			line += ", " + s.What
		}
		out = append(out, line)
	}
	for _, f := range found {
		if !f.Own {
			out = append(out, fmt.Sprintf("%-8s %s, which somebody else made", "leave", f.Name))
		}
	}
	if len(steps) == 0 {
		return append(out, now.Server+" has what it should; nothing would be done."), nil
	}
	return append(out, fmt.Sprintf("%s: steps: %d; nothing was touched.", now.Server, len(steps))), nil
}

// ClearServer takes away every queue that an agent made on a server, and says so in lines. It is to be stopped before.
func ClearServer(ctx context.Context, s ServerSpooler) ([]string, error) {
	found, err := s.Shared(ctx)
	if err != nil {
		return nil, err
	}
	var out []string
	gone, left := 0, 0
	for _, f := range found {
		if !f.Own {
			left++
			continue
		}
		if err := s.Drop(ctx, f.Name); err != nil {
			return out, fmt.Errorf("%s stays: %w", f.Name, err)
		}
		gone++
		out = append(out, "removed "+f.Name)
	}
	return append(out, fmt.Sprintf("Removed: %d; left, since others made them: %d.", gone, left)), nil
}
