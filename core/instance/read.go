package instance

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/span"
	"cirque/core/words"
)

// Parse reads the document out of one or several files. Problems come all at once, as an Invalid fault with the code
// "instance-invalid", whose details carry file and line.
func Parse(files []document.File) (Document, error) {
	p := &parser{seen: map[string]document.Node{}}
	d := Document{Instance: 1}
	for _, f := range files {
		for _, n := range p.reader.Read(f) {
			p.document(n, &d)
		}
	}
	if first, all := p.reader.Problems(); all > 0 {
		return Document{}, fault.New(fault.Invalid, "instance-invalid", "mend the places below and try again; nothing was "+
			"changed", "the file of the instance has %s", words.Count(all, "problem")).WithFirst(first, all)
	}
	return d, nil
}

type parser struct {
	reader document.Reader
	seen   map[string]document.Node // of every list, by its kind and what it is called
}

func (p *parser) document(n document.Node, d *Document) {
	o, ok := n.Object(keysOf(reflect.TypeFor[Document]()))
	if !ok {
		return
	}
	o.Need("instance")
	if v, ok := o.Get("instance"); ok {
		v.Int(1, 1)
	}
	list(p, o, "sources", &d.Sources, p.source)
	list(p, o, "accounts", &d.Accounts, func(o document.Object, a *Account) {
		p.once(o, "account", name.Fold(a.Name), "name")
		among(o, "role", localRoles())
	})
	list(p, o, "rules", &d.Rules, func(o document.Object, r *Rule) {
		p.once(o, "rule", r.key(), "who")
		among(o, "role", localRoles())
		if v, ok := o.Get("who"); ok && r.Who != "" {
			if err := access.ValidWho(r.Who); err != nil {
				v.Complain(fault.As(err).Fix, "%s", fault.As(err).What)
			}
		}
	})
	list(p, o, "credentials", &d.Credentials, func(o document.Object, c *Credential) {
		p.once(o, "credential", c.Name, "name")
		among(o, "kind", []string{"sign-in", "snmp", "snmp-usm"})
		if v, ok := o.Get("expires"); ok && c.Expires != "" {
			if _, err := time.Parse(time.RFC3339, c.Expires); err != nil {
				v.Complain("write it so: 2027-01-01T00:00:00Z", "%q is no time", c.Expires)
			}
		}
	})
	for key, into := range map[string]*[]Watch{"servers": &d.Servers, "devices": &d.Devices} {
		list(p, o, key, into, func(o document.Object, w *Watch) {
			p.once(o, strings.TrimSuffix(key, "s"), w.Name, "name")
		})
	}
	list(p, o, "places", &d.Places, func(o document.Object, v *Place) { p.once(o, "place", v.Name, "name") })
	list(p, o, "packages", &d.Packages, func(o document.Object, k *Package) {
		p.once(o, "package", k.Name+"\x00"+k.Digest, "name")
	})
	list(p, o, "notes", &d.Notes, func(o document.Object, n *Note) {
		p.once(o, "note", name.Fold(n.About), "about")
		kind, called, _ := strings.Cut(n.About, ":")
		if v, ok := o.Get("about"); ok && (called == "" || kind != "person" && kind != "machine") {
			v.Complain("write person:NAME or machine:NAME", "%q is nothing that notes are about", n.About)
		}
	})
	if v, ok := o.Get("people"); ok {
		p.people(v, d)
	}
}

func (p *parser) source(o document.Object, s *Source) {
	p.once(o, "source", s.Name, "name")
	if o.Wrote("preset") {
		among(o, "preset", []string{"standard", "posix", "domain"})
	}
	for key, text := range map[string]string{"every": s.Every, "whole": s.Whole} {
		if v, ok := o.Get(key); ok && text != "" {
			if _, err := span.Parse(text); err != nil {
				v.Complain("write a number and its unit, such as 5m or 1d", "%q is no span of time", text)
			}
		}
	}
}

func (p *parser) people(n document.Node, d *Document) {
	o, ok := n.Object(keysOf(reflect.TypeFor[People]()))
	if !ok {
		return
	}
	if d.People != nil {
		n.Complain("leave one of them out", "people are there already")
		return
	}
	d.People = &People{ByAddress: o.Bool("by_address"), ByEmployee: o.Bool("by_employee"), Primary: o.Text("primary")}
	list(p, o, "links", &d.People.Links, func(o document.Object, l *Link) { p.once(o, "link", l.key(), "a") })
}

// once complains of what stands there twice; key is where that is said.
func (p *parser) once(o document.Object, kind, called, key string) {
	n, ok := o.Get(key)
	if !ok || called == "" {
		return
	}
	if first, taken := p.seen[kind+" "+called]; taken {
		n.Complain("leave one of the two out", "this %s is already there, at %s", kind, first.Place())
		return
	}
	p.seen[kind+" "+called] = n
}

// among complains of a value that is none of those that there are.
func among(o document.Object, key string, values []string) {
	v, ok := o.Get(key)
	if !ok {
		return
	}
	if text, ok := v.Text(); ok && !slices.Contains(values, text) {
		fix := "write " + strings.Join(values, ", ")
		if near := document.Nearest(text, values); near != "" {
			fix = "write " + near
		}
		v.Complain(fix, "there is no %s %q", key, text)
	}
}

// list reads a list of objects by the keys of their type; those without omitempty are needed. check looks at each.
func list[T any](p *parser, o document.Object, key string, into *[]T, check func(document.Object, *T)) {
	of := reflect.TypeFor[T]()
	o.Each(key, keysOf(of), func(o document.Object) {
		var v T
		read(o, reflect.ValueOf(&v).Elem())
		check(o, &v)
		*into = append(*into, v)
	})
}

// read fills a struct of texts, truths, numbers, lists of texts and maps of texts.
func read(o document.Object, into reflect.Value) {
	of := into.Type()
	for i := range of.NumField() {
		tag := strings.Split(of.Field(i).Tag.Get("yaml"), ",")
		key, f := tag[0], into.Field(i)
		n, ok := o.Get(key)
		if !ok {
			if !slices.Contains(tag, "omitempty") {
				o.Need(key)
			}
			continue
		}
		switch f.Kind() {
		case reflect.String:
			text := ""
			if key == "ca" {
				text, _ = n.Certificates()
			} else {
				text = o.Text(key)
			}
			f.SetString(text)
		case reflect.Bool:
			f.SetBool(o.Bool(key))
		case reflect.Int:
			if v, ok := n.Int(0, 1<<31-1); ok {
				f.SetInt(int64(v))
			}
		case reflect.Slice:
			f.Set(reflect.ValueOf(document.Values(o.Texts(key))))
		case reflect.Map:
			texts := map[string]string{}
			if m, ok := n.Object(mapKeys()); ok {
				for _, k := range m.Keys() {
					texts[k] = m.Text(k)
				}
			}
			f.Set(reflect.ValueOf(texts))
		default:
			panic(fmt.Sprintf("instance: %s.%s is of a kind that is not read", of, key))
		}
	}
}

// keysOf are the keys of a struct as they are written.
func keysOf(of reflect.Type) []string {
	var out []string
	for i := range of.NumField() {
		key, _, _ := strings.Cut(of.Field(i).Tag.Get("yaml"), ",")
		out = append(out, key)
	}
	return out
}

// mapKeys are what a source's map may say.
func mapKeys() []string {
	var out []string
	of := reflect.TypeFor[directory.Map]()
	for i := range of.NumField() {
		key, _, _ := strings.Cut(of.Field(i).Tag.Get("json"), ",")
		out = append(out, key)
	}
	return out
}
