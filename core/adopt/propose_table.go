package adopt

import (
	"fmt"
	"strings"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/stock"
)

var proposalColumns = []string{"kind", "from", "found", "name", "title", "location", "labels", "device",
	"already", "remarks"}

// ProposalTable writes proposals as a table, to be looked through and changed in a spreadsheet; ChosenFrom reads it
// back.
func ProposalTable(list []Proposal) string {
	rows := make([][]string, 0, len(list))
	for _, p := range list {
		device := strings.Join(p.Queue.Devices, " ")
		rows = append(rows, []string{p.Kind, p.From, p.Found, p.Queue.Name, p.Queue.Title, p.Queue.Location,
			strings.Join(p.Queue.Labels, " "), device, p.Already, strings.Join(p.Remarks, "; ")})
	}
	return document.WriteTable(proposalColumns, rows)
}

// ChosenFrom gives those proposals that a table still has, with the names, titles, locations and labels that it gives
// them.
func ChosenFrom(list []Proposal, name, text string) ([]Proposal, error) {
	rows, head, err := document.Table(name, text, []string{"from", "found"}, []string{"kind", "name", "title", "location",
		"labels", "device", "already", "remarks"}, document.MaxRows)
	if err != nil {
		return nil, err
	}
	var out []Proposal
	var bad []fault.Detail
	seen := map[[2]string]bool{}
	for i, row := range rows {
		key := [2]string{row[head["from"]], row[head["found"]]}
		at := -1
		for j, p := range list {
			if p.From == key[0] && p.Found == key[1] {
				at = j
			}
		}
		complain := func(fix, format string, args ...any) {
			bad = append(bad, fault.Detail{Place: fmt.Sprintf("%s:%d", name, i+2), What: fmt.Sprintf(format, args...), Fix: fix})
		}
		switch {
		case at < 0:
			complain("take the line out, or read the server again", "%s has no queue %q that was found", key[0], key[1])
			continue
		case seen[key]:
			complain("leave one of the two out", "%q of %s stands there twice", key[1], key[0])
			continue
		}
		seen[key] = true
		p := list[at]
		if called := document.Cell(row, head, "name"); called != "" && called != p.Queue.Name {
			if !estate.ValidName(called) {
				complain("write small letters, digits, dots and dashes, such as "+stock.Slug(called),
					"%q is no name for a queue", called)
				continue
			}
			p = p.Named(called)
		}
		if _, ok := head["title"]; ok {
			p.Queue.Title = document.Cell(row, head, "title")
		}
		if _, ok := head["location"]; ok {
			p.Queue.Location = document.Cell(row, head, "location")
			if p.Device != nil {
				d := *p.Device
				d.Location = p.Queue.Location
				p.Device = &d
			}
		}
		if _, ok := head["labels"]; ok {
			p.Queue.Labels = strings.Fields(document.Cell(row, head, "labels"))
		}
		out = append(out, p)
	}
	if len(bad) > 0 {
		return nil, fault.New(fault.Invalid, "table-invalid", bad[0].Fix, "%s: %s", bad[0].Place,
			bad[0].What).With(bad[:min(len(bad), 100)])
	}
	return out, nil
}

// Named gives a proposal another name for its queue; on its server the queue is called as it was.
func (p Proposal) Named(name string) Proposal {
	paths := append([]estate.Path(nil), p.Queue.Paths...)
	for i := range paths {
		if paths[i].Server != "" || paths[i].Set != "" {
			paths[i].RemoteName = ""
			if p.Found != name {
				paths[i].RemoteName = p.Found
			}
		}
	}
	p.Queue.Name, p.Queue.Paths = name, paths
	return p
}
