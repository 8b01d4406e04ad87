package live_test

import (
	"testing"

	"cirque/core/live"
)

// TestEqual: a change of any part tells.
func TestEqual(t *testing.T) {
	t.Parallel()
	one := func() live.State {
		return live.State{Servers: map[string]live.Duty{"a": live.Down}, Devices: map[string]live.Duty{"d": live.Drained},
			Shares: map[string]float64{"a": .5}, Picks: map[string][]string{"mira": {"hall"}}}
	}
	for says, change := range map[string]func(*live.State){
		"a server": func(s *live.State) { s.Servers["a"] = live.Drained },
		"a device": func(s *live.State) { delete(s.Devices, "d") },
		"a share":  func(s *live.State) { s.Shares["a"] = .6 }, "a pick": func(s *live.State) { s.Picks["mira"] = nil },
		"another's pick": func(s *live.State) { s.Picks["ida"] = []string{"x"} }} {
		s := one()
		if !s.Equal(one()) {
			t.Fatal("it does not equal itself")
		}
		if change(&s); s.Equal(one()) {
			t.Error(says, "makes no difference")
		}
	}
}
