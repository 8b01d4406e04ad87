package stock

import (
	"cmp"
	"slices"
	"time"

	"cirque/core/driver"
	"cirque/core/estate"
)

// A ServerMatrix is which queue of the estate is on which print server, and with which driver on which platform its
// people print, with the holes.
type ServerMatrix struct {
	Servers   []ServerColumn `json:"servers"`
	Platforms []string       `json:"platforms" doc:"That machines have."`
	Rows      []MatrixRow    `json:"rows" doc:"One for each queue that leads through a server; those with holes first."`
	Holes     int            `json:"holes" doc:"How many of all rows have one."`
}

// A ServerColumn is one server of the matrix.
type ServerColumn struct {
	Name   string     `json:"name"`
	Kept   bool       `json:"kept" doc:"Cirque makes and holds its queues."`
	Read   *time.Time `json:"read" doc:"When it was read; null where it never was."`
	Unread int        `json:"unread" doc:"Queues, of all rows, of which it is not known whether they are there."`
}

// A MatrixRow is one queue in it.
type MatrixRow struct {
	Queue     string        `json:"queue"`
	Servers   []MatrixCell  `json:"servers" doc:"In the order of the columns."`
	Platforms []driver.Cell `json:"platforms" doc:"In the order of the platforms."`
	Hole      bool          `json:"hole" doc:"It is missing on a server, or has no driver on a platform whose machines receive it."`
}

// A MatrixCell is a queue on a server.
type MatrixCell struct {
	State string `json:"state" enum:"there,missing,unread,not-wanted"`
	Name  string `json:"name,omitempty" doc:"There, where it is another."`
	Model string `json:"model,omitempty" doc:"The driver, as the server names it."`
}

// NewServerMatrix sets the queues of an estate against its servers, by what was read of them, and against platforms:
// rows of driver.Matrix.
func NewServerMatrix(doc *estate.Document, read func(server string) *Server, rows []driver.Row) ServerMatrix {
	out := ServerMatrix{Servers: []ServerColumn{}, Platforms: []string{}, Rows: []MatrixRow{}}
	through := map[string]map[string]string{} // by server and queue, the name there
	has := map[string]map[string]*Queue{}     // by server that was read, and name there
	for _, s := range doc.Servers {
		c := ServerColumn{Name: s.Name, Kept: s.Kept}
		if r := read(s.Name); r != nil {
			at := r.At
			c.Read = &at
			has[s.Name] = r.ByName()
		}
		out.Servers = append(out.Servers, c)
		through[s.Name] = map[string]string{}
		for remote, queues := range Through(doc, s.Name) {
			for _, q := range queues {
				through[s.Name][q] = remote
			}
		}
	}
	if len(rows) > 0 {
		for _, c := range rows[0].Cells {
			out.Platforms = append(out.Platforms, c.Platform)
		}
	}
	for _, row := range rows {
		r := MatrixRow{Queue: row.Queue, Servers: []MatrixCell{}, Platforms: row.Cells}
		somewhere := false
		for i, s := range doc.Servers {
			remote, wanted := through[s.Name][row.Queue]
			c := MatrixCell{State: "not-wanted"}
			if wanted {
				somewhere = true
				if remote != row.Queue {
					c.Name = remote
				}
				c.State = "unread"
				if queues := has[s.Name]; queues != nil {
					c.State = "missing"
					if q := queues[remote]; q != nil {
						c.State, c.Model = "there", q.Model
					}
				} else {
					out.Servers[i].Unread++
				}
			}
			r.Hole = r.Hole || c.State == "missing"
			r.Servers = append(r.Servers, c)
		}
		for _, c := range row.Cells {
			r.Hole = r.Hole || (c.State == "none" || c.State == "near" || c.State == "absent") && c.Receive > 0
		}
		if !somewhere {
			continue
		}
		if r.Hole {
			out.Holes++
		}
		out.Rows = append(out.Rows, r)
	}
	slices.SortStableFunc(out.Rows, func(a, b MatrixRow) int {
		if a.Hole != b.Hole {
			return map[bool]int{true: -1, false: 1}[a.Hole]
		}
		return cmp.Compare(a.Queue, b.Queue)
	})
	return out
}
