package postgres_test

import (
	"bytes"
	"net/netip"
	"slices"
	"testing"
	"time"

	"cirque/core/driver"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/testkit"
)

func happening(subject string) event.Event {
	return event.Event{Kind: event.Registered, Subject: subject, Author: "mira", Says: "it happened"}
}

func TestStockReadings(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	w := stock.Watch{Kind: stock.KindServer, Name: "ps-1", URI: "ipp://ps-1.example/", Author: "mira", Note: "first"}
	for _, note := range []string{"first", "second"} {
		w.Note = note
		if err := s.Stock.SaveWatch(ctx, w, happening("ps-1")); err != nil {
			t.Fatal(err)
		}
	}
	if list, err := s.Stock.Watches(ctx); err != nil || len(list) != 1 || list[0].Note != "second" || list[0].At.IsZero() {
		t.Fatal(list, err)
	}
	at := time.Now().UTC().Truncate(time.Millisecond)
	k := stock.Kept{Kind: stock.KindServer, Name: "ps-1", Check: stock.Check{At: at, OK: true},
		Server: &stock.Server{At: at, Queues: []stock.Queue{{Name: "a", Defaults: map[string]any{"print-quality": 5.0}}}}}
	if err := s.Stock.SaveReading(ctx, k, false, []event.Event{happening("ps-1")}); err != nil {
		t.Fatal(err)
	}
	// A failure leaves the reading before; so does one that tells the same.
	failed := stock.Kept{Kind: stock.KindServer, Name: "ps-1", Check: stock.Check{At: at, Code: "refused"}}
	if err := s.Stock.SaveReading(ctx, failed, false, nil); err != nil {
		t.Fatal(err)
	}
	k.Server = &stock.Server{At: at.Add(time.Hour)}
	k.Check.Says = "the same"
	if err := s.Stock.SaveReading(ctx, k, true, nil); err != nil {
		t.Fatal(err)
	}
	got, err := s.Stock.Readings(ctx, stock.KindServer, "ps-1")
	if err != nil || len(got) != 1 || got[0].Check.Says != "the same" || got[0].Server == nil ||
		len(got[0].Server.Queues) != 1 || got[0].Server.Queues[0].Defaults["print-quality"] != 5.0 {
		t.Fatalf("%+v %v", got, err)
	}
	d := stock.Kept{Kind: stock.KindDevice, Name: "d", Identity: stock.Identity{Serial: "S"},
		Device: &stock.Device{Model: "M"}}
	if err := s.Stock.SaveReading(ctx, d, false, nil); err != nil {
		t.Fatal(err)
	}
	if got, err := s.Stock.Readings(ctx, "", ""); err != nil || len(got) != 2 {
		t.Error(got, err)
	}
	if got, err := s.Stock.Readings(ctx, stock.KindDevice, "d"); err != nil || got[0].Identity.Serial != "S" ||
		got[0].Device.Model != "M" || got[0].Server != nil {
		t.Error(got, err)
	}
	if err := s.Stock.RemoveWatch(ctx, stock.KindServer, "ps-1", happening("ps-1")); err != nil {
		t.Fatal(err)
	}
	if err := s.Stock.RemoveWatch(ctx, stock.KindServer, "ps-1", happening("ps-1")); !fault.Is(err, fault.Unknown) {
		t.Error("gone twice:", err)
	}
}

func TestStockFindings(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	u := stock.Unlisted{Address: "10.1.0.9", URI: "ipp://10.1.0.9/", Reading: stock.Device{Model: "old"}}
	for _, model := range []string{"old", "new"} {
		u.Reading.Model = model
		if err := s.Scans.SaveFound(ctx, []stock.Unlisted{u, {Address: "10.1.0.10", URI: "ipp://10.1.0.10/"}}); err != nil {
			t.Fatal(err)
		}
	}
	if list, err := s.Scans.Found(ctx); err != nil || len(list) != 2 || list[0].Reading.Model != "new" {
		t.Fatal(list, err)
	}
	if err := s.Scans.Forget(ctx, []string{"10.1.0.9", "10.9.9.9"}, "olav"); err != nil {
		t.Fatal(err)
	}
	if list, err := s.Scans.Found(ctx); err != nil || len(list) != 1 {
		t.Error(list, err)
	}
	c, err := s.Scans.AddScan(ctx, stock.Scan{Author: "mira", Ranges: []string{"10.1.0.0/30"}, Rate: 5, Total: 2,
		State: "running"}, happening("scan"))
	if err != nil || c.ID == 0 {
		t.Fatal(c, err)
	}
	c.Done = 1
	if stop, err := s.Scans.SaveScan(ctx, c); stop || err != nil {
		t.Error(stop, err)
	}
	if err := s.Scans.StopScan(ctx, c.ID, "olav"); err != nil {
		t.Fatal(err)
	}
	if stop, err := s.Scans.SaveScan(ctx, c); !stop || err != nil {
		t.Error("whoever scans does not hear of the stop:", stop, err)
	}
	if err := s.Scans.StopScan(ctx, 99, "olav"); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	list := []stock.Reservation{{MAC: "02:00:5e:10:00:01", Address: netip.MustParseAddr("10.1.0.11"), Name: "x"},
		{MAC: "02:00:5e:10:00:02", Address: netip.MustParseAddr("fd00::1")}}
	for range 2 {
		if err := s.Stock.SetReservations(ctx, list, happening("r")); err != nil {
			t.Fatal(err)
		}
	}
	if got, err := s.Stock.Reservations(ctx); err != nil || len(got) != 2 || got[0] != list[0] {
		t.Error(got, err)
	}
	for _, name := range []string{"a", "b"} {
		if err := s.Stock.SaveCapture(ctx, stock.Capture{Machine: "desk-1", Platform: "linux/x64", Author: "agent",
			Queues: []stock.Queue{{Name: name}}}, happening("desk-1")); err != nil {
			t.Fatal(err)
		}
	}
	if got, err := s.Stock.Captures(ctx); err != nil || len(got) != 1 || got[0].Queues[0].Name != "b" {
		t.Error(got, err)
	}
}

// TestCredentialsSealed: what is kept is what was sealed, and its state changes with its use.
func TestCredentialsSealed(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	c := stock.Credential{Name: "k", Kind: stock.SNMP, For: []string{"10.1.0.0/16"}, Author: "mira", State: "unproven"}
	for _, sealed := range []string{"one", "two"} {
		if err := s.Credentials.SaveCredential(ctx, c, []byte(sealed), happening("k")); err != nil {
			t.Fatal(err)
		}
	}
	list, sealed, err := s.Credentials.Credentials(ctx)
	if err != nil || len(list) != 1 || string(sealed["k"]) != "two" || !slices.Equal(list[0].For, c.For) {
		t.Fatal(list, sealed, err)
	}
	before, err := eventsOf(t, s)
	if err != nil {
		t.Fatal(err)
	}
	for _, state := range []string{"refused", "refused", "works"} {
		if err := s.Credentials.NoteCredential(ctx, "k", state, "says "+state, event.Event{Kind: event.KeyRefused,
			Subject: "k",
			Author:  "x", Says: state}); err != nil {
			t.Fatal(err)
		}
	}
	after, err := eventsOf(t, s)
	if err != nil || len(after)-len(before) != 2 {
		t.Errorf("%d events for two changes of state (%v)", len(after)-len(before), err)
	}
	if list, _, _ = s.Credentials.Credentials(ctx); list[0].State != "works" || list[0].Checked == nil {
		t.Errorf("%+v", list[0])
	}
	if err := s.Credentials.RemoveCredential(ctx, "k", happening("k")); err != nil {
		t.Fatal(err)
	}
	if err := s.Credentials.RemoveCredential(ctx, "k", happening("k")); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}

// TestPackagesByContent: the same files are one package, packages share contents, and what nobody has any more goes.
func TestPackagesByContent(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	large := bytes.Repeat([]byte("0123456789abcdef"), 200_000) // several chunks
	one := []driver.File{{Path: "a.inf", Data: []byte("[Version]")}, {Path: "x.dll", Data: large},
		{Path: "empty", Data: nil}}
	two := append(slices.Clone(one[1:]), driver.File{Path: "b.inf", Data: []byte("[Version] 2")})
	add := func(name string, files []driver.File) (driver.Package, bool) {
		p := driver.Index(files)
		p.Name, p.Author, p.At = name, "mira", time.Now()
		known, err := s.Packages.AddPackage(ctx, p, files, happening(name))
		if err != nil {
			t.Fatal(err)
		}
		return p, known
	}
	p1, known := add("one", one)
	if known {
		t.Error("the first is known already")
	}
	if _, known := add("one again", one); !known {
		t.Error("the same files are another package")
	}
	p2, _ := add("two", two)
	if list, err := s.Packages.Packages(ctx); err != nil || len(list) != 2 || list[0].Name != "one" {
		t.Fatal(list, err)
	}
	whole := func(p driver.Package, path string) []byte {
		files, err := s.Packages.PackageFiles(ctx, p.Digest)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range files {
			if f.Path != path {
				continue
			}
			var out []byte
			for n := 0; ; n++ {
				b, err := s.Packages.FileChunk(ctx, f.SHA256, n)
				if err != nil {
					t.Fatal(err)
				}
				if b == nil {
					return out
				}
				out = append(out, b...)
			}
		}
		return nil
	}
	if !bytes.Equal(whole(p1, "x.dll"), large) {
		t.Error("the file comes back otherwise")
	}
	if err := s.Packages.RemovePackage(ctx, p1.Digest, happening("one")); err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(whole(p2, "x.dll"), large) {
		t.Error("a shared file went with the other package")
	}
	files := driver.Index(one).Files
	if b, err := s.Packages.FileChunk(ctx, files[slices.IndexFunc(files, func(e driver.Entry) bool {
		return e.Path == "a.inf"
	})].SHA256, 0); b != nil || err != nil {
		t.Error("what nobody has is kept:", err)
	}
	if err := s.Packages.RemovePackage(ctx, p1.Digest, happening("one")); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}
