// Package advert makes queues known from an estate: as entries of a directory.
package advert

import (
	"cmp"
	"net/url"
	"slices"
	"strings"
	"time"

	"cirque/core/estate"
)

// An Entry is a queue as a printer entry of an LDAP directory (RFC 7612): printer-name is its RDN.
type Entry struct {
	Queue      string              `json:"queue"`
	Attributes map[string][]string `json:"attributes" doc:"By the names of RFC 7612; sorted values."`
	Lacks      string              `json:"lacks,omitempty" doc:"Why it cannot be written; empty when it can."`
}

// Classes are the object classes of an entry (RFC 7612, section 3).
func Classes() []string { return []string{"top", "printerAbstract", "printerService", "printerIPP"} }

// Attributes are those that Cirque writes; of an entry that it wrote it touches no others (RFC 7612, section 4).
func Attributes() []string {
	return []string{"printer-name", "printer-uri", "printer-xri-supported", "printer-location", "printer-info",
		"printer-make-and-model", "printer-color-supported", "printer-sides-supported",
		"printer-media-supported", "printer-document-format-supported", "printer-ipp-versions-supported", "printer-aliases",
		"printer-charset-configured", "printer-natural-language-configured"}
}

// A Reading is what is known of a queue's device.
type Reading struct {
	Model    string
	Colour   *bool
	TwoSided *bool
	Sides    []string
	Media    []string
	Formats  []string
}

// Entries makes an entry of every queue that is listed and not retired, by name. base is the service's own address,
// such as https://cirque.example:8631, to which the gateway belongs; reading tells of a device by name, nil for one
// that nobody read.
func Entries(d *estate.Document, base string, reading func(device string) *Reading) []Entry {
	out := []Entry{}
	titles := map[string]string{}
	for _, l := range d.Locations {
		titles[l.Path] = cmp.Or(l.Title, lastOf(l.Path))
	}
	for i := range d.Queues {
		if q := &d.Queues[i]; q.Listed && !q.Retired {
			out = append(out, entry(d, q, base, titles, reading))
		}
	}
	slices.SortFunc(out, func(a, b Entry) int { return cmp.Compare(a.Queue, b.Queue) })
	return out
}

//nolint:funlen // one attribute after another, in the order of RFC 7612
func entry(d *estate.Document, q *estate.Queue, base string, titles map[string]string,
	reading func(string) *Reading) Entry {
	e := Entry{Queue: q.Name, Attributes: map[string][]string{}}
	set := func(key string, values ...string) {
		values = slices.DeleteFunc(slices.Clone(values), func(v string) bool { return v == "" })
		slices.Sort(values)
		if values = slices.Compact(values); len(values) > 0 {
			e.Attributes[key] = values
		}
	}
	uri := address(d, q, base)
	if uri == "" {
		e.Lacks = "none of its paths leads anywhere that everybody could be told: give it one without conditions, or " +
			"through the gateway"
	}
	set("printer-name", q.Name)
	set("printer-uri", uri)
	if uri != "" {
		// RFC 7612, section 4.2: the security and authentication of each URI.
		security := "none"
		if strings.HasPrefix(uri, "ipps:") {
			security = "tls"
		}
		auth := "none"
		if strings.Contains(uri, "/ipp/queues/") {
			auth = "basic"
		}
		set("printer-xri-supported", "uri="+uri+" < auth="+auth+" < sec="+security+" <")
	}
	set("printer-info", cmp.Or(q.Title, q.Name))
	set("printer-location", place(q.Location, titles))
	set("printer-aliases", q.Formerly...)
	set("printer-ipp-versions-supported", "1.1", "2.0")
	set("printer-charset-configured", "utf-8")
	set("printer-natural-language-configured", "en")
	// Of several devices only what all of them can is promised.
	var media, sides, formats []string
	var models []string
	var colour *bool
	known := false
	for i, name := range q.Devices {
		r := reading(name)
		if r == nil {
			media, sides, formats, colour, known = nil, nil, nil, nil, false
			break
		}
		known = true
		if r.Model != "" && !slices.Contains(models, r.Model) {
			models = append(models, r.Model)
		}
		two := r.Sides
		if len(two) == 0 && r.TwoSided != nil {
			two = []string{"one-sided"}
			if *r.TwoSided {
				two = []string{"one-sided", "two-sided-long-edge", "two-sided-short-edge"}
			}
		}
		if i == 0 {
			media, sides, formats, colour = r.Media, two, r.Formats, r.Colour
			continue
		}
		media, sides, formats = intersect(media, r.Media), intersect(sides, two), intersect(formats, r.Formats)
		if colour == nil || r.Colour == nil {
			colour = nil
		} else if c := *colour && *r.Colour; c != *colour {
			colour = &c
		}
	}
	if colour == nil && !known {
		// Nobody has read the device: the queue's own labels and defaults say it, if anything does.
		if mode, _ := q.Defaults["print-color-mode"].(string); mode == "monochrome" {
			no := false
			colour = &no
		}
	}
	if colour != nil {
		set("printer-color-supported", map[bool]string{true: "TRUE", false: "FALSE"}[*colour])
	}
	if len(models) == 1 {
		set("printer-make-and-model", clip(models[0], 127))
	}
	set("printer-media-supported", media...)
	set("printer-sides-supported", sides...)
	set("printer-document-format-supported", formats...)
	return e
}

// place writes a location by the titles down to it, such as "Ardholm harbour, Quay House, Booking hall".
func place(path string, titles map[string]string) string {
	if path == "" {
		return ""
	}
	var out []string
	for at := 0; at <= len(path); at++ {
		if at == len(path) || path[at] == '/' {
			up := path[:at]
			out = append(out, cmp.Or(titles[up], lastOf(up)))
		}
	}
	return clip(strings.Join(out, ", "), 127)
}

func lastOf(path string) string { return path[strings.LastIndexByte(path, '/')+1:] }

// clip keeps a text within the syntax's bound, at a rune's edge.
func clip(s string, most int) string {
	for len(s) > most {
		s = strings.ToValidUTF8(s[:most], "")
	}
	return s
}

func intersect(a, b []string) []string {
	var out []string
	for _, v := range a {
		if slices.Contains(b, v) {
			out = append(out, v)
		}
	}
	return out
}

// address gives the URI to hand out: the gateway's where the queue goes through it, else that of the first path without
// conditions; "" where there is none.
func address(d *estate.Document, q *estate.Queue, base string) string {
	if slices.ContainsFunc(q.Paths, func(p estate.Path) bool { return p.Gateway && len(p.At)+len(p.Sessions) == 0 }) &&
		base != "" {
		u, err := url.Parse(base)
		if err == nil && u.Host != "" {
			scheme := "ipp"
			if u.Scheme == "https" {
				scheme = "ipps"
			}
			return scheme + "://" + u.Host + "/ipp/queues/" + url.PathEscape(q.Name)
		}
	}
	for _, p := range q.Paths {
		if len(p.At)+len(p.Sessions) > 0 || p.Gateway {
			continue
		}
		server := p.Server
		if p.Set != "" {
			if set, ok := d.Find(estate.Ref{List: "server_sets", Name: p.Set}).(*estate.ServerSet); ok && len(set.Members) > 0 {
				server = set.Members[0]
			}
		}
		if p.Device != "" {
			if v, ok := d.Find(estate.Ref{List: "devices", Name: p.Device}).(*estate.Device); ok {
				if v.Machine != "" {
					continue // nobody else can print to it
				}
				return v.URI
			}
		}
		if v := d.Server(server); v != nil {
			root := "printers/"
			if v.QueueRoot != nil {
				root = *v.QueueRoot
			}
			return strings.TrimSuffix(v.URI, "/") + "/" + root + url.PathEscape(cmp.Or(p.RemoteName, q.Name))
		}
	}
	return ""
}

// A Listing is how the entries in one directory stand.
type Listing struct {
	Source string    `json:"source"`
	Under  string    `json:"under" doc:"The DN below which the entries are."`
	At     time.Time `json:"at" doc:"When the directory was last brought into line, or could not be."`
	Pass
	Code string `json:"code,omitempty" doc:"What it failed with; absent when it did not."`
	Says string `json:"says"`
	Fix  string `json:"fix,omitempty"`
}

// A Pass is what came of bringing a directory's entries into line.
type Pass struct {
	Added     int      `json:"added"`
	Changed   int      `json:"changed"`
	Removed   int      `json:"removed"`
	Unchanged int      `json:"unchanged"`
	Refused   []string `json:"refused" doc:"Entries that could not be written, and why."`
}
