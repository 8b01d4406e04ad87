package postgres_test

import (
	"testing"
	"time"

	"cirque/core/driver"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/testkit"
)

// TestPlaces: a place stays with what was seen there; one archive is fetched once at a time, the one that waits longest
// first; what is stopped while it waits is over; a place that goes stops what is fetched from it.
func TestPlaces(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	at := time.Now().UTC().Truncate(time.Microsecond)
	p := driver.Place{Name: "yard", URL: "https://drivers.example/", Author: "mira", At: at}
	l := driver.Look{Offers: []driver.Offer{{File: "a.zip", SHA256: "s1"}}, At: at, Tried: at}
	if err := s.Places.SavePlace(ctx, p, l, happening("x")); err != nil {
		t.Fatal(err)
	}
	other := p
	other.URL = "https://elsewhere.example/"
	for _, v := range []struct {
		of    driver.Place
		files int
	}{{other, 1}, {p, 2}} {
		now := driver.Look{Offers: []driver.Offer{{File: "a.zip"}, {File: "b.zip"}}, At: at, Tried: at}
		if err := s.Places.SaveLook(ctx, v.of, now, happening("x")); err != nil {
			t.Fatal(err)
		}
		if list, err := s.Places.Places(ctx); err != nil || len(list) != 1 || list[0].URL != p.URL ||
			list[0].Author != "mira" ||
			!list[0].At.Equal(at) ||
			len(list[0].Look.Offers) != v.files || !list[0].Look.At.Equal(at) {
			t.Errorf("%+v %v", list, err)
		}
	}
	add := func(file string) driver.Fetch {
		f, err := s.Places.AddFetch(ctx, driver.Fetch{Place: "yard", File: file, SHA256: "s-" + file, Author: "mira"},
			happening("x"))
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	a, b := add("a.zip"), add("b.zip")
	if _, err := s.Places.AddFetch(ctx, driver.Fetch{Place: "yard", File: "a.zip"}, happening("x")); !fault.Is(err,
		fault.Conflict) {
		t.Error("twice at a time:", err)
	}
	if _, err := s.Places.AddFetch(ctx, driver.Fetch{Place: "quay", File: "a.zip"}, happening("x")); !fault.Is(err,
		fault.Unknown) {
		t.Error("from nowhere:", err)
	}
	first, err := s.Places.BeginFetch(ctx)
	if err != nil || first.ID != a.ID || first.State != driver.FetchWaiting || first.SHA256 != "s-a.zip" {
		t.Fatalf("%+v %v", first, err)
	}
	a.State, a.Got = driver.FetchRunning, 9
	if stop, err := s.Places.SaveFetch(ctx, a); err != nil || stop {
		t.Error(stop, err)
	}
	if again, err := s.Places.BeginFetch(ctx); err != nil || again.ID != a.ID || again.Got != 9 {
		t.Errorf("what was left in the middle: %+v %v", again, err)
	}
	for _, id := range []int64{a.ID, b.ID} {
		if err := s.Places.StopFetch(ctx, "yard", id, happening("x")); err != nil {
			t.Error(err)
		}
	}
	if stop, err := s.Places.SaveFetch(ctx, a); err != nil || !stop {
		t.Error("one that runs is to stop:", stop, err)
	}
	a.State, a.Package = driver.FetchDone, &driver.Package{Digest: "d", Models: make([]driver.Model, 4)}
	if _, err := s.Places.SaveFetch(ctx, a); err != nil {
		t.Error(err)
	}
	if err := s.Places.StopFetch(ctx, "yard", b.ID, happening("x")); !fault.Is(err, fault.Unknown) {
		t.Error("one that was stopped already:", err)
	}
	list, err := s.Places.Fetches(ctx, "yard", 10)
	if err != nil || len(list) != 2 || list[0].ID != b.ID || list[0].State != driver.FetchStopped ||
		list[0].Ended == nil ||
		list[1].State != driver.FetchDone || list[1].Ended == nil {
		t.Errorf("%+v %v", list, err)
	}
	if one, err := s.Places.FetchOf(ctx, "yard", a.ID); err != nil || one.Package == nil ||
		len(one.Package.Models) != 4 ||
		list[1].Package != nil {
		t.Errorf("%+v %v", one, err)
	}
	if _, err := s.Places.FetchOf(ctx, "quay", a.ID); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	if into, err := s.Places.LookedInto(ctx); err != nil || len(into) != 1 ||
		into["s-a.zip"] != (driver.Inside{Digest: "d",
			Names: 4}) {
		t.Errorf("%+v %v", into, err)
	}
	if next, err := s.Places.BeginFetch(ctx); err != nil || next != nil {
		t.Errorf("%+v %v", next, err)
	}
	if _, err := s.Persons.ErasePerson(ctx, []string{"mira"}, nil, "test", "gone"); err != nil {
		t.Fatal(err)
	}
	if list, err := s.Places.Fetches(ctx, "yard", 1); err != nil || list[0].Author == "mira" {
		t.Errorf("%+v %v", list, err)
	}
	c := add("c.zip")
	if err := s.Places.RemovePlace(ctx, "yard", event.Event{Kind: event.PlaceGone}); err != nil {
		t.Fatal(err)
	}
	if stop, err := s.Places.SaveFetch(ctx, c); err != nil || !stop {
		t.Error("from a place that is gone:", stop, err)
	}
	if err := s.Places.RemovePlace(ctx, "yard", event.Event{Kind: event.PlaceGone}); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}

// TestArchives: the same files out of another archive are the same package, which remembers both.
func TestArchives(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	for i, sum := range []string{"s1", "s2", "s1"} {
		p := driver.Index([]driver.File{{Path: "a.inf", Data: []byte("[Version]\n")}})
		p.Name = "a"
		p.CameIn(driver.Archive{SHA256: sum, Place: "yard", File: "a.zip"})
		if known, err := s.Packages.AddPackage(ctx, p, []driver.File{{Path: "a.inf", Data: []byte("[Version]\n")}},
			happening("x")); err != nil || known != (i > 0) {
			t.Fatal(known, err)
		}
	}
	list, err := s.Packages.Packages(ctx)
	if err != nil || len(list) != 1 || len(list[0].Archives) != 2 || list[0].Archives[1].SHA256 != "s1" {
		t.Errorf("%+v %v", list, err)
	}
}
