package windows

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"cirque/core/name"
	"cirque/internal/winspool"
)

// A mark is kept with each queue of the agent's own: all of it that the spooler has no place for, and what the spooler
// had of it right after it was set, to see what somebody altered.
type mark struct {
	By      string          `json:"by"`
	Queue   string          `json:"queue"`
	User    string          `json:"user,omitempty"`
	Called  string          `json:"called"` // in the spooler
	Title   string          `json:"title,omitempty"`
	Place   string          `json:"place,omitempty"`
	URI     string          `json:"uri"`
	Port    string          `json:"port,omitempty"`
	Driver  string          `json:"driver"`
	Exact   string          `json:"exact,omitempty"`
	As      string          `json:"as,omitempty"` // the driver that the spooler has it with
	Options map[string]any  `json:"options,omitempty"`
	Shown   map[string]any  `json:"shown,omitempty"` // what the driver makes of options that it takes otherwise, or not at all
	Units   json.RawMessage `json:"units,omitempty"`
	Closed  string          `json:"closed,omitempty"`
	Comment string          `json:"comment,omitempty"`
	Rights  string          `json:"rights,omitempty"` // as the spooler told them
}

const (
	markedBy = "cirque"
	markKey  = "Cirque"
	markName = "Mark"
	longest  = 220 // characters of a queue's name
)

func readMark(text string) (m mark, own bool) {
	err := json.Unmarshal([]byte(text), &m)
	return m, err == nil && m.By == markedBy && m.Queue != ""
}

// A queue is one of the spooler's with its mark; own is false where somebody else made it.
type queue struct {
	there winspool.Printer
	mark
	own bool
}

func (q queue) is(called, person string) bool {
	return q.own && q.Queue == called && name.Fold(q.User) == name.Fold(person)
}

// queues reads all of them.
func (s *Spooler) queues(k kept) ([]queue, error) {
	printers, err := s.parts.Queues.Printers()
	if err != nil {
		return nil, err
	}
	var out []queue
	for _, p := range printers {
		q := queue{there: p}
		text, err := s.parts.Queues.Mark(p.Name)
		if errors.Is(err, winspool.ErrGone) {
			continue // since it was listed
		}
		if err != nil {
			return nil, err
		}
		q.mark, q.own = readMark(text)
		if m := k.Making; !q.own && m != nil && strings.EqualFold(m.Called, p.Name) && m.Port == p.Port && m.As == p.Driver {
			q.mark, q.own = *m, true // the machine stopped before the mark was there
		}
		out = append(out, q)
	}
	return out, nil
}

// writable makes of a text what a queue may be called.
func writable(text string) string {
	text = strings.Join(strings.Fields(strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`\,!"/`, r) {
			return ' '
		}
		return r
	}, text)), " ")
	if r := []rune(text); len(r) > longest {
		text = strings.TrimSpace(string(r[:longest]))
	}
	return text
}

// call gives what a queue is to be called: its title as people know it, with the queue's own name or the sign-in name
// behind it where another queue has that name. One that is called so already stays.
func call(w mark, login string, all []queue) string {
	base, own := writable(w.Title), writable(w.Queue)
	if base == "" {
		base = own
	}
	tries := []string{base, fmt.Sprintf("%s (%s)", base, own)}
	if w.User != "" {
		who := writable(login)
		tries = append(tries, fmt.Sprintf("%s (%s)", base, who), fmt.Sprintf("%s (%s, %s)", base, own, who))
	}
	for _, q := range all {
		if q.is(w.Queue, w.User) && slices.Contains(tries, q.there.Name) {
			return q.there.Name
		}
	}
	for _, t := range tries {
		if !slices.ContainsFunc(all, func(q queue) bool {
			return strings.EqualFold(q.there.Name, t) && !q.is(w.Queue, w.User)
		}) {
			return t
		}
	}
	return tries[len(tries)-1]
}

// kept is what has no place in the spooler: one text for the machine.
type kept struct {
	Ports   map[string]string `json:"ports,omitempty"` // the ports that it made: the URI by the name
	Default string            `json:"default,omitempty"`
	Given   map[string]string `json:"given,omitempty"` // the queue that somebody was given as a default, by folded login
	// Drivers are those that it installed, by their exact names.
	Drivers map[string]installed `json:"drivers,omitempty"`
	Making  *mark                `json:"making,omitempty"` // a queue that is being made, and has no mark yet
	// Connections are those that it made, by folded login and what they lead to.
	Connections map[string]map[string]mark `json:"connections,omitempty"`
}

// installed is what a driver came from.
type installed struct {
	Package string `json:"package"`
	Signed  string `json:"signed,omitempty"`
}

func (s *Spooler) kept() (kept, error) {
	k := kept{}
	text, err := s.parts.Memory.Load()
	if err == nil && text != "" {
		_ = json.Unmarshal([]byte(text), &k) // a broken one says nothing
	}
	for _, m := range []*map[string]string{&k.Ports, &k.Given} {
		if *m == nil {
			*m = map[string]string{}
		}
	}
	if k.Drivers == nil {
		k.Drivers = map[string]installed{}
	}
	if k.Connections == nil {
		k.Connections = map[string]map[string]mark{}
	}
	return k, err
}

func (s *Spooler) keep(k kept) error {
	b, err := json.Marshal(k)
	if err != nil {
		return err
	}
	return s.parts.Memory.Save(string(b))
}
