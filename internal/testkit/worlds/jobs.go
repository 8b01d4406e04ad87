package worlds

import (
	"fmt"
	"time"

	"cirque/core/estate"
)

// jobs says what becomes of jobs: of queues with a path through the gateway, what they are charged to, and how many
// pages people may print.
func (m Maker) jobs(d *estate.Document) {
	selectors := concat(prefixed("label", labels), prefixed("within", places))
	for i := range d.Queues {
		q := &d.Queues[i]
		selectors = append(selectors, q.Name)
		if !q.HasGateway() || m.Maybe(0.3) {
			continue
		}
		j := &estate.QueueJobs{Take: m.One("", "stream", "keep", "hold"), SignIn: m.One("", "always", "12h"),
			Charge: m.One("", "none", "optional", "required")}
		if j.Take == estate.TakeHold {
			j.ReleaseAt, j.Expires = m.some([]string{"p0", "p1", "within:ard/quay"}, 0.6), estate.Term(m.IntN(3))*estate.Term(
				time.Hour)
		}
		if j.Take == estate.TakeHold || j.Take == estate.TakeKeep {
			j.CopiesFor, j.OutsideHours = estate.Term(m.IntN(3))*estate.Term(time.Hour), m.One("", "refuse", "wait", "wait")
		}
		q.Jobs = j
	}
	for i := range m.IntN(3) {
		d.Charges = append(d.Charges, estate.Charge{Name: fmt.Sprintf("c%d", i), To: m.some(toEntries, 0.6)})
	}
	for i := range m.IntN(4) {
		a := estate.Allowance{Name: fmt.Sprintf("a%d", i), To: m.some(toEntries, 0.7), Queues: m.some(selectors, 1),
			Pages: m.IntN(200), Every: estate.Every(m.One("day", "week", "month", "never")),
			Over: estate.Over(m.One("refuse", "hold", "tell"))}
		if m.Maybe(0.3) {
			a.Formerly = []string{"old-" + a.Name}
		}
		d.Allowances = append(d.Allowances, a)
	}
}
