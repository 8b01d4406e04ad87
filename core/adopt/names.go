package adopt

import (
	"fmt"
	"strings"

	"cirque/core/estate"
	"cirque/core/stock"
)

// nameWords are what stands for something in a pattern of names.
var nameWords = []string{"name", "title", "location", "site", "last", "model", "address", "n"}

// NamedBy has queues and devices called by a pattern instead of as they were found, such as {last}-{model}-{n}: {n} is
// the first number with which the name is free.
func (p *Proposer) NamedBy(pattern string) error {
	if err := stock.CheckPattern(pattern, nameWords, "what was found"); err != nil {
		return err
	}
	p.pattern = strings.TrimSpace(pattern)
	return nil
}

// called is the name that a proposal begins with.
func (p *Proposer) called(f Found) string {
	if p.pattern == "" {
		return f.Queue.Name
	}
	address, _ := stock.Address(f.Queue.Device)
	at := p.location(f.Queue, f, address, func(string, ...any) {})
	model := f.Queue.Model
	if f.Device != nil && f.Device.Model != "" {
		model = f.Device.Model
	}
	host, before := stock.Host(f.Queue.Device), ""
	for n := 1; ; n++ {
		called := stock.Slug(stock.Fill(p.pattern, map[string]string{"name": f.Queue.Name, "title": f.Queue.Title,
			"location": at, "site": estate.Site(at), "last": at[strings.LastIndexByte(at, '/')+1:], "model": model,
			"address": host, "n": fmt.Sprint(n)}))
		// A number that does not show, as no name has room for it or the pattern has none, ends it: unique adds one.
		if called == before || !p.queues[called] && !p.devices[called] {
			return called
		}
		before = called
	}
}
