package estate

import (
	"net/mail"
	"net/url"
	"slices"
	"strings"
	"time"

	"cirque/core/document"
	"cirque/core/span"
)

// A Notice says who is told of which faults.
type Notice struct {
	Name   string    `json:"name" yaml:"name"`
	Title  string    `json:"title,omitempty" yaml:"title,omitempty"`
	About  []string  `json:"about,omitempty" yaml:"about,flow,omitempty" doc:"servers, devices, endpoints, sets, directory, keys (and the account for emergencies) and drafts (that could not be published at their time); all when absent."`
	At     []string  `json:"at,omitempty" yaml:"at,flow,omitempty" doc:"Only of what lies at these locations: location:P."`
	After  span.Span `json:"after,omitempty" yaml:"after,omitempty" doc:"How long a fault lasts before it is told: 1m to 1d; 5m when absent."`
	Part   Percent   `json:"part,omitempty" yaml:"part,omitempty" doc:"Endpoints are told of together, once such a share of them, such as 10%, fails or is silent; each by itself when absent."`
	Again  span.Span `json:"again,omitempty" yaml:"again,omitempty" doc:"Told again after so long, while it lasts: 1h to 7d; once when absent."`
	Tell   []string  `json:"tell,omitempty" yaml:"tell,flow,omitempty" doc:"mail:ADDRESS, user:N and group:N by their mail addresses in the directory, or post:URL."`
	Owners bool      `json:"owners,omitempty" yaml:"owners,omitempty" doc:"Also tell the people whose jobs wait on a server that does not answer."`
	Until  string    `json:"until,omitempty" yaml:"until,omitempty" doc:"The last day (UTC) on which anybody is told, such as 2026-12-31, or a time with its offset."`
	Note   string    `json:"note,omitempty" yaml:"note,omitempty"`
}

// What a notice can be about.
const (
	AboutServers   = "servers"
	AboutDevices   = "devices"
	AboutEndpoints = "endpoints"
	AboutSets      = "sets"
	AboutDirectory = "directory"
	AboutKeys      = "keys"
	AboutDrafts    = "drafts"
)

// Abouts are all that a notice can be about.
func Abouts() []string {
	return []string{AboutServers, AboutDevices, AboutEndpoints, AboutSets, AboutDirectory, AboutKeys, AboutDrafts}
}

// NoticeAfter is for how long a fault lasts before it is told, where a notice does not say.
const NoticeAfter = 5 * time.Minute

// A Recipient is one parsed entry of a notice's tell; exactly one field is set.
type Recipient struct{ Mail, User, Group, Post string }

// ParseRecipient reads an entry of a notice's tell; what is empty where it is good.
func ParseRecipient(s string) (t Recipient, what, fix string) {
	kind, value, _ := strings.Cut(s, ":")
	switch kind {
	case "mail":
		a, err := mail.ParseAddress(value)
		if err != nil || a.Address != value {
			return t, "it is no mail address", "write mail:NAME@DOMAIN"
		}
		t.Mail = value
	case "user", "group":
		if e, err := ParseEntry(s); err != nil || e.Name == "" {
			return t, "it names nobody", "write " + kind + ":NAME"
		}
		if kind == "user" {
			t.User = value
		} else {
			t.Group = value
		}
	case "post":
		u, err := url.Parse(value)
		switch {
		case err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http":
			return t, "it is no address that a notice can be posted to", "write post:https://HOST/PATH"
		case u.User != nil:
			return t, "it carries a sign-in", "leave the sign-in out, and store a key for the host: cirque credential add"
		}
		t.Post = value
	default:
		return t, "nobody can be told so", "write mail:ADDRESS, user:NAME, group:NAME or post:URL"
	}
	return t, "", ""
}

func (p *parser) notice(o document.Object) {
	n := Notice{Name: p.name(o, "notice"), Title: o.Text("title"), Owners: o.Bool("owners"), Note: o.Text("note")}
	about := o.Texts("about")
	for i, t := range about {
		if !slices.Contains(Abouts(), t.Value) {
			fix := "write some of " + strings.Join(Abouts(), ", ")
			if k := document.Nearest(t.Value, Abouts()); k != "" {
				fix = "did you mean " + k + "?"
			}
			t.Complain(fix, "a notice cannot be about %q", t.Value)
		} else if slices.Contains(document.Values(about[:i]), t.Value) {
			t.Complain("leave one of the two out", "%q is there twice", t.Value)
		}
	}
	n.About = document.Values(about)
	n.At = p.entries(o, "at", []Kind{At}, "notice "+n.Name)
	spanOf(o, "after", time.Minute, aDay, former{unit: time.Minute}, &n.After)
	percentOf(o, "part", &n.Part)
	if f, wrote := o.Get("part"); wrote && len(n.About) > 0 && !slices.Contains(n.About, AboutEndpoints) {
		f.Complain("add endpoints to about, or leave part out", "part counts endpoints, and the notice is not about them")
	}
	spanOf(o, "again", time.Hour, 7*aDay, former{unit: time.Hour}, &n.Again)
	tell := o.Texts("tell")
	for _, t := range tell {
		if _, what, fix := ParseRecipient(t.Value); what != "" {
			t.Complain(fix, "%q: %s", t.Value, what)
		}
	}
	n.Tell = document.Values(tell)
	n.Until = until(o)
	if len(n.Tell) == 0 && !n.Owners {
		o.Complain("add tell, such as tell: [\"mail:desk@skerry.example\"]", "the notice tells nobody")
	}
	p.doc.Notices = append(p.doc.Notices, n)
}
