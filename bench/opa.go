package main

import (
	"context"
	_ "embed"
	"fmt"
	"strings"

	"github.com/open-policy-agent/opa/v1/ast"
	"github.com/open-policy-agent/opa/v1/rego"
	"github.com/open-policy-agent/opa/v1/storage/inmem"

	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/path"
)

//go:embed lineup.rego
var policy string

type object = map[string]any

// policyData is the organisation as the policy reads it, with everything worked out beforehand that can be.
func policyData(f *facts) object {
	users, machines, subnets, up, dist := object{}, object{}, object{}, object{}, object{}
	anys := func(list []string) []any {
		out := make([]any, len(list))
		for i, s := range list {
			out[i] = s
		}
		return out
	}
	for i, u := range f.o.Directory.Users {
		users[u.Name] = anys(f.users[i])
	}
	for i, m := range f.o.Directory.Machines {
		machines[m.Name] = anys(f.machines[i])
	}
	for _, s := range f.o.Estate.Subnets { // all are /24
		a := s.CIDR.Addr().String()
		subnets[a[:strings.LastIndexByte(a, '.')]] = s.Location
	}
	bySite := map[string][]string{}
	for _, l := range f.locs {
		var list []any
		for p := l; p != ""; p = above(p) {
			list = append(list, p)
		}
		up[l] = list
		bySite[estate.Site(l)] = append(bySite[estate.Site(l)], l)
	}
	zones := map[string]string{}
	for _, l := range f.o.Estate.Locations {
		if l.Timezone != "" {
			zones[l.Path] = l.Timezone
		}
	}
	for _, list := range bySite {
		for _, a := range list {
			row := object{}
			for _, b := range list {
				n, _ := steps(a, b)
				row[b] = n
			}
			dist[a] = row
		}
	}
	styles := map[string]estate.Style{}
	for _, s := range f.o.Estate.ServerSets {
		styles[s.Name] = s.Style
	}
	book := path.NewBook(f.o.Estate)
	queues, number := object{}, map[string]int{}
	for i, q := range f.o.Estate.Queues {
		number[q.Name] = i
		drivers := object{}
		for _, p := range bothPlatforms {
			if d := driverOf(q, p); d != "" {
				drivers[p] = d
			}
		}
		var ways []any
		for _, p := range q.Paths {
			w := path.Of(p, q.Name, book)
			one := object{"uri": w.URI, "gateway": p.Gateway}
			if len(p.At) > 0 {
				one["at"] = strings.TrimPrefix(p.At[0], "location:")
			}
			if p.Set != "" {
				var members []any
				for _, m := range w.Members {
					members = append(members, object{"name": m.Server, "uri": m.URI})
				}
				one["members"], one["style"] = members, string(styles[p.Set])
			}
			ways = append(ways, one)
		}
		queues[q.Name] = object{"location": q.Location, "zone": zones[estate.Site(q.Location)], "drivers": drivers,
			"ways": ways}
		if q.Access != nil {
			queues[q.Name].(object)["allow"] = anys(q.Access.Allow)
		}
	}
	grants := make([]any, len(f.o.Estate.Grants))
	to, on, at := map[string][]any{}, map[string][]any{}, map[string][]any{}
	for i, g := range f.o.Estate.Grants {
		one := object{"effect": string(g.Effect), "nearest": g.Nearest, "weight": g.Default}
		var selected []any
		for _, n := range f.selected(g, number) {
			selected = append(selected, f.o.Estate.Queues[n].Name)
		}
		one["queues"] = selected
		places := make([]string, len(g.At))
		for j, s := range g.At {
			places[j] = strings.TrimPrefix(s, "location:")
		}
		for key, list := range map[string][]string{"sessions": g.Sessions, "platforms": g.Platforms, "at": places, "on": g.On,
			"except": g.Except} {
			if len(list) > 0 {
				one[key] = anys(list)
			}
		}
		var open []any
		for _, o := range g.Open {
			days := []any{}
			for _, d := range []string{"Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"} {
				for _, w := range o.Days {
					if strings.EqualFold(d[:3], w) {
						days = append(days, d)
					}
				}
			}
			open = append(open, object{"days": days, "from": int(clockOf(o.From).Microseconds / 60e6),
				"to": int(clockOf(o.To).Microseconds / 60e6)})
		}
		if open != nil {
			one["open"] = open
		}
		grants[i] = one
		switch {
		case len(g.To) > 0:
			for _, s := range g.To {
				to[s] = append(to[s], i)
			}
		case len(g.On) > 0:
			for _, s := range g.On {
				on[s] = append(on[s], i)
			}
		default:
			for _, p := range places {
				at[p] = append(at[p], i)
			}
		}
	}
	lists := func(m map[string][]any) object {
		out := object{}
		for k, v := range m {
			out[k] = v
		}
		return out
	}
	return object{"users": users, "machines": machines, "subnet": subnets, "up": up, "distance": dist, "queues": queues,
		"grants": grants, "grant_to": lists(to), "grant_on": lists(on), "grant_at": lists(at)}
}

type engine struct{ query rego.PreparedEvalQuery }

func newEngine(ctx context.Context, f *facts) (*engine, error) {
	store := inmem.NewFromObjectWithOpts(policyData(f), inmem.OptReturnASTValuesOnRead(true),
		inmem.OptRoundTripOnWrite(true))
	q, err := rego.New(rego.Query("data.cirque.lineup"), rego.Module("lineup.rego", policy),
		rego.Store(store)).PrepareForEval(ctx)
	return &engine{q}, err
}

func (e *engine) ask(ctx context.Context, c lineup.Context) ([]row, error) {
	input, err := ast.InterfaceToValue(object{"user": c.User, "machine": c.Machine, "address": c.Addresses[0].String(),
		"session": c.Session, "platform": c.Platform, "time": c.Time.UnixNano()})
	if err != nil {
		return nil, err
	}
	rs, err := e.query.Eval(ctx, rego.EvalParsedInput(input))
	if err != nil {
		return nil, err
	}
	if len(rs) == 0 {
		return nil, fmt.Errorf("the policy gives nothing")
	}
	list, _ := rs[0].Expressions[0].Value.([]any)
	out := make([]row, len(list))
	for i, v := range list {
		m, _ := v.(object)
		out[i].Queue, _ = m["queue"].(string)
		out[i].Placed, _ = m["placed"].(bool)
		out[i].Default, _ = m["default"].(bool)
		out[i].URI, _ = m["uri"].(string)
		out[i].Driver, _ = m["driver"].(string)
	}
	return out, nil
}
