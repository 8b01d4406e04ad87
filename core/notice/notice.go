// Package notice decides who is told of which faults, and when: not of what is over in a moment, not twice of the same,
// and also that it is over. It sends nothing.
package notice

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/estate"
)

// A Fault is something that is wrong just now.
type Fault struct {
	Key      string    `json:"key" doc:"The same as long as it lasts."`
	About    string    `json:"about" enum:"servers,devices,endpoints,sets,directory,keys,drafts"`
	Name     string    `json:"name" doc:"Of what it is wrong with."`
	Location string    `json:"location,omitempty"`
	Since    time.Time `json:"since" doc:"Since when it has been seen."`
	Says     string    `json:"says"`
	Fix      string    `json:"fix,omitempty"`
	Owners   []Owner   `json:"owners,omitempty" doc:"Whose jobs wait because of it."`
}

// An Owner is somebody whose jobs wait.
type Owner struct {
	Person string   `json:"person"`
	Mail   string   `json:"mail,omitempty" doc:"Empty where the directory has none."`
	Jobs   []string `json:"jobs"`
	Says   string   `json:"says" doc:"What becomes of them, and what the person can do."`
}

// A Notified is a fault of which somebody was told.
type Notified struct {
	Notice string    `json:"notice"`
	Key    string    `json:"key"`
	Says   string    `json:"says"`
	Since  time.Time `json:"since"`
	At     time.Time `json:"at"`
}

// A Message is what one notice has to say now.
type Message struct {
	Notice string     `json:"notice"`
	To     []string   `json:"to" doc:"As the notice's tell."`
	Person string     `json:"person,omitempty" doc:"The owner of jobs to whom alone it goes."`
	New    []Fault    `json:"new"`
	Still  []Fault    `json:"still" doc:"Told before, and told again since they last."`
	Over   []Notified `json:"over"`
}

// Holding are those of some notices that have not ended; days end in UTC.
func Holding(list []estate.Notice, now time.Time) []estate.Notice {
	out := []estate.Notice{}
	for _, n := range list {
		if !estate.Ended(n.Until, now) {
			out = append(out, n)
		}
	}
	return out
}

// Decide gives what is to be told now: of each notice one message at most, and one to each owner of waiting jobs. told
// is what was told before and was not over then. endpoints is how many endpoints there are.
func Decide(notices []estate.Notice, faults []Fault, told []Notified, endpoints int, now time.Time) []Message {
	var out []Message
	for _, n := range notices {
		mine := concerns(n, faults, endpoints, now)
		known := map[string]Notified{}
		for _, t := range told {
			if t.Notice == n.Name {
				known[t.Key] = t
			}
		}
		m := Message{Notice: n.Name, To: n.Tell, New: []Fault{}, Still: []Fault{}, Over: []Notified{}}
		lasting := map[string]bool{}
		for _, f := range mine {
			lasting[f.Key] = true
			before, was := known[f.Key]
			switch {
			case !was && now.Sub(f.Since) >= after(n):
				m.New = append(m.New, f)
			case was && n.Again > 0 && now.Sub(before.At) >= n.Again.D():
				m.Still = append(m.Still, f)
			}
			if n.Owners && now.Sub(f.Since) >= after(n) {
				for _, o := range f.Owners {
					key := ownerKey(f, o)
					lasting[key] = true
					if _, was := known[key]; !was && o.Mail != "" {
						of := f
						of.Key, of.Says, of.Fix, of.Owners = key, f.Says+"; on it "+waits(o.Jobs)+". "+o.Says, "", nil
						out = append(out, Message{Notice: n.Name, To: []string{"mail:" + o.Mail}, Person: o.Person, New: []Fault{of},
							Still: []Fault{}, Over: []Notified{}})
					}
				}
			}
		}
		for _, t := range told {
			if t.Notice == n.Name && !lasting[t.Key] {
				m.Over = append(m.Over, t)
			}
		}
		if len(m.New)+len(m.Still)+len(m.Over) > 0 {
			out = append(out, m)
		}
	}
	return out
}

func waits(jobs []string) string {
	some := strings.Join(jobs[:min(len(jobs), 3)], ", ")
	switch {
	case len(jobs) == 1:
		return "waits your job " + some
	case len(jobs) > 3:
		return fmt.Sprintf("wait %d of your jobs: %s and others", len(jobs), some)
	}
	return "wait your jobs " + some
}

func ownerKey(f Fault, o Owner) string { return f.Key + " of " + strings.ToLower(o.Person) }

// Private says whether a key of what was told is of one owner's jobs: that it is over is no news to anybody else.
func (t Notified) Private() bool { return strings.Contains(t.Key, " of ") }

func after(n estate.Notice) time.Duration {
	return n.After.Or(estate.NoticeAfter)
}

// Concerns says whether a notice is about a fault.
func Concerns(n estate.Notice, f Fault) bool {
	if len(n.About) > 0 && !slices.Contains(n.About, f.About) {
		return false
	}
	return len(n.At) == 0 || slices.ContainsFunc(n.At, func(e string) bool {
		p := strings.TrimPrefix(e, "location:")
		return f.Location == p || strings.HasPrefix(f.Location, p+"/")
	})
}

// concerns gives the faults that a notice is about; where it counts endpoints, those are one fault, once there are
// enough.
func concerns(n estate.Notice, faults []Fault, endpoints int, now time.Time) []Fault {
	var out, together []Fault
	for _, f := range faults {
		switch {
		case !Concerns(n, f):
		case n.Part > 0 && f.About == estate.AboutEndpoints:
			if now.Sub(f.Since) >= after(n) {
				together = append(together, f)
			}
		default:
			out = append(out, f)
		}
	}
	if endpoints == 0 || len(together)*100 < int(n.Part)*endpoints || len(together) == 0 {
		return out
	}
	some := []string{}
	first := together[0].Since
	for i, f := range together {
		if i < 5 {
			some = append(some, f.Name)
		}
		if f.Since.Before(first) {
			first = f.Since
		}
	}
	more := ""
	if n := len(together) - len(some); n > 0 {
		more = fmt.Sprintf(" and %d more", n)
	}
	return append(out, Fault{Key: "endpoints", About: estate.AboutEndpoints, Name: "endpoints", Since: first,
		Fix: "see them: cirque endpoint list",
		Says: fmt.Sprintf("%d of %d endpoints (%d %%) fail or are silent: %s%s", len(together), endpoints,
			len(together)*100/endpoints, strings.Join(some, ", "), more)})
}

// Subject is a message's first line.
func (m Message) Subject() string {
	switch {
	case m.Person != "" && len(m.New) > 0:
		return "Your print jobs wait: " + m.New[0].Name + " does not answer"
	case len(m.New) == 1 && len(m.Still)+len(m.Over) == 0:
		return m.New[0].Says
	case len(m.New) > 0:
		return fmt.Sprintf("%s, and %d more", m.New[0].Says, len(m.New)+len(m.Still)+len(m.Over)-1)
	case len(m.Still) > 0:
		return "Still: " + m.Still[0].Says
	case len(m.Over) > 0:
		return "Over: " + m.Over[0].Says
	}
	return "Nothing is wrong: this is a trial"
}

// linesMost is how many faults a message tells one by one.
const linesMost = 50

// Text is a message for people, in plain lines.
func (m Message) Text(now time.Time) string {
	var b strings.Builder
	part := func(head string, n int) {
		if n > 0 {
			if b.Len() > 0 {
				b.WriteByte('\n')
			}
			b.WriteString(head + "\n")
		}
	}
	when := func(t time.Time) string { return t.UTC().Format("2006-01-02 15:04 UTC") }
	more := func(n int) bool {
		if n >= linesMost {
			b.WriteString("- and more of them: cirque faults\n")
			return true
		}
		return false
	}
	part("Wrong now:", len(m.New))
	for i, f := range m.New {
		if more(i) {
			break
		}
		b.WriteString(fmt.Sprintf("- %s. Since %s.\n", strings.TrimSuffix(f.Says, "."), when(f.Since)))
		if f.Fix != "" {
			b.WriteString("  To mend it: " + f.Fix + ".\n")
		}
	}
	part("Still wrong:", len(m.Still))
	for i, f := range m.Still {
		if more(i) {
			break
		}
		b.WriteString(fmt.Sprintf("- %s. Since %s.\n", strings.TrimSuffix(f.Says, "."), when(f.Since)))
	}
	part("Over:", len(m.Over))
	for i, t := range m.Over {
		if more(i) {
			break
		}
		b.WriteString(fmt.Sprintf("- %s. It began %s, and was over by %s.\n", strings.TrimSuffix(t.Says, "."),
			when(t.Since), when(now)))
	}
	if b.Len() == 0 {
		b.WriteString("This is a trial: whoever reads it is told of faults by the notice " + m.Notice + ".\n")
	}
	b.WriteString("\nThe notice " + m.Notice + " of Cirque.\n")
	return b.String()
}

// After is what has been told once a message has arrived.
func After(told []Notified, m Message, now time.Time) []Notified {
	over := func(key string) bool {
		return slices.ContainsFunc(m.Over, func(t Notified) bool { return t.Key == key })
	}
	out := slices.DeleteFunc(slices.Clone(told), func(t Notified) bool {
		return t.Notice == m.Notice && (over(t.Key) || slices.ContainsFunc(m.Still, func(f Fault) bool {
			return f.Key == t.Key
		}))
	})
	for _, f := range slices.Concat(m.New, m.Still) {
		out = append(out, Notified{m.Notice, f.Key, f.Says, f.Since, now})
	}
	return out
}
