package fleet

import (
	"encoding/json"

	"cirque/core/endpoint"
)

// A pool holds each installed queue once that many endpoints report alike: thousands of them have the same queue with
// the same address, driver and options.
type pool map[alike]*shared

// alike tells installed queues apart, but for whose they are. Options are their JSON, whose keys are sorted.
type alike struct {
	queue, title, uri, driver, exact, place, options, closed string
	restore                                                  bool
}

// shared is an installed queue, without its user.
type shared struct {
	endpoint.Want
	key  alike
	uses int
}

// pooled is one installed queue of one endpoint.
type pooled struct {
	of             *shared
	user           string
	isDefault, own bool
	halted         bool
}

// take gives the shared form of what an endpoint has; what it gives is to be given back by drop.
func (p pool) take(list []endpoint.Installed) []pooled {
	if len(list) == 0 {
		return nil
	}
	out := make([]pooled, len(list))
	for i, v := range list {
		k := alike{v.Queue, v.Title, v.URI, v.Driver, v.Exact, v.Place, "", v.Closed, v.Restore}
		if len(v.Options) > 0 {
			b, _ := json.Marshal(v.Options) // plain values
			k.options = string(b)
		}
		s := p[k]
		if s == nil {
			s = &shared{Want: v.Want, key: k}
			s.User = ""
			p[k] = s
		}
		s.uses++
		out[i] = pooled{s, v.User, v.Default, v.Own, v.Halted}
	}
	return out
}

func (p pool) drop(list []pooled) {
	for _, h := range list {
		if h.of.uses--; h.of.uses == 0 {
			delete(p, h.of.key)
		}
	}
}

// installedOf gives back what was taken. Options are shared with others: they are not to be changed.
func installedOf(list []pooled) []endpoint.Installed {
	out := make([]endpoint.Installed, len(list))
	for i, h := range list {
		out[i] = endpoint.Installed{Want: h.of.Want, Default: h.isDefault, Own: h.own, Halted: h.halted}
		out[i].User = h.user
	}
	return out
}
