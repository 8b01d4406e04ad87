package snapshots

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/snapshot"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/service/present"
)

// TakeSnapshot keeps how servers, devices and endpoints stand now, to be compared with later.
func (s *Room) TakeSnapshot(ctx context.Context, p *access.Principal, called,
	note string) (snapshot.Snapshot, error) {
	out := snapshot.Snapshot{Name: called, Note: strings.TrimSpace(note), Author: ""}
	if err := access.Check(p, access.RefreshEndpoint); err != nil {
		return out, err
	}
	out.Author = p.Name
	if !estate.ValidName(called) {
		return out, fault.New(fault.Invalid, "name-invalid", "write small letters, digits, dots and dashes, such as "+
			"before-the-update", "%q is no name", called)
	}
	var err error
	if out.Objects, err = s.objects(ctx); err != nil {
		return out, err
	}
	out.Count = len(out.Objects)
	out, err = s.store.AddSnapshot(ctx, out, event.Event{Kind: event.SnapshotTaken, Subject: called,
		Author: p.Name}.Saying(
		"The snapshot {name} was taken, of {objects}", "name", called, "objects", words.Count(out.Count, "object")))
	out.Objects = nil
	return out, err
}

// Snapshots lists them, newest first.
func (s *Room) Snapshots(ctx context.Context, p *access.Principal) ([]snapshot.Snapshot, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	list, err := s.store.Snapshots(ctx)
	if list == nil {
		list = []snapshot.Snapshot{}
	}
	return list, err
}

// RemoveSnapshot forgets one: one's own, or anybody's for who publishes for all sites.
func (s *Room) RemoveSnapshot(ctx context.Context, p *access.Principal, called string) error {
	if err := access.Check(p, access.RefreshEndpoint); err != nil {
		return err
	}
	if !p.MayAt(access.Publish, "") {
		taken, err := s.store.Snapshot(ctx, called)
		if err != nil {
			return err
		}
		if taken.Author != p.Name {
			return fault.New(fault.Denied, "not-your-snapshot", "ask "+taken.Author+", or an administrator of all sites",
				"the snapshot %s is of %s", called, taken.Author)
		}
	}
	return s.store.RemoveSnapshot(ctx, called, event.Event{Kind: event.SnapshotGone, Subject: called,
		Author: p.Name}.Saying(
		"The snapshot {name} was removed", "name", called))
}

// CompareSnapshots says what is otherwise than in a snapshot: on another, or now where none is named. word narrows
// it to what has it in its kind or name.
func (s *Room) CompareSnapshots(ctx context.Context, p *access.Principal, before, after, word string,
	limit int) (snapshot.Compared, error) {
	var out snapshot.Compared
	if err := access.Check(p, access.ReadFleet); err != nil {
		return out, err
	}
	var err error
	if out.Before, err = s.store.Snapshot(ctx, before); err != nil {
		return out, err
	}
	var then []snapshot.Object
	if after != "" {
		other, err := s.store.Snapshot(ctx, after)
		if err != nil {
			return out, err
		}
		then, other.Objects = other.Objects, nil
		out.After = &other
	} else if then, err = s.objects(ctx); err != nil {
		return out, err
	}
	list := snapshot.Compare(out.Before.Objects, then)
	out.Before.Objects = nil
	list = slices.DeleteFunc(list, func(d snapshot.Difference) bool {
		return !strings.Contains(strings.ToLower(d.Kind+" "+d.Name), strings.ToLower(word))
	})
	out.Total, out.List = len(list), list[:min(len(list), limit)]
	return out, nil
}

// objects are all that a snapshot shows. What changes by itself, such as ages and counters, is not in it.
func (s *Room) objects(ctx context.Context) ([]snapshot.Object, error) {
	leave, err := s.present.Crew.Enter(ctx)
	if err != nil {
		return nil, err
	}
	defer leave()
	var out []snapshot.Object
	add := func(kind, name string, facts map[string]string) {
		for k, v := range facts {
			if v == "" {
				delete(facts, k)
			}
		}
		out = append(out, snapshot.Object{Kind: kind, Name: name, Facts: facts})
	}
	yes := func(b bool) string { return map[bool]string{true: "yes", false: "no"}[b] }
	options := func(v map[string]any) string {
		if len(v) == 0 {
			return ""
		}
		b, _ := json.Marshal(v) // plain values, sorted
		return string(b)
	}
	snap, st := s.present.View(), s.present.Stock()
	for _, l := range s.present.Watched(stock.KindServer) {
		facts := map[string]string{"address": l.URI, "duty": string(snap.World.Live.Server(l.Name))}
		if l.Check != nil {
			facts["answers"] = yes(l.Check.OK)
		}
		r := st.Server(l.Name).Server
		add("server", l.Name, facts)
		if r == nil {
			continue
		}
		for _, q := range r.Queues {
			f := map[string]string{"driver": q.Model, "device": q.Device, "prints": yes(q.Ready()),
				"reasons": strings.Join(q.Reasons, ", "), "title": q.Title, "location": q.Location, "defaults": options(q.Defaults)}
			if q.Shared != nil {
				f["shared"] = yes(*q.Shared)
			}
			add("queue on a server", q.Name+" on "+l.Name, f)
		}
	}
	for _, l := range s.present.Watched(stock.KindDevice) {
		facts := map[string]string{"address": l.URI}
		if l.Check != nil {
			facts["answers"] = yes(l.Check.OK)
		}
		if d := l.Reading; d != nil {
			facts["model"], facts["serial"], facts["hardware address"], facts["firmware"], facts["state"] = d.Model, d.Serial,
				d.MAC, d.Firmware, cmp.Or(map[string]string{"idle": "ready", "processing": "ready"}[d.State], d.State)
			facts["defaults"] = options(d.Defaults)
		}
		add("device", l.Name, facts)
	}
	ends, silent, err := s.cfg.Fleet.Every(ctx)
	if err != nil {
		return nil, err
	}
	for i, j := range ends {
		if ctx.Err() != nil {
			return nil, present.Stopped()
		}
		r, state := j.Record(), j.State
		if silent[i] {
			state = endpoint.Silent
		}
		add("endpoint", r.Report.Machine, map[string]string{"state": string(state), "platform": r.Report.Platform,
			"agent": r.Report.Version, "spooler": r.Report.Spooler})
		for _, i := range r.Report.Installed {
			who := cmp.Or(i.User, "everybody")
			add("queue on an endpoint", fmt.Sprintf("%s of %s on %s", i.Queue, who, r.Report.Machine),
				map[string]string{"path": i.URI, "driver": cmp.Or(i.Exact, i.Driver),
					"default": map[bool]string{true: "yes"}[i.Default], "options": options(i.Options),
					"by":      map[bool]string{true: "agent", false: "somebody else"}[i.Own],
					"stopped": map[bool]string{true: "yes"}[i.Halted]})
		}
	}
	add("estate", "revision", map[string]string{"number": fmt.Sprint(snap.Revision.Number),
		"published": published(snap.Revision)})
	return snapshot.Sorted(out), nil
}

// published says when a revision was; nothing where there is none yet.
func published(r estate.Revision) string {
	if r.At == nil {
		return ""
	}
	return r.At.UTC().Format(time.RFC3339)
}
