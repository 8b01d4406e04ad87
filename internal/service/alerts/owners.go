package alerts

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/continuity"
	"cirque/core/estate"
	"cirque/core/live"
	"cirque/core/notice"
	"cirque/core/stock"
	"cirque/core/words"
)

// strandedJobs are those that wait on a server which was taken out of duty, and that nobody takes over: their owners
// are to know.
func (s *Room) strandedJobs(f *finder, l stock.Listed, r *stock.Server) {
	v := s.present.View()
	if v.World.Live.Server(l.Name) != live.Drained {
		return
	}
	handed := v.HandedOn(l.Name)
	var stay []stock.Job
	for _, j := range r.Waiting {
		if q := r.Find(j.Queue); handed[j.Queue] == "" && q != nil && !q.Ready() {
			stay = append(stay, j)
		}
	}
	if len(stay) == 0 {
		return
	}
	one := f.add(estate.AboutServers, "server "+l.Name+" stranded jobs", l.Name, l.Location, time.Time{},
		"start the queue there, or move the jobs: cirque server job move",
		"%s on %s, which is out of duty, and nobody takes them over", words.Count(len(stay), "job waits", "jobs wait"),
		l.Name)
	one.Owners = s.ownersOn(l.Name, r, stay, continuity.Up)
}

// ownersOn gives the people whose jobs wait on a server, by what it told last.
func (s *Room) ownersOn(server string, r *stock.Server, jobs []stock.Job, found continuity.Verdict) []notice.Owner {
	v := s.present.View()
	var out []notice.Owner
	for _, w := range v.WaitingJobs(server, r, jobs, found) {
		if w.Person == "" {
			continue
		}
		i := slices.IndexFunc(out, func(o notice.Owner) bool { return o.Person == w.Person })
		if i < 0 {
			i = len(out)
			out = append(out, notice.Owner{Person: w.Person, Mail: v.MailOf(w.Person),
				Says: strings.ToUpper(w.Becomes[:1]) + w.Becomes[1:]})
		}
		called := w.Name
		if called == "" {
			called = fmt.Sprintf("job %d", w.ID)
		}
		out[i].Jobs = append(out[i].Jobs, called+" on "+w.Queue)
	}
	return out
}
