package adverts

import (
	"context"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/advert"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
)

// printersMost is how many entries are given of one directory.
const printersMost = 500

// Printers looks for printer entries in the directories that are read, or in one, whoever wrote them, with what is
// known of where each leads. A TooLarge fault where a directory has too many that are like that.
func (s *Room) Printers(ctx context.Context, p *access.Principal, source string,
	seek advert.Seek) ([]advert.Found, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	out := []advert.Found{}
	err := s.eachSource(ctx, source, func(v directory.Source, word string, known advert.Known) error {
		list, more, err := s.cfg.Dir.FindPrinters(ctx, v, word, seek, printersMost)
		if err != nil {
			return err
		}
		if more {
			return fault.New(fault.TooLarge, "printers-many", "name words of them, a place, or what they can", "%s has over %d "+
				"printer entries that are like that", v.Name, printersMost)
		}
		for i := range list {
			list[i].Judge(known, s.now())
		}
		out = append(out, list...)
		return nil
	})
	return out, err
}

// eachSource calls f for each source that is read, or for one, with its password and what entries are judged by.
func (s *Room) eachSource(ctx context.Context, source string, f func(v directory.Source, word string,
	known advert.Known) error) error {
	if s.cfg.Dir == nil {
		return fault.New(fault.Unavailable, "no-directory", "run the service with directories", "no directory is spoken to")
	}
	list, sealed, err := s.store.Sources(ctx)
	if err != nil {
		return err
	}
	known, err := s.known(ctx, list)
	if err != nil {
		return err
	}
	met := false
	for _, v := range list {
		if source != "" && v.Name != source {
			continue
		}
		met = true
		word, err := s.cfg.Passwords.SourcePassword(v, sealed[v.Name])
		if err != nil {
			return err
		}
		if err := f(v, word, known); err != nil {
			return err
		}
	}
	if !met {
		return fault.New(fault.Unknown, "source-unknown", "see cirque directory source list; to have one read: cirque "+
			"directory source add", "no directory is read%s", map[bool]string{true: " as " + source}[source != ""])
	}
	return nil
}

// known is what entries are judged by. Two sources may read one directory: what was written through one is Cirque's.
func (s *Room) known(ctx context.Context, sources []directory.Source) (advert.Known, error) {
	var mine []string
	for _, v := range sources {
		dns, err := s.store.Listed(ctx, v.Name)
		if err != nil {
			return advert.Known{}, err
		}
		mine = append(mine, dns...)
	}
	kept := s.present.Stock()
	servers, devices := map[string]advert.Server{}, map[string]string{}
	for _, l := range s.present.Watched(stock.KindServer) {
		k := kept.Server(l.Name)
		if k.Server == nil || !k.Check.OK {
			continue
		}
		list := k.Server.Queues
		servers[stock.Authority(l.URI)] = advert.Server{Name: l.Name, At: k.Server.At, Has: func(queue string) bool {
			return slices.ContainsFunc(list, func(q stock.Queue) bool { return q.Name == queue })
		}}
	}
	for _, l := range s.present.Watched(stock.KindDevice) {
		devices[stock.Authority(l.URI)] = l.Name
	}
	return advert.Known{
		Ours: func(dn string) bool {
			return slices.ContainsFunc(mine, func(m string) bool { return strings.EqualFold(m, dn) })
		},
		Server: func(uri string) (advert.Server, bool) { v, ok := servers[stock.Authority(uri)]; return v, ok },
		Device: func(uri string) (string, bool) { v, ok := devices[stock.Authority(uri)]; return v, ok },
	}, nil
}

// RemovePrinter takes an entry out of a directory that leads to a queue which is gone, by what is known at this moment;
// any other is refused.
func (s *Room) RemovePrinter(ctx context.Context, p *access.Principal, source, dn string) error {
	if err := access.Check(p, access.KeepSources); err != nil {
		return err
	}
	if source == "" || dn == "" {
		return fault.New(fault.Invalid, "entry-missing", "see cirque directory printers", "no entry is named")
	}
	return s.eachSource(ctx, source, func(v directory.Source, word string, known advert.Known) error {
		list, _, err := s.cfg.Dir.FindPrinters(ctx, v, word, advert.Seek{DN: dn}, 1)
		if err != nil {
			return err
		}
		if len(list) == 0 {
			return fault.New(fault.Unknown, "entry-unknown", "see cirque directory printers", "%s has no printer entry %s",
				source, dn)
		}
		f := list[0]
		if f.Judge(known, s.now()); f.State != advert.Gone {
			return fault.New(fault.Conflict, "entry-leads", "take it out with the directory's own tools, if it is to go",
				"%s is not known to lead nowhere: %s", f.Name, f.Says)
		}
		if err := s.cfg.Dir.RemovePrinter(ctx, v, word, f.DN); err != nil {
			return err
		}
		return s.store.AddEvent(ctx, event.Event{Kind: event.EntryGone, Subject: f.Name, Author: p.Name}.Saying(
			"The printer entry {name} was taken out of {source}: {why}", "name", f.Name, "source", source, "why", f.Says))
	})
}
