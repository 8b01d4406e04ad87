package sim

import (
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"cirque/internal/ipp"
)

// queueAt finds what lies at a path: the device itself, or a server's queue.
func (p *Printer) queueAt(path string) (Queue, bool) {
	name := path[strings.LastIndexByte(path, '/')+1:]
	if !p.Server {
		return Queue{}, path == "/ipp/print"
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if len(p.queues) == 0 && len(p.Queues) == 0 && p.Follow == nil {
		return Queue{Name: name, Can: []string{"two-sided", "a3", "colour"}}, name != "system"
	}
	for _, q := range p.queues {
		if q.Name == name {
			return q, true
		}
	}
	return Queue{}, false
}

// Change alters a server's queues, as an administrator of it would.
func (p *Printer) Change(f func(queues []Queue) []Queue) {
	p.mu.Lock()
	defer p.mu.Unlock()
	before := slices.Clone(p.queues)
	p.queues = f(p.queues)
	p.changed++
	for i := range p.queues {
		same := func(o Queue) bool {
			q := p.queues[i]
			return o.Name == q.Name && o.Title == q.Title && o.Model == q.Model && o.Device == q.Device &&
				fmt.Sprint(o.Defaults) == fmt.Sprint(q.Defaults)
		}
		if j := slices.IndexFunc(before, same); j < 0 {
			p.queues[i].changed = p.changed
		} else {
			p.queues[i].changed = before[j].changed
		}
	}
}

// list answers Get-Printers and the spooler's own operation, with limits as both have them.
func (p *Printer) list(req ipp.Message) ipp.Message {
	p.mu.Lock()
	queues := slices.Clone(p.queues)
	p.mu.Unlock()
	from := max(0, req.Number(ipp.OperationGroup, "first-index")-1)
	if name := req.Text(ipp.OperationGroup, "first-printer-name"); name != "" {
		from = max(0, slices.IndexFunc(queues, func(q Queue) bool { return q.Name == name }))
	}
	to := len(queues)
	if n := req.Number(ipp.OperationGroup, "limit"); n > 0 {
		to = min(to, from+n)
	}
	m := req.Respond(ipp.OK, "")
	for i := from; i < to; i++ {
		m.Groups = append(m.Groups, ipp.Group{Tag: ipp.PrinterGroup, Attributes: ipp.Requested(req, p.attributes("/printers/"+
			url.PathEscape(queues[i].Name), queues[i]))})
	}
	return m
}

func (p *Printer) attributes(path string, q Queue) []ipp.Attribute {
	p.mu.Lock()
	broken, pages := cmp.Or(p.state, q.Stopped), p.pages
	p.mu.Unlock()
	state, reason := ipp.PrinterIdle, "none"
	if broken != "" {
		state, reason = ipp.PrinterStopped, broken
	}
	name, model, where, title := p.Name, p.Model, p.Location, p.Name
	if p.Server {
		name, where, title = q.Name, q.Location, cmp.Or(q.Title, q.Name)
		model = cmp.Or(q.Model, p.Model)
	}
	up := int32(time.Since(p.begun)/time.Second) + 1
	all := []ipp.Attribute{
		ipp.Strs(ipp.URI, "printer-uri-supported", "ipp://"+p.Addr()+path), ipp.Strs(ipp.Keyword,
			"uri-authentication-supported", "none"), ipp.Strs(ipp.Keyword, "uri-security-supported", "none"),
		ipp.Strs(ipp.Name, "printer-name", name), ipp.Strs(ipp.Text, "printer-info", title), ipp.Strs(ipp.Text,
			"printer-location", where), ipp.Strs(ipp.Text, "printer-make-and-model", model),
		ipp.Attr("printer-state", ipp.Int(ipp.Enum, int32(state))), ipp.Strs(ipp.Keyword, "printer-state-reasons", reason),
		ipp.Attr("printer-is-accepting-jobs", ipp.Bool(broken == "" || p.Habit == "jams")),
		ipp.Attr("queued-job-count", ipp.Int(ipp.Integer, int32(len(p.waiting("/printers/"+q.Name))))),
		ipp.Attr("printer-up-time", ipp.Int(ipp.Integer, up)),
		ipp.Attr("printer-impressions-completed", ipp.Int(ipp.Integer, int32(pages))),
		ipp.Strs(ipp.Keyword, "ipp-versions-supported", "1.1", "2.0"),
		operations(p),
		ipp.Strs(ipp.Charset, "charset-configured", "utf-8"), ipp.Strs(ipp.Charset, "charset-supported", "utf-8"),
		ipp.Strs(ipp.Language, "natural-language-configured", "en"), ipp.Strs(ipp.Language,
			"generated-natural-language-supported", "en"),
		ipp.Strs(ipp.MIMEType, "document-format-default", "application/octet-stream"), ipp.Strs(ipp.MIMEType,
			"document-format-supported", p.formats(q)...),
		ipp.Strs(ipp.Keyword, "sides-supported", p.sides(q)...), ipp.Strs(ipp.Keyword, "media-supported", p.media(q)...),
		ipp.Strs(ipp.Keyword, "print-color-mode-supported", p.colours(q)...),
		ipp.Strs(ipp.Keyword, "media-source-supported", p.sources(q)...),
		ipp.Attr("printer-resolution-supported", ipp.Dots(300), ipp.Dots(600)),
		ipp.Attr("copies-supported", ipp.Span(1, 99)), ipp.Attr("page-ranges-supported", ipp.Bool(true)),
		ipp.Ints(ipp.Enum, "finishings-supported", 3), ipp.Ints(ipp.Enum, "orientation-requested-supported", 3, 4, 5, 6),
		ipp.Strs(ipp.Keyword, "output-bin-supported", "face-down"), ipp.Strs(ipp.Keyword, "media-type-supported",
			"stationery"), ipp.Strs(ipp.Keyword, "print-content-optimize-supported", "auto"),
		ipp.Strs(ipp.Keyword, "media-col-supported", "media-size"),
		ipp.Attr("pwg-raster-document-resolution-supported", ipp.Dots(300)), ipp.Strs(ipp.Keyword,
			"pwg-raster-document-type-supported", rasterTypes(p.can(q, "colour"))...),
		ipp.Strs(ipp.Keyword, "pwg-raster-document-sheet-back", "normal"),
		{Name: "print-quality-supported", Values: []ipp.Value{ipp.Int(ipp.Enum, 3), ipp.Int(ipp.Enum, 4),
			ipp.Int(ipp.Enum, 5)}},
		ipp.Attr("color-supported", ipp.Bool(p.can(q, "colour"))),
		ipp.Strs(ipp.Keyword, "pdl-override-supported", "not-attempted"), ipp.Strs(ipp.Keyword,
			"compression-supported", "none"),
	}
	defaults := map[string]string{"sides": "one-sided", "media": p.media(q)[0], "print-color-mode": p.colours(q)[0]}
	for k, v := range q.Defaults {
		defaults[k] = v
	}
	for _, k := range []string{"sides", "media", "print-color-mode", "media-source"} {
		if v := defaults[k]; v != "" {
			all = append(all, ipp.Strs(ipp.Keyword, k+"-default", v))
		}
	}
	if p.Server {
		all = append(all, ipp.Attr("printer-is-shared", ipp.Bool(!q.Unshared)), ipp.Attr("printer-config-change-time",
			ipp.Int(ipp.Integer, int32(q.changed+1))))
		if q.Device != "" {
			all = append(all, ipp.Strs(ipp.URI, "device-uri", q.Device))
		}
		return all
	}
	all = append(all, ipp.Strs(ipp.Text, "printer-device-id", "MFG:"+cmp.Or(p.Maker, "Skerrymark")+";MDL:"+p.Model+";SN:"+
		p.Serial+";"))
	if p.UUID != "" {
		all = append(all, ipp.Strs(ipp.URI, "printer-uuid", "urn:uuid:"+p.UUID))
	}
	if p.Firmware != "" {
		all = append(all, ipp.Strs(ipp.Text, "printer-firmware-string-version", p.Firmware))
	}
	return all
}

// remembered makes up a job of the past days: who, from where, on which queue.
func (p *Printer) remembered(i int) Job {
	people := []string{"mira.solvang", "jonas.berg", "ragna.holm", "kaja.ravn", "odd.nilsen"}
	path := "/ipp/print"
	if n := len(p.queues); n > 0 {
		path = "/printers/" + p.queues[(i*7)%n].Name
	}
	return Job{ID: i + 1, Name: fmt.Sprintf("Manifest %d", 400+i), Owner: people[i%len(people)],
		From: fmt.Sprintf("desk-%d", 112+i%3), Format: "application/pdf", Path: path, Pages: 1 + i%4, State: ipp.JobCompleted,
		Bytes: int64(30_000 + 7_000*i), At: time.Now().Add(-time.Duration(p.Remembers-i) * 5 * time.Hour)}
}

// madeUp makes up the jobs that wait on a queue, numbered from first on.
func madeUp(path string, q Queue, first int) []Job {
	people := []string{"ragna.holm", "jonas.berg", "mira.solvang", "kaja.ravn", "odd.nilsen"}
	var out []Job
	for i := range q.Waiting {
		j := Job{ID: first + i, Name: fmt.Sprintf("Manifest %d", first+i-8300), Owner: people[(i+len(q.Name))%len(people)],
			From: fmt.Sprintf("desk-%d", 112+i%3), Format: "application/pdf", Path: path, State: ipp.JobStateOf("pending"),
			Bytes: int64(40_000 + 9_000*i), At: time.Now().Add(-time.Duration(q.Waiting-i) * 20 * time.Minute)}
		if q.Stopped != "" && i == 0 {
			j.State = ipp.JobStateOf("processing-stopped")
		}
		out = append(out, j)
	}
	return out
}

func (p *Printer) jobAttributes(j Job) []ipp.Attribute {
	reason := map[int]string{ipp.JobCompleted: "job-completed-successfully", ipp.JobStateOf("pending"): "none",
		ipp.JobStateOf("canceled"): "job-canceled-by-user", ipp.JobStateOf("aborted"): "aborted-by-system",
		ipp.JobStateOf("processing"): "job-printing"}[j.State]
	switch {
	case j.coming:
		reason = "job-incoming"
	case j.State == ipp.JobStateOf("pending-held"):
		reason = "job-hold-until-specified"
	case reason == "":
		reason = "printer-stopped"
	}
	return []ipp.Attribute{
		ipp.Attr("job-uri", ipp.Str(ipp.URI, fmt.Sprintf("ipp://%s%s/%d", p.Addr(), j.Path, j.ID))), ipp.Attr("job-id",
			ipp.Int(ipp.Integer, int32(j.ID))),
		ipp.Attr("job-state", ipp.Int(ipp.Enum, int32(j.State))), ipp.Strs(ipp.Keyword, "job-state-reasons", reason),
		ipp.Strs(ipp.Name, "job-name", j.Name), ipp.Strs(ipp.Name, "job-originating-user-name", j.Owner), ipp.Strs(ipp.Name,
			"job-originating-host-name", j.From),
		ipp.Attr("job-k-octets", ipp.Int(ipp.Integer, int32((j.Bytes+1023)/1024))), ipp.Attr("job-impressions-completed",
			ipp.Int(ipp.Integer, int32(j.Pages))),
		ipp.Attr("time-at-creation", ipp.Int(ipp.Integer, int32(j.At.Unix()))), ipp.Attr("time-at-completed",
			ipp.Int(ipp.Integer, int32(j.At.Unix()))),
	}
}

func (p *Printer) listJobs(path string, req ipp.Message) ipp.Message {
	ended := req.Text(ipp.OperationGroup, "which-jobs") == "completed"
	limit := cmp.Or(req.Number(ipp.OperationGroup, "limit"), 1000)
	m := req.Respond(ipp.OK, "")
	jobs := p.all()
	if !ended {
		jobs = append(p.waiting(path), jobs...)
	}
	for i := len(jobs) - 1; i >= 0 && limit > 0; i-- {
		if jobs[i].Path == path && !jobs[i].Gone && (jobs[i].State >= 7) == ended {
			limit--
			m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: ipp.Requested(req, p.jobAttributes(jobs[i]))})
		}
	}
	return m
}

func (p *Printer) oneJob(path string, req ipp.Message) ipp.Message {
	for _, j := range p.all() {
		if j.Path == path && !j.Gone && j.ID == req.Number(ipp.OperationGroup, "job-id") {
			m := req.Respond(ipp.OK, "")
			m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: ipp.Requested(req, p.jobAttributes(j))})
			return m
		}
	}
	return req.Respond(ipp.NotFound, "no such job")
}
