package worlds

import (
	"time"

	"cirque/core/estate"
	"cirque/core/span"
)

// keeps makes a server one that is kept, or not.
func (m Maker) keeps(s *estate.Server) {
	if !m.Maybe(0.6) {
		return
	}
	s.Kept, s.Others = true, m.One("", "", "leave", "report")
	if m.Maybe(0.4) {
		s.Machine = m.One(machines...)
	}
	if m.Maybe(0.4) {
		s.Platform = m.One("windows/x64", "linux/arm64")
	}
}

// onServers says what is fitted to a queue's printer, and how kept servers run it, or neither.
func (m Maker) onServers(q *estate.Queue) {
	if m.Maybe(0.3) {
		q.Units = &estate.Units{Trays: m.some([]string{"tray-1", "tray-2", "bypass"}, 0.7),
			Finishings: m.some([]string{"staple", "punch"}, 0.4)}
		if m.Maybe(0.5) {
			two := m.Maybe(0.5)
			q.Units.TwoSided = &two
		}
	}
	if m.Maybe(0.4) {
		q.OnServers = &estate.OnServers{Comment: m.One("", "By the window"), Render: m.One("", "server", "client"),
			Finished: span.Span(m.IntN(3)) * span.Span(time.Hour), Mismatch: m.One("", "hold", "print"),
			Order: m.One("", "first-come", "shortest"), ColourProfile: m.One("", "", "hall-toner")}
	}
}
