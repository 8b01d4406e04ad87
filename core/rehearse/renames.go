package rehearse

import (
	"cirque/core/estate"
)

// renames are the queues that two estates call differently, by the one name and the other. A queue is the same where a
// name that it has in one estate is an old name of it in the other (estate.md, formerly); so a rename that is undone is
// one, too. Names that are alike are in neither.
type renames struct{ onto, back map[string]string }

func newRenames(from, to *estate.Document) renames {
	r := renames{map[string]string{}, map[string]string{}}
	now, then := exact(to), exact(from)
	note := func(was, is string) {
		if then[was] && now[is] && !now[was] && !then[is] && r.onto[was] == "" && r.back[is] == "" {
			r.onto[was], r.back[is] = is, was
		}
	}
	for i := range to.Queues {
		for _, f := range to.Queues[i].Formerly {
			note(f, to.Queues[i].Name)
		}
	}
	for i := range from.Queues {
		for _, f := range from.Queues[i].Formerly {
			note(from.Queues[i].Name, f)
		}
	}
	return r
}

func exact(d *estate.Document) map[string]bool {
	out := make(map[string]bool, len(d.Queues))
	for i := range d.Queues {
		out[d.Queues[i].Name] = true
	}
	return out
}

// to gives what a queue of the first estate is called in the second.
func (r renames) to(queue string) string {
	if is, ok := r.onto[queue]; ok {
		return is
	}
	return queue
}

// from gives what a queue of the second estate is called in the first.
func (r renames) from(queue string) string {
	if was, ok := r.back[queue]; ok {
		return was
	}
	return queue
}
