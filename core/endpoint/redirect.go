package endpoint

import (
	"cmp"
	"fmt"
	"slices"

	"cirque/core/name"
)

// A Redirect is printing that goes elsewhere once steps are taken: whose, from where, and to where.
type Redirect struct {
	User string
	// The queues that print where nobody chooses one, now and then; "" for what the system picks.
	Was, Becomes string
}

// String is it as a sentence without its end.
func (r Redirect) String() string {
	const picks = "what the system picks"
	return fmt.Sprintf("%s prints to %s where nobody chooses, and to %s from then on", r.User, cmp.Or(r.Was, picks),
		cmp.Or(r.Becomes, picks))
}

// Redirects gives what steps lead elsewhere without anybody's choosing: defaults that become others, and those whose
// queue goes. defaults gives the present default of each folded user.
func Redirects(steps []Step, defaults map[string]string) []Redirect {
	var out []Redirect
	moved := map[string]bool{}
	for _, s := range steps {
		if user := name.Fold(s.Want.User); s.Do == "default" && defaults[user] != s.Want.Queue {
			moved[user] = true
			out = append(out, Redirect{s.Want.User, defaults[user], s.Want.Queue})
		}
	}
	for _, s := range steps {
		if s.Do != "remove" {
			continue
		}
		for user, queue := range defaults {
			if queue == s.Want.Queue && !moved[user] && (s.Want.User == "" || name.Fold(s.Want.User) == user) {
				out = append(out, Redirect{user, queue, ""})
			}
		}
	}
	slices.SortFunc(out, func(a, b Redirect) int { return cmp.Compare(name.Fold(a.User), name.Fold(b.User)) })
	return out
}

// A Beside is a queue that is added although another, which somebody else set up, leads to the same place: whoever has
// both sees it twice.
type Beside struct{ Queue, Other string }

// Twice gives the queues that steps add beside others'.
func Twice(steps []Step, installed []Installed) []Beside {
	var out []Beside
	for _, s := range steps {
		if s.Do != "add" && s.Do != "change" {
			continue
		}
		for _, i := range installed {
			b := Beside{s.Want.Queue, i.Queue}
			if !i.Own && i.URI != "" && i.URI == s.Want.URI && !slices.Contains(out, b) {
				out = append(out, b)
			}
		}
	}
	return out
}
