package secrets

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
)

// addresses gives where what a key can be for is now: the origin of each, by how a key names it. A notice has as many
// as it posts to.
func (s *Room) addresses() map[string][]string {
	out := map[string][]string{}
	for _, kind := range []string{stock.KindServer, stock.KindDevice} {
		for _, l := range s.present.Watched(kind) {
			out[stock.For(kind, l.Name)] = []string{stock.Origin(l.URI)}
		}
	}
	doc := s.present.View().Document()
	if set, ok := doc.Mail(); ok {
		out[stock.ForMail] = []string{stock.Origin(set.Server)}
	}
	for _, n := range doc.Notices {
		var posts []string
		for _, text := range n.Tell {
			if t, what, _ := estate.ParseRecipient(text); what == "" && t.Post != "" {
				posts = append(posts, stock.Origin(t.Post))
			}
		}
		slices.Sort(posts)
		if posts = slices.Compact(posts); len(posts) > 0 {
			out[stock.For(stock.ForNotice, n.Name)] = posts
		}
	}
	return out
}

// meant finds what a key is for, and where that is. A host stands for what is watched there.
func (s *Room) meant(n NewCredential) (list []string, bound map[string]string, err error) {
	invalid := func(fix, format string, args ...any) error {
		return fault.New(fault.Invalid, "credential-for", fix, format, args...)
	}
	there := s.addresses()
	list, bound = []string{}, map[string]string{}
	add := func(text string) error {
		at := there[text]
		kind, _, _ := stock.ParseFor(text)
		switch {
		case len(at) > 1:
			return invalid("have each of them posted to by a notice of its own", "%s posts to several hosts: %s", text,
				strings.Join(at, ", "))
		case n.Kind != stock.SignIn && kind != stock.KindDevice:
			return invalid("name devices: device:NAME", "a key of the kind %s is for devices, not for %s", n.Kind, text)
		}
		if !slices.Contains(list, text) {
			list, bound[text] = append(list, text), at[0]
		}
		return nil
	}
	for _, text := range n.For {
		text = strings.TrimSpace(text)
		kind, called, named := stock.ParseFor(text)
		if _, ok := stock.Range(text); ok && n.Kind == stock.SNMP {
			list = append(list, text)
			continue
		}
		if !named {
			var found []string
			for what, at := range there {
				if len(at) == 1 && text != "" && strings.EqualFold(stock.Host(at[0]), text) && what != stock.ForMail &&
					!strings.HasPrefix(what, stock.ForNotice+":") {
					found = append(found, what)
				}
			}
			if slices.Sort(found); len(found) == 0 {
				return nil, nil, invalid("name what it is for: server:NAME, device:NAME, notice:NAME or mail; only an SNMP "+
					"community may be for an address or network. A server that is not registered yet is registered with the key: "+
					"cirque server add HOST --credential "+n.Name, "nothing that is watched has the host %q", text)
			}
			for _, what := range found {
				if k, _, _ := stock.ParseFor(what); n.Kind != stock.SignIn && k != stock.KindDevice {
					continue
				}
				if err := add(what); err != nil {
					return nil, nil, err
				}
			}
			continue
		}
		if len(there[text]) == 0 {
			fix := fmt.Sprintf("see cirque %s list", kind)
			switch kind {
			case stock.ForMail:
				fix = "write settings.mail in the estate"
			case stock.ForNotice:
				fix = "have it tell post:URL, and see cirque notice list"
			}
			what := map[string]string{stock.ForMail: "mail server", stock.ForNotice: "notice that posts and is called"}[kind]
			return nil, nil, invalid(fix, "there is no %s", strings.TrimSpace(cmp.Or(what, kind)+" "+called))
		}
		if err := add(text); err != nil {
			return nil, nil, err
		}
	}
	return list, bound, nil
}

// sayMoved says of a key which of what it is for is elsewhere now, where it does not go. there is what addresses gave.
func sayMoved(c *stock.Credential, there map[string][]string) {
	var moved []string
	for _, what := range c.For {
		kind, called, ok := stock.ParseFor(what)
		if !ok || len(there[what]) == 0 {
			continue
		}
		if !c.GoesTo(stock.Watch{Kind: kind, Name: called, URI: there[what][0]}) {
			moved = append(moved, what)
		}
	}
	if len(moved) > 0 {
		c.State = "unproven"
		c.Says = "it does not go where it was not entered for, and these are elsewhere now: " + strings.Join(moved, ", ") +
			"; enter it again"
	}
}

// NameKeys has keys from before they named what they are for name what they fit now, once: host names, networks and
// domains that anybody's object may fall into are for nothing any more.
func (s *Room) NameKeys(ctx context.Context) error {
	list, sealed, err := s.store.Credentials(ctx)
	if err != nil {
		return err
	}
	there := s.addresses()
	for _, c := range list {
		before := c
		var named []string
		bound := maps.Clone(c.Bound)
		if bound == nil {
			bound = map[string]string{}
		}
		former := false
		for _, text := range c.For {
			if _, _, ok := stock.ParseFor(text); ok {
				named = append(named, text)
				continue
			}
			if _, ok := stock.Range(text); ok && c.Kind == stock.SNMP {
				named = append(named, text)
				continue
			}
			former = true
			for what, at := range there {
				kind, _, _ := stock.ParseFor(what)
				if len(at) == 1 && formerFits(text, stock.Host(at[0])) && (kind == stock.KindDevice || c.Kind == stock.SignIn) &&
					!slices.Contains(named, what) {
					named, bound[what] = append(named, what), at[0]
				}
			}
		}
		if !former {
			continue
		}
		slices.Sort(named)
		c.For, c.Bound = named, bound
		if c.For == nil {
			c.For = []string{}
		}
		if err := s.store.SaveCredential(ctx, c, sealed[c.Name], event.Event{Kind: event.KeyStored, Subject: c.Name,
			Author: "cirque"}.Saying("The key {name} is for what it fitted, by name now", "name", c.Name).With(before,
			c)); err != nil {
			return err
		}
		s.log.Info("a key names what it is for now", "credential", c.Name, "was", before.For, "is", c.For)
	}
	s.present.Show(ctx, event.Signal{What: event.Stock, Subject: "credentials"})
	return nil
}

// formerFits is how hosts were meant before keys named what they are for.
func formerFits(text, host string) bool {
	if strings.EqualFold(text, host) {
		return true
	}
	if p, ok := stock.Range(text); ok {
		a, isAddr := stock.Range(host)
		return isAddr && p.Contains(a.Addr())
	}
	suffix, ok := strings.CutPrefix(text, "*.")
	return ok && strings.HasSuffix(strings.ToLower(host), "."+strings.ToLower(suffix))
}
