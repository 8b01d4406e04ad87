package decommission

import (
	"context"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/stock"
	"cirque/internal/testkit/rooms"
)

// ended is a server that remembers jobs.
type ended []stock.Job

func (e ended) ReadJobs(context.Context, string, *stock.Key, bool, int) ([]stock.Job, error) {
	return e, nil
}

// TestReadUse: each ended job is counted once, however often the server's list is read.
func TestReadUse(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, twoServers, directory.Records{})
	w.StockKept = []stock.Kept{{Kind: stock.KindServer, Name: "ps-1", Check: stock.Check{OK: true},
		Server: &stock.Server{Queues: []stock.Queue{{Name: "hall", URI: "ipp://ps-1.example/printers/hall"}}}}}
	w.Refresh(t)
	at := func(h int) *time.Time {
		x := time.Date(2026, 11, 30, h, 0, 0, 0, time.UTC)
		return &x
	}
	k := &kept{}
	jobs := ended{{Owner: "mira", From: "desk-1", At: at(9)}, {Owner: "mira", From: "desk-1", At: at(11)},
		{Owner: "ida", At: at(10)}, {Owner: "when"}}
	s := New(Config{Uses: k, Present: w.Present, Prober: jobs, Keys: &others{}, Now: time.Now})
	for range 2 {
		if err := s.ReadUse(t.Context(), "ps-1"); err != nil {
			t.Fatal(err)
		}
	}
	if len(k.list) != 2 || k.list[0].Owner != "mira" || k.list[0].Jobs != 2 || !k.list[0].Last.Equal(*at(11)) ||
		!k.list[0].First.Equal(*at(9)) || k.list[1].Owner != "ida" || !k.known.Since.Equal(*at(9)) {
		t.Errorf("%+v %+v", k.list, k.known)
	}
	s.cfg.Prober = append(jobs, stock.Job{Owner: "ida", At: at(12)})
	if err := s.ReadUse(t.Context(), "ps-1"); err != nil || len(k.list) != 3 || k.list[2].Jobs != 1 {
		t.Errorf("%+v %v", k.list, err)
	}
}
