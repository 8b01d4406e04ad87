package stock

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"cirque/core/driver"
	"cirque/core/estate"
)

// A Change is what differs between two readings of one server or device.
type Change struct {
	Kind    string // queue-new, queue-gone, driver, address, defaults, restarted
	Subject string // the queue
	Says    string
}

// maxChanges bounds what is told of one reading; the rest is counted.
const maxChanges = 50

// ServerChanges tells what is otherwise than in the reading before. State and waiting jobs are not changes: they come
// and go.
func ServerChanges(name string, before, after *Server) []Change {
	if before == nil || after == nil {
		return nil
	}
	was := map[string]*Queue{}
	for i := range before.Queues {
		was[before.Queues[i].Name] = &before.Queues[i]
	}
	var out []Change
	add := func(kind, subject, format string, args ...any) {
		out = append(out, Change{kind, subject, fmt.Sprintf(format, args...)})
	}
	if Restarted(before, after) {
		add("restarted", "", "The server %s has started anew", name)
	}
	for i := range after.Queues {
		q := &after.Queues[i]
		b := was[q.Name]
		delete(was, q.Name)
		switch {
		case b == nil:
			add("queue-new", q.Name, "%s has a new queue, %s", name, q.Name)
			continue
		case b.Model != q.Model:
			add("driver", q.Name, "%s on %s: the driver changed from %q to %q", q.Name, name, b.Model, q.Model)
		}
		if b.Device != q.Device {
			add("address", q.Name, "%s on %s: the device's address moved from %s to %s", q.Name, name, orNone(b.Device),
				orNone(q.Device))
		}
		if !sameOptions(b.Defaults, q.Defaults) {
			add("defaults", q.Name, "%s on %s: the defaults changed", q.Name, name)
		}
	}
	var gone []string
	for n := range was {
		gone = append(gone, n)
	}
	slices.Sort(gone)
	for _, n := range gone {
		add("queue-gone", n, "%s no longer has the queue %s", name, n)
	}
	if n := len(out); n > maxChanges {
		out = append(out[:maxChanges], Change{"more", "", fmt.Sprintf("%d more things changed on %s", n-maxChanges, name)})
	}
	return out
}

// clockSlack is by how much a start may seem to move without one: clocks drift, and answers take time.
const clockSlack = 90 * time.Second

// Restarted says whether a server has started anew between two readings.
func Restarted(before, after *Server) bool {
	return before != nil && after != nil && before.Started != nil && after.Started != nil &&
		after.Started.Sub(*before.Started) > clockSlack
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

// A Difference is where what was found and the estate do not agree.
type Difference struct {
	Severity string      `json:"severity" enum:"error,warning,note"`
	Kind     string      `json:"kind" doc:"unlisted, gone, other-device, other-driver, not-shared, moved, swapped, silent, address-unkept, address-shared, address-outside, reservation, credential."`
	At       *estate.Ref `json:"at" doc:"The estate's object; null where it has none."`
	Server   string      `json:"server,omitempty"`
	Queue    string      `json:"queue,omitempty" doc:"The queue's name on the server."`
	Device   string      `json:"device,omitempty"`
	To       string      `json:"to,omitempty" doc:"Where a device that moved answers now."`
	Says     string      `json:"says"`
	Fix      string      `json:"fix"`
}

// Through lists the queues of an estate that have a path through a server, by the name that they have there.
func Through(doc *estate.Document, server string) map[string][]string {
	sets := map[string]bool{}
	for _, s := range doc.ServerSets {
		if slices.Contains(s.Members, server) {
			sets[s.Name] = true
		}
	}
	out := map[string][]string{}
	for _, q := range doc.Queues {
		for _, p := range q.Paths {
			if p.Server == server && server != "" || p.Set != "" && sets[p.Set] {
				remote := p.RemoteName
				if remote == "" {
					remote = q.Name
				}
				if !slices.Contains(out[remote], q.Name) {
					out[remote] = append(out[remote], q.Name)
				}
			}
		}
	}
	return out
}

// ServerDifferences compares a reading with the estate, queue by queue.
func ServerDifferences(doc *estate.Document, server string, s *Server) []Difference {
	out := []Difference{}
	if s == nil {
		return out
	}
	through := Through(doc, server)
	devices := map[string]estate.Device{}
	for _, d := range doc.Devices {
		devices[d.Name] = d
	}
	queues := map[string]estate.Queue{}
	for _, q := range doc.Queues {
		queues[q.Name] = q
	}
	exact := map[string]string{} // by the driver's name
	for _, d := range doc.Drivers {
		exact[d.Name] = d.Exact
	}
	found := map[string]bool{}
	for _, q := range s.Queues {
		found[q.Name] = true
		names := through[q.Name]
		if len(names) == 0 {
			out = append(out, Difference{Severity: "note", Kind: "unlisted", Server: server, Queue: q.Name,
				Says: fmt.Sprintf("%s has the queue %q, to which the estate does not lead", server, q.Name),
				Fix:  "adopt it, or leave it to those who use it by hand"})
			continue
		}
		for _, n := range names {
			of := queues[n]
			at := &estate.Ref{List: "queues", Name: n}
			if q.Device != "" && len(of.Devices) > 0 && Host(q.Device) != "" && !slices.ContainsFunc(of.Devices,
				func(d string) bool { return SameHost(devices[d].URI, q.Device) }) {
				var known []string
				for _, d := range of.Devices {
					known = append(known, d+" at "+Host(devices[d].URI))
				}
				out = append(out, Difference{Severity: "warning", Kind: "other-device", At: at, Server: server, Queue: q.Name,
					Says: fmt.Sprintf("on %s, %q leads to %s; in the estate %s leads to %s", server, q.Name, Host(q.Device), n,
						strings.Join(known, ", ")), Fix: "mend whichever of the two is old"})
			}
			if severity, says := otherDriver(of, exact, q.Model); says != "" {
				out = append(out, Difference{Severity: severity, Kind: "other-driver", At: at, Server: server, Queue: q.Name,
					Says: fmt.Sprintf("on %s, %q has the driver %s", server, q.Name, says), Fix: "where names have to agree to the " +
						"letter, choose one of the two everywhere"})
			}
			if q.Shared != nil && !*q.Shared {
				out = append(out, Difference{Severity: "warning", Kind: "not-shared", At: at, Server: server, Queue: q.Name,
					Says: fmt.Sprintf("on %s, %q is not shared: people cannot reach it there", server, q.Name),
					Fix:  "share it on the server"})
			}
		}
	}
	var missing []string
	for remote := range through {
		if !found[remote] {
			missing = append(missing, remote)
		}
	}
	slices.Sort(missing)
	for _, remote := range missing {
		for _, n := range through[remote] {
			d := Difference{Severity: "error", Kind: "gone", At: &estate.Ref{List: "queues", Name: n}, Server: server,
				Queue: remote, Says: fmt.Sprintf("%s leads through %s, which has no queue %q", n, server, remote),
				Fix: "make it on the server, or take the path away"}
			if near := nearName(remote, s.Queues); near != "" {
				d.Fix = fmt.Sprintf("the server has %q: write that as remote_name, to the letter", near)
			}
			out = append(out, d)
		}
	}
	return out
}

// otherDriver says how a server's driver differs from those that the estate gives the queue's people. One that is
// nearly the same is worse than another: somebody meant it to be the same.
func otherDriver(q estate.Queue, exact map[string]string, model string) (severity, says string) {
	var names []string
	for _, d := range q.Drivers {
		if e := exact[d]; e != "" && !slices.Contains(names, e) {
			names = append(names, e)
		}
	}
	slices.Sort(names)
	if model == "" || len(names) == 0 || slices.Contains(names, model) {
		return "", ""
	}
	if near := driver.Nearest(model, names); near != "" {
		return "warning", fmt.Sprintf("%q, and the estate gives %q: %s", model, near, driver.Compare(model, near).Says)
	}
	return "note", fmt.Sprintf("%q, and the estate gives %s", model, strings.Join(names, ", "))
}

func nearName(name string, queues []Queue) string {
	want := Slug(name)
	for _, q := range queues {
		if Slug(q.Name) == want && q.Name != name {
			return q.Name
		}
	}
	return ""
}

// SameServer says whether two readings tell the same but for when they were made.
func SameServer(a, b *Server) bool {
	if a == nil || b == nil {
		return false
	}
	x, y := *a, *b
	x.At, y.At = time.Time{}, time.Time{}
	if !Restarted(a, b) {
		x.Started, y.Started = nil, nil
	}
	return reflect.DeepEqual(x, y)
}

// DeviceChanges tells what is otherwise than in the reading before, in sentences.
func DeviceChanges(name string, before, after *Device) []string {
	if before == nil || after == nil {
		return nil
	}
	var out []string
	add := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	was, is := IdentityOf(*before), IdentityOf(*after)
	if was.Compare(is) == Different {
		add("Another device answers at the address of %s: %s, with %s; it was the one with %s", name,
			modelOr(*after), is, was)
	} else if before.Firmware != after.Firmware && before.Firmware != "" && after.Firmware != "" {
		add("%s has the firmware %s; it had %s", name, after.Firmware, before.Firmware)
	}
	if before.Ready() && after.State == "stopped" {
		reasons := strings.Join(after.Reasons, ", ")
		if reasons == "" {
			reasons = "it does not say why"
		}
		add("%s has stopped: %s", name, reasons)
	}
	if before.State == "stopped" && after.Ready() {
		add("%s prints again", name)
	}
	return out
}
