package directory

import (
	"fmt"
	"strings"

	"cirque/core/document"
	"cirque/core/fault"
	"cirque/core/name"
)

// Parse reads the directory file, in one or several parts. Problems come all at once, as an Invalid fault with code
// "directory-invalid" whose details carry file and line.
func Parse(files []document.File) (Records, error) {
	p := &parser{seen: map[string]document.Node{}}
	for _, f := range files {
		for _, n := range p.reader.Read(f) {
			p.document(n)
		}
	}
	if problems, all := p.reader.Problems(); all > 0 {
		return Records{}, Invalid(problems, all)
	}
	return p.records, nil
}

// Invalid is the fault for a directory that cannot be taken as it is, with the first of all its problems.
func Invalid(problems []fault.Detail, all int) error {
	s := "s"
	if all == 1 {
		s = ""
	}
	return fault.New(fault.Invalid, "directory-invalid", "mend the places below and try again; nothing was stored",
		"the directory has %d problem%s", all, s).WithFirst(problems, all)
}

type parser struct {
	reader  document.Reader
	records Records
	seen    map[string]document.Node
}

func (p *parser) document(n document.Node) {
	o, ok := n.Object([]string{"directory", "users", "groups", "machines"})
	if !ok {
		return
	}
	o.Need("directory")
	if v, ok := o.Get("directory"); ok {
		v.Int(1, 1)
	}
	o.Each("users", []string{"name", "display_name", "email", "unit", "employee", "external_id"}, func(c document.Object) {
		p.records.Users = append(p.records.Users, User{Name: p.name(c, "user"), DisplayName: c.Text("display_name"),
			Email: c.Text("email"), Unit: p.unit(c), Employee: c.Text("employee"), ExternalID: c.Text("external_id")})
	})
	o.Each("groups", []string{"name", "members", "external_id"}, func(c document.Object) {
		p.records.Groups = append(p.records.Groups, Group{Name: p.name(c, "group"), Members: p.members(c),
			ExternalID: c.Text("external_id")})
	})
	o.Each("machines", []string{"name", "unit", "location", "platform", "external_id"}, func(c document.Object) {
		m := Machine{Name: p.name(c, "machine"), Unit: p.unit(c), Location: c.Text("location"), Platform: c.Text("platform"),
			ExternalID: c.Text("external_id")}
		p.records.Machines = append(p.records.Machines, m)
	})
}

func (p *parser) name(o document.Object, kind string) string {
	o.Need("name")
	n, ok := o.Get("name")
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if !ok {
		return ""
	}
	if !name.Valid(s) {
		n.Complain("write a text without control characters", "%q is no name", s)
	}
	key := kind + " " + name.Fold(s)
	if first, taken := p.seen[key]; taken {
		n.Complain("leave one of the two out (upper and lower case are the same here)", "the %s %q is already there, at %s",
			kind, s, first.Place())
	} else {
		p.seen[key] = n
	}
	return s
}

func (p *parser) unit(o document.Object) string {
	n, ok := o.Get("unit")
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if ok && !name.ValidUnit(s) {
		n.Complain(`write names divided by single slashes, a slash inside a name as \/`, "%q is no unit", s)
	}
	return s
}

func (p *parser) members(o document.Object) []string {
	var out []string
	for _, t := range o.Texts("members") {
		ok := strings.Contains(t.Value, ":")
		if !validMember(t.Value) {
			fix := "write user:NAME, group:NAME or machine:NAME"
			if !ok {
				fix = fmt.Sprintf("write user:%s, group:%s or machine:%s", t.Value, t.Value, t.Value)
			}
			t.Complain(fix, "%q is no member", t.Value)
			continue
		}
		out = append(out, t.Value)
	}
	return out
}
