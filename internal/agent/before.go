package agent

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"cirque/core/endpoint"
)

// Plan says what an agent would do to a machine's spooler, in lines, and touches nothing. It asks the service with the
// machine's own identity.
func Plan(ctx context.Context, o Opened) ([]string, error) {
	id, err := ReadIdentity(o.State)
	if err != nil {
		return nil, err
	}
	c, err := clientOf(id)
	if err != nil {
		return nil, err
	}
	a, err := New(Config{State: o.State, Spooler: o.Spooler, Machine: o.Machine, Version: o.Version})
	if err != nil {
		return nil, err
	}
	facts, err := a.facts(ctx)
	if err != nil {
		return nil, err
	}
	if s, ok := o.Spooler.(knowsLogins); ok {
		s.SignedIn(a.logins)
	}
	contexts := facts.contexts()
	installed, defaults, err := o.Spooler.List(ctx, peopleOf(contexts))
	if err != nil {
		return nil, err
	}
	a.introduce(ctx, facts, contexts)
	lineups, _, _, err := c.ask(ctx, contexts, "", 0)
	if err != nil {
		return nil, err
	}
	a.fromSpooler(installed)
	steps, away := endpoint.Steps(endpoint.PlanFor(lineups), installed, defaults, a.kept.Memory)
	var out []string
	for _, s := range steps {
		line := fmt.Sprintf("%-8s %s for %s", s.Do, s.Want.Queue, cmp.Or(s.Want.User, "everybody"))
		if s.Do == "add" || s.Do == "change" {
			line += fmt.Sprintf(", to %s with %s", s.Want.URI, cmp.Or(s.Want.Exact, s.Want.Driver))
		}
		out = append(out, line)
	}
	for _, k := range away {
		out = append(out, fmt.Sprintf("%-8s %s for %s: somebody removed it, and the grant lets them", "stays away", k.Queue,
			cmp.Or(k.User, "everybody")))
	}
	for _, i := range installed {
		if !i.Own {
			out = append(out, fmt.Sprintf("%-8s %s, which somebody else set up", "leave", i.Queue))
		}
	}
	for _, r := range endpoint.Redirects(steps, defaults) {
		out = append(out, fmt.Sprintf("%-8s %s", "redirect", r))
	}
	for _, b := range endpoint.Twice(steps, installed) {
		out = append(out, fmt.Sprintf("%-8s %s leads to the same place as %s, which stays: whoever has both sees it twice",
			"twice", b.Queue, b.Other))
	}
	if len(steps) == 0 {
		return append(out, "It has what it should; nothing would be done."), nil
	}
	return append(out, fmt.Sprintf("Steps: %d; nothing was touched.", len(steps))), nil
}

// Clear removes everything that an agent installed, gives people back the defaults that they had before it, and says so
// in lines. It is to be stopped before.
func Clear(ctx context.Context, o Opened) ([]string, error) {
	installed, _, err := o.Spooler.List(ctx, nil)
	if err != nil {
		return nil, err
	}
	var out []string
	left := map[string]bool{}
	for _, i := range installed {
		if !i.Own {
			left[i.Queue] = true
			continue
		}
		if err := o.Spooler.Remove(ctx, i.Queue, i.User); err != nil {
			return out, fmt.Errorf("%s for %s stays: %w", i.Queue, cmp.Or(i.User, "everybody"), err)
		}
		out = append(out, fmt.Sprintf("removed %s for %s", i.Queue, cmp.Or(i.User, "everybody")))
	}
	removed := len(out)
	var k kept
	if b, err := os.ReadFile(filepath.Join(o.State, keptFile)); err == nil {
		_ = json.Unmarshal(b, &k) // without it nobody's former default is known
	}
	for _, user := range slices.Sorted(maps.Keys(k.Memory.Former)) {
		queue := k.Memory.Former[user]
		if !left[queue] {
			continue
		}
		if err := o.Spooler.SetDefault(ctx, queue, user); err != nil {
			out = append(out, fmt.Sprintf("%s does not get back %s as default: %v", user, queue, err))
			continue
		}
		out = append(out, fmt.Sprintf("%s prints to %s again where nobody chooses, as before", user, queue))
	}
	return append(out, fmt.Sprintf("Removed: %d; left, since others set them up: %d.", removed, len(left))), nil
}
