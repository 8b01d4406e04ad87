package estate

import (
	"encoding/json"
	"fmt"
	"time"
)

// A Draft is changes that are not published, on top of a revision. It belongs to an account or a token.
type Draft struct {
	ID        int64      `json:"id" doc:"0 while nothing has been changed."`
	Owner     string     `json:"-"`
	Author    string     `json:"author"`
	Name      string     `json:"name"`
	Base      int        `json:"base" doc:"The revision that it changes."`
	Version   int64      `json:"version" doc:"Rises with every edit; 0 while nothing has been changed."`
	ChangedAt *time.Time `json:"changed_at" doc:"Null while nothing has been changed."`
	Kept      []Kept     `json:"-"`
	// ProposedAt and ProposedWhy say that it is proposed to whoever may publish it.
	ProposedAt  *time.Time `json:"proposed_at,omitempty" doc:"Since when it is proposed to an administrator of all sites, as it is."`
	ProposedWhy string     `json:"proposed_why,omitempty"`
	Timed
}

// A ProposedDraft is a draft that is proposed to whoever may publish it.
type ProposedDraft struct {
	ID     int64     `json:"id"`
	Author string    `json:"author"`
	Draft  string    `json:"draft" doc:"What it is called there."`
	Base   int       `json:"base"`
	Reason string    `json:"reason"`
	At     time.Time `json:"at"`
}

// Kept is one object of a draft as it is to be; a nil Object takes it out.
type Kept struct {
	Ref
	Object json.RawMessage
}

// Changes reads what a draft keeps into changes of its base.
func (d Draft) Changes(base *Document) ([]Change, error) {
	out := make([]Change, 0, len(d.Kept))
	for _, k := range d.Kept {
		t, ok := tableOf(k.List)
		if !ok {
			return nil, fmt.Errorf("a draft keeps the list %q", k.List)
		}
		c := Change{Ref: k.Ref, Before: base.Find(k.Ref)}
		if k.Object != nil {
			of := k.List
			if of == "settings" {
				of = k.Name
			}
			raw, err := renewed(of, k.Object)
			if err != nil {
				return nil, err
			}
			v, err := t.decode(k.Name, raw)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", k.Ref, err)
			}
			c.After = v
		}
		if c.Before == nil && c.After == nil {
			continue // taken out of a base that has it no more
		}
		out = append(out, c)
	}
	return out, nil
}

// Keep turns changes into what a draft keeps.
func Keep(changes []Change) ([]Kept, error) {
	out := make([]Kept, 0, len(changes))
	for _, c := range changes {
		k := Kept{Ref: c.Ref}
		if c.After != nil {
			b, err := json.Marshal(c.After)
			if err != nil {
				return nil, err
			}
			k.Object = b
		}
		out = append(out, k)
	}
	return out, nil
}

// A DraftSheet is a draft with what it comes to.
type DraftSheet struct {
	Draft
	Current   int        // the newest revision
	Document  *Document  // the draft's base with its changes
	Changes   []Change   // of its base
	Conflicts []Conflict // with what has been published since
	From      *Document  // its base
}
