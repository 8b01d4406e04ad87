package sim_test

import (
	"testing"

	"cirque/core/endpoint"
	"cirque/internal/agent"
	"cirque/internal/sim"
	"cirque/internal/testkit/conform"
)

func TestMemoryConforms(t *testing.T) {
	conform.TestSpooler(t, func(*testing.T) conform.Spooler {
		m := sim.NewMemory(agent.Facts{}, nil)
		set := func(own bool) func(*testing.T, string) {
			return func(_ *testing.T, queue string) {
				m.SetUpByHand(endpoint.Want{Queue: queue, URI: "ipp://192.0.2.1/"}, own)
			}
		}
		return conform.Spooler{Spooler: m, Foreign: set(false), Spoils: set(true)}
	})
}
