package sim

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"time"

	"cirque/core/words"
	"cirque/internal/ipp"
)

// operations are those that it speaks.
func operations(p *Printer) ipp.Attribute {
	list := []ipp.Op{ipp.PrintJob, ipp.ValidateJob, ipp.CancelJob, ipp.GetJobAttributes, ipp.GetJobs,
		ipp.GetPrinterAttributes, ipp.IdentifyPrinter}
	if !p.Old {
		list = append(list, ipp.CreateJob, ipp.SendDocument)
	}
	out := ipp.Attribute{Name: "operations-supported"}
	for _, o := range list {
		out.Values = append(out.Values, ipp.Int(ipp.Enum, int32(o)))
	}
	return out
}

func rasterTypes(colour bool) []string {
	if colour {
		return []string{"sgray_8", "srgb_8"}
	}
	return []string{"sgray_8"}
}

// announced is a job as a request announces it.
func announced(path string, req ipp.Message) Job {
	j := Job{Name: req.Text(ipp.OperationGroup, "job-name"), Owner: req.Text(ipp.OperationGroup, "requesting-user-name"),
		Format: req.Text(ipp.OperationGroup, "document-format"), Path: path, At: time.Now(), Asked: map[string]any{},
		State: ipp.JobStateOf("pending"), coming: true}
	for _, g := range req.Groups {
		if g.Tag == ipp.JobGroup {
			for _, a := range g.Attributes {
				j.Asked[a.Name] = a.Option()
				j.Raw = append(j.Raw, a)
			}
		}
	}
	return j
}

// add numbers a job.
func (p *Printer) add(j Job) int {
	p.mu.Lock()
	defer p.mu.Unlock()
	j.ID = len(p.jobs) + 1
	p.jobs = append(p.jobs, j)
	return j.ID
}

// change changes a job, and gives it as it is then.
func (p *Printer) change(id int, f func(*Job)) Job {
	p.mu.Lock()
	defer p.mu.Unlock()
	f(&p.jobs[id-1])
	return p.jobs[id-1]
}

// create takes a job whose document is to come.
func create(p *Printer, path string, req ipp.Message) ipp.Message {
	id := p.add(announced(path, req))
	return answer(p, req, "", p.change(id, func(*Job) {}))
}

func answer(p *Printer, req ipp.Message, says string, j Job) ipp.Message {
	m := req.Respond(ipp.OK, says)
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: p.jobAttributes(j)})
	return m
}

// send takes the document of a job.
func (p *Printer) send(path string, req ipp.Message, body io.Reader) ipp.Message {
	id := req.Number(ipp.OperationGroup, "job-id")
	jobs := p.all()
	if id < 1 || id > len(jobs) || jobs[id-1].Path != path || !jobs[id-1].coming {
		return req.Respond(ipp.NotFound, "no job awaits a document")
	}
	p.change(id, func(j *Job) { j.Format = req.Text(ipp.OperationGroup, "document-format") })
	return p.take(id, req, body)
}

// print takes a job with its document. One of which the document breaks off is forgotten.
func (p *Printer) print(path string, req ipp.Message, body io.Reader) ipp.Message {
	return p.take(p.add(announced(path, req)), req, body)
}

// take reads a document and prints it. A printer that jams stops in the middle of each.
func (p *Printer) take(id int, req ipp.Message, body io.Reader) ipp.Message {
	if b, ok := body.(*bufio.Reader); ok && p.Coming != nil {
		if _, err := b.Peek(1); err == nil {
			p.Coming()
		}
	}
	kept, err := io.ReadAll(io.LimitReader(body, keptBody))
	n := int64(len(kept))
	if err == nil {
		var more int64
		more, err = io.Copy(io.Discard, body)
		n += more
	}
	if err != nil {
		p.change(id, func(j *Job) { j.State, j.coming = ipp.JobStateOf("aborted"), false })
		return req.Respond(ipp.BadRequest, "the document broke off")
	}
	j := p.change(id, func(j *Job) {
		j.Body, j.Bytes, j.coming = kept, n, false
		if j.State == ipp.JobStateOf("pending") {
			j.State = ipp.JobStateOf("processing")
		}
	})
	pages := countPages(j)
	if c, ok := j.Asked["copies"].(float64); ok {
		pages *= int(c)
	}
	switch {
	case p.Habit == "jams":
		p.Break("media-jam")
		j = p.change(id, func(j *Job) { j.State, j.taken = ipp.JobStateOf("processing-stopped"), true })
		return answer(p, req, p.Name+" has taken the job", j)
	case p.Pace > 0:
		j = p.change(id, func(j *Job) { j.taken = true })
		go run(p, id, pages)
		return answer(p, req, "", j)
	}
	if p.Printing != nil {
		p.Printing()
	}
	p.mu.Lock()
	p.pages += pages
	p.mu.Unlock()
	j = p.change(id, func(j *Job) { j.Pages, j.State, j.taken = pages, ipp.JobCompleted, true })
	return answer(p, req, fmt.Sprintf("%s printed %s", p.Name, words.Count(pages, "page")), j)
}

// run prints page by page: those before come first, and it stands still while the printer does.
func run(p *Printer, id, pages int) {
	for {
		select {
		case <-p.over:
			return
		case <-time.After(p.Pace):
		}
		done := false
		p.mu.Lock()
		j := &p.jobs[id-1]
		busy := slices.ContainsFunc(p.jobs[:id-1], func(o Job) bool {
			return o.Path == j.Path && o.State == ipp.JobStateOf("processing")
		})
		switch {
		case j.State >= ipp.JobStateOf("canceled"):
			done = true
		case p.state != "":
			j.State = ipp.JobStateOf("processing-stopped")
		case busy:
		default:
			j.State = ipp.JobStateOf("processing")
			j.Pages++
			p.pages++
			if j.Pages >= pages {
				j.State, done = ipp.JobCompleted, true
			}
		}
		p.mu.Unlock()
		if done {
			return
		}
	}
}

// cancel ends a job that it has taken and not printed yet, and says whether there was one.
func (p *Printer) cancel(path string, id int) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	if id < 1 || id > len(p.jobs) || p.jobs[id-1].Path != path || p.jobs[id-1].State >= ipp.JobStateOf("canceled") {
		return false
	}
	p.jobs[id-1].State, p.jobs[id-1].coming = ipp.JobStateOf("canceled"), false
	return true
}
