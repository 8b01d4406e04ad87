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
	stays := func(j stock.Job) bool {
		q := r.Find(j.Queue)
		return v.HandedOn(l.Name, j.Queue) == "" && q != nil && !q.Ready()
	}
	n := 0
	for _, j := range r.Waiting {
		if stays(j) {
			n++
		}
	}
	if n == 0 {
		return
	}
	one := f.add(estate.AboutServers, "server "+l.Name+" stranded jobs", l.Name, l.Location, time.Time{},
		"start the queue there, or move the jobs: cirque server job move", "%s on %s, which is out of duty, and "+
			"nobody takes "+
			"them over", words.Count(n, "job waits", "jobs wait"), l.Name)
	one.Owners = s.ownersOn(l.Name, r, continuity.Up, stays)
}

// ownersOn gives the people whose jobs wait on a server, by what it told last; of some jobs alone where which is not
// nil.
func (s *Room) ownersOn(server string, r *stock.Server, found continuity.Verdict,
	which func(stock.Job) bool) []notice.Owner {
	if r == nil {
		return nil
	}
	var out []notice.Owner
	for _, j := range r.Waiting {
		w := s.present.View().WaitingJob(server, r, j, found)
		if w.Person == "" || which != nil && !which(j) {
			continue
		}
		i := slices.IndexFunc(out, func(o notice.Owner) bool { return o.Person == w.Person })
		if i < 0 {
			i = len(out)
			out = append(out, notice.Owner{Person: w.Person, Mail: s.present.View().MailOf(w.Person),
				Says: strings.ToUpper(w.Becomes[:1]) +
					w.Becomes[1:]})
		}
		called := w.Name
		if called == "" {
			called = fmt.Sprintf("job %d", w.ID)
		}
		out[i].Jobs = append(out[i].Jobs, called+" on "+w.Queue)
	}
	return out
}
