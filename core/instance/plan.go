package instance

import (
	"cmp"
	"reflect"
	"slices"
	"strings"

	"cirque/core/name"
)

// An Act is what is done to something.
type Act string

// The acts.
const (
	Add    Act = "add"
	Change Act = "change"
	Remove Act = "remove"
)

// A Kind is what something is, in the order in which it is made: what others need comes first.
type Kind string

// The kinds.
const (
	KindServer     Kind = "server"
	KindDevice     Kind = "device"
	KindCredential Kind = "credential"
	KindSource     Kind = "source"
	KindAccount    Kind = "account"
	KindRule       Kind = "rule"
	KindPeople     Kind = "people" // how accounts become one person
	KindLink       Kind = "link"
	KindPlace      Kind = "place" // that drivers are fetched from
	KindPackage    Kind = "package"
	KindNote       Kind = "note"
)

// A Step is one thing to be done so that an instance is as a document says.
type Step struct {
	Act  Act    `json:"act" enum:"add,change,remove"`
	Kind Kind   `json:"kind"`
	Name string `json:"name"`
	// Keys are those that change, with what they are and what they become.
	Keys []Changed `json:"keys,omitempty"`
	// Secrets are what it needs besides, by the names under which they are asked for.
	Secrets []string `json:"secrets,omitempty"`

	Have any `json:"-"` // of the type of its list, as Want; nil for what is added
	Want any `json:"-"`
}

// Changed is one key that changes.
type Changed struct {
	Key  string `json:"key"`
	From any    `json:"from"`
	To   any    `json:"to"`
}

// String says what it is about, such as "account liv".
func (s Step) String() string { return string(s.Kind) + " " + s.Name }

// Plan says what is to be done so that have becomes as want says, in an order in which it can be done: what is made or
// changed first, each kind after those that it needs, then what is removed, the other way about. Lists that want leaves
// out are left as they are.
func Plan(have, want Document) []Step {
	have, want = have.Sorted(), want.Sorted()
	var p plan
	late := p.watches(KindServer, have, have.Servers, want.Servers)
	late = append(late, p.watches(KindDevice, have, have.Devices, want.Devices)...)
	compare(&p, KindCredential, have.Credentials, want.Credentials, func(c Credential) string { return c.Name },
		func(_ *Credential, c Credential) []string {
			// A key is entered anew as a whole: nobody but who enters it knows its secrets.
			secrets := []string{"credential " + c.Name}
			if c.Kind == "snmp-usm" {
				secrets = append(secrets, "credential "+c.Name+" privacy")
			}
			return secrets
		})
	p.steps = append(p.steps, late...)
	compare(&p, KindSource, have.Sources, want.Sources, func(s Source) string { return s.Name },
		func(have *Source, s Source) []string {
			if s.Bind == "" || have != nil && have.Bind != "" && have.URL == s.URL && have.StartTLS == s.StartTLS &&
				have.CA == s.CA {
				return nil // the one that is kept goes on
			}
			return []string{"source " + s.Name}
		})
	compare(&p, KindAccount, have.Accounts, want.Accounts, func(a Account) string { return name.Fold(a.Name) },
		func(have *Account, a Account) []string {
			if have != nil {
				return nil
			}
			return []string{"account " + a.Name}
		})
	compare(&p, KindRule, have.Rules, want.Rules, Rule.key, nil)
	if want.People != nil {
		had := cmp.Or(have.People, &People{})
		if was, is := *had, *want.People; was.ByAddress != is.ByAddress || was.ByEmployee != is.ByEmployee ||
			was.Primary != is.Primary {
			was.Links, is.Links = nil, nil
			p.steps = append(p.steps, Step{Act: Change, Kind: KindPeople, Name: "rules", Keys: changed(was, is), Have: was,
				Want: is})
		}
		compare(&p, KindLink, had.Links, want.People.Links, Link.key, nil)
		p.leave(KindLink, len(want.People.Links) == 0)
	}
	compare(&p, KindPlace, have.Places, want.Places, func(v Place) string { return v.Name }, nil)
	for i, k := range want.Packages { // files that are kept already stay under the name and note that they have
		for _, h := range have.Packages {
			if h.Digest == k.Digest {
				want.Packages[i] = h
			}
		}
	}
	compare(&p, KindPackage, have.Packages, want.Packages, func(k Package) string { return k.Digest }, nil)
	compare(&p, KindNote, have.Notes, want.Notes, func(n Note) string { return name.Fold(n.About) }, nil)
	slices.Reverse(p.removed)
	return append(p.steps, p.removed...)
}

// Takes are the steps that take something away.
func Takes(steps []Step) []Step {
	return slices.DeleteFunc(slices.Clone(steps), func(s Step) bool { return s.Act != Remove })
}

type plan struct{ steps, removed []Step }

// watches compares servers or devices. One whose key is not kept yet is made without it, as the key may be for it, and
// is given it by a later step.
func (p *plan) watches(kind Kind, all Document, have, want []Watch) (late []Step) {
	kept := func(key string) bool {
		return slices.ContainsFunc(all.Credentials, func(c Credential) bool { return c.Name == key })
	}
	first := slices.Clone(want)
	for i, w := range first {
		if w.Credential != "" && !kept(w.Credential) {
			first[i].Credential = ""
			late = append(late, Step{Act: Change, Kind: kind, Name: w.Name, Keys: changed(first[i], w), Have: first[i], Want: w})
		}
	}
	compare(p, kind, have, first, func(w Watch) string { return w.Name }, nil)
	return late
}

// leave forgets what would be removed of a kind, where nothing was said of it.
func (p *plan) leave(k Kind, all bool) {
	if all {
		p.removed = slices.DeleteFunc(p.removed, func(s Step) bool { return s.Kind == k })
	}
}

// compare adds the steps of one list. key is what makes two of them the same; secrets says what else one needs that is
// made, or changed from what it was.
func compare[T any](p *plan, kind Kind, have, want []T, key func(T) string, secrets func(have *T, want T) []string) {
	had := map[string]T{}
	for _, h := range have {
		had[key(h)] = h
	}
	for _, w := range want {
		h, known := had[key(w)]
		delete(had, key(w))
		s := Step{Act: Add, Kind: kind, Name: titleOf(w), Want: w}
		var from *T
		if known {
			if s.Keys = changed(h, w); len(s.Keys) == 0 {
				continue
			}
			s.Act, s.Have, from = Change, h, &h
		}
		if secrets != nil {
			s.Secrets = secrets(from, w)
		}
		p.steps = append(p.steps, s)
	}
	for _, h := range have {
		if _, left := had[key(h)]; left && len(want) > 0 {
			p.removed = append(p.removed, Step{Act: Remove, Kind: kind, Name: titleOf(h), Have: h})
		}
	}
}

// titleOf is what a step calls it.
func titleOf(v any) string {
	switch v := v.(type) {
	case Rule:
		return v.Title()
	case Link:
		return v.Title()
	case Note:
		return v.About
	}
	return reflect.ValueOf(v).FieldByName("Name").String()
}

// changed lists the keys in which two of a kind differ, but for those by which they are known. Lists of texts are sets.
func changed[T any](have, want T) []Changed {
	h, w := reflect.ValueOf(have), reflect.ValueOf(want)
	var out []Changed
	for i := range h.NumField() {
		a, b := h.Field(i), w.Field(i)
		key, _, _ := strings.Cut(h.Type().Field(i).Tag.Get("yaml"), ",")
		if key == "name" || key == "about" || same(a, b) {
			continue
		}
		out = append(out, Changed{key, a.Interface(), b.Interface()})
	}
	return out
}

func same(a, b reflect.Value) bool {
	switch x := a.Interface().(type) {
	case []string:
		y, _ := b.Interface().([]string)
		return slices.Equal(slices.Sorted(slices.Values(x)), slices.Sorted(slices.Values(y)))
	case map[string]string:
		return a.Len() == 0 && b.Len() == 0 || reflect.DeepEqual(a.Interface(), b.Interface())
	}
	return reflect.DeepEqual(a.Interface(), b.Interface())
}
