package estate

import (
	"cmp"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/span"
)

// What a kept server does with queues that Cirque did not make.
const (
	LeaveOthers  = "leave"
	ReportOthers = "report"
)

// ServerPlatform is a kept server's platform where the estate says none.
const ServerPlatform = "linux/x64"

// KeptBy names the machine whose agent keeps a server.
func (s *Server) KeptBy() string { return cmp.Or(s.Machine, s.Name) }

// RunsOn is the platform for which a server's drivers are.
func (s *Server) RunsOn() string { return cmp.Or(s.Platform, ServerPlatform) }

// Units are what is fitted to a queue's printer.
type Units struct {
	Trays      []string `json:"trays,omitempty" yaml:"trays,flow,omitempty" doc:"By name, such as tray-1."`
	TwoSided   *bool    `json:"two-sided,omitempty" yaml:"two-sided,omitempty" doc:"It turns the paper over by itself."`
	Finishings []string `json:"finishings,omitempty" yaml:"finishings,flow,omitempty" doc:"By their IPP names, such as staple."`
}

// Some says whether anything is said.
func (u *Units) Some() bool {
	return u != nil && (len(u.Trays) > 0 || u.TwoSided != nil || len(u.Finishings) > 0)
}

// InWords says what is fitted; "" where nothing is said.
func (u *Units) InWords() string {
	if !u.Some() {
		return ""
	}
	var out []string
	if len(u.Trays) > 0 {
		out = append(out, "trays "+strings.Join(u.Trays, ", "))
	}
	if u.TwoSided != nil {
		out = append(out, map[bool]string{true: "two-sided", false: "one-sided"}[*u.TwoSided])
	}
	if len(u.Finishings) > 0 {
		out = append(out, "finishings "+strings.Join(u.Finishings, ", "))
	}
	return strings.Join(out, "; ")
}

// Where a job is made into what the printer understands.
const (
	RenderServer = "server"
	RenderClient = "client"
)

// What a server does with paper that does not fit, and in which order it prints.
const (
	HoldMismatch  = "hold"
	PrintMismatch = "print"
	FirstCome     = "first-come"
	Shortest      = "shortest"
)

// OnServers is how kept servers run a queue.
type OnServers struct {
	Comment       string    `json:"comment,omitempty" yaml:"comment,omitempty" doc:"What people see beside it; the title when absent."`
	Render        string    `json:"render,omitempty" yaml:"render,omitempty" enum:"server,client" doc:"server (when absent), or client: what is taken is passed on as it is."`
	Finished      span.Span `json:"finished,omitempty" yaml:"finished,omitempty" doc:"For how long completed jobs are kept for another copy, up to 30d; not at all when absent."`
	Mismatch      string    `json:"mismatch,omitempty" yaml:"mismatch,omitempty" enum:"hold,print" doc:"Where the paper does not fit; hold when absent."`
	Order         string    `json:"order,omitempty" yaml:"order,omitempty" enum:"first-come,shortest" doc:"In which order waiting jobs are printed; first-come when absent."`
	ColourProfile string    `json:"colour_profile,omitempty" yaml:"colour_profile,omitempty" doc:"A profile out of a driver package, by its file's name without its ending."`
}

// mostFinished is the longest time for which completed jobs are kept.
const mostFinished = 30 * aDay

func (p *parser) units(o document.Object, from string) *Units {
	n, ok := o.Get("units")
	if !ok {
		return nil
	}
	c, ok := n.Object([]string{"trays", "two-sided", "finishings"})
	if !ok {
		return nil
	}
	u := &Units{Trays: p.names(c, "trays", "", from), Finishings: p.names(c, "finishings", "", from)}
	for _, key := range []string{"trays", "finishings"} {
		var met []string
		for _, t := range c.Texts(key) {
			if slices.Contains(met, t.Value) {
				t.Complain("leave one of the two out", "%q stands twice under %s", t.Value, key)
			}
			met = append(met, t.Value)
		}
	}
	if b, ok := c.Get("two-sided"); ok {
		if v, ok := b.Bool(); ok {
			u.TwoSided = &v
		}
	}
	return u
}

func (p *parser) onServers(o document.Object) *OnServers {
	n, ok := o.Get("on_servers")
	if !ok {
		return nil
	}
	c, ok := n.Object([]string{"comment", "render", "finished", "mismatch", "order", "colour_profile"})
	if !ok {
		return nil
	}
	out := &OnServers{Comment: c.Text("comment"), Render: p.oneOf(c, "render", RenderServer, RenderClient),
		Mismatch: p.oneOf(c, "mismatch", HoldMismatch, PrintMismatch), Order: p.oneOf(c, "order", FirstCome, Shortest)}
	spanOf(c, "finished", 0, mostFinished, former{}, &out.Finished)
	if f, ok := c.Get("colour_profile"); ok {
		if t, ok := f.Text(); ok {
			if out.ColourProfile = t; !ValidName(t) {
				f.Complain(nameFix+"; the profile is the file of that name in a driver package, such as hall-toner.icc",
					"%q is no name of a colour profile", t)
			}
		}
	}
	return out
}
