package drivers

import (
	"archive/zip"
	"bytes"
	"context"
	"slices"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/internal/service/present"
	"cirque/internal/testkit/rooms"
)

// shelf keeps packages, with their files by checksum.
type shelf struct {
	Store
	w      *rooms.World
	files  map[string][]byte
	of     map[string][]driver.Entry
	events []event.Event
	ends   []*fleet.Judgement
	recs   map[string]endpoint.Record
	counts int // how often everybody was counted
}

func (s *shelf) AddPackage(_ context.Context, p driver.Package, files []driver.File, e event.Event) (bool, error) {
	if s.of[p.Digest] != nil {
		return true, nil
	}
	s.of[p.Digest] = p.Files
	for _, f := range files {
		i := slices.IndexFunc(p.Files, func(e driver.Entry) bool { return e.Path == f.Path })
		s.files[p.Files[i].SHA256] = f.Data
	}
	p.Files = nil
	s.w.DriverPacks, s.events = append(s.w.DriverPacks, p), append(s.events, e)
	return false, nil
}

func (s *shelf) BuiltIn(context.Context) (map[string][]string, error) {
	return map[string][]string{"Skerrymark Mono 40 plain": {"quay"}}, nil
}

func (s *shelf) PackageFiles(_ context.Context, digest string) ([]driver.Entry, error) {
	return s.of[digest], nil
}

// FileChunk gives files in chunks of ten bytes.
func (s *shelf) FileChunk(_ context.Context, sum string, n int) ([]byte, error) {
	b := s.files[sum]
	if 10*n >= len(b) {
		return nil, nil
	}
	return b[10*n : min(len(b), 10*n+10)], nil
}

func (s *shelf) RemovePackage(_ context.Context, digest string, e event.Event) error {
	s.w.DriverPacks = slices.DeleteFunc(s.w.DriverPacks, func(p driver.Package) bool { return p.Digest == digest })
	s.events = append(s.events, e)
	return nil
}

func (s *shelf) Endpoint(_ context.Context, machine string) (endpoint.Record, error) {
	r, ok := s.recs[machine]
	if !ok {
		return r, fault.New(fault.Unknown, "endpoint-unknown", "", "no endpoint %s", machine)
	}
	return r, nil
}

func (s *shelf) PrintResults(context.Context, string) ([]driver.Seen, error) { return nil, nil }

func (s *shelf) Every(context.Context) ([]*fleet.Judgement, []bool, error) {
	return s.ends, make([]bool, len(s.ends)), nil
}

func (s *shelf) WithFailures(context.Context) ([]*fleet.Judgement, error) { return s.ends, nil }

func (s *shelf) Cases(_ context.Context, v *present.View) (*rehearse.Cases, error) {
	s.counts++
	return rehearse.NewCases(v.World.Directory, nil, nil), nil
}

const ppd = `*PPD-Adobe: "4.3"
*FormatVersion: "4.3"
*FileVersion: "NAME"
*LanguageVersion: English
*PCFileName: "SKERRY.PPD"
*Manufacturer: "Skerrymark"
*Product: "(Skerrymark Mono 40)"
*ModelName: "Skerrymark Mono 40"
*NickName: "Skerrymark Mono 40 PS"
*ShortNickName: "Skerrymark Mono 40 PS"
`

func packed(t *testing.T, version string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{"mono.ppd": strings.Replace(ppd, "NAME", version, 1),
		"readme.txt": "not needed"} {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(text)); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func furnish(t *testing.T) (*Room, *shelf) {
	t.Helper()
	w := rooms.New(t, `{estate: 1, locations: [{path: north, title: North}, {path: north/hall}],
		drivers: [{name: mono-ps, exact: "Skerrymark Mono 40 PS", platform: linux}],
		devices: [{name: d, uri: "ipp://192.0.2.1/"}],
		queues: [{name: hall, location: north/hall, devices: [d], paths: [{device: d}], drivers: {linux: mono-ps}}],
		grants: [{name: g, effect: place, queues: [hall], to: [everyone]}]}`,
		directory.Records{Users: []directory.User{{Name: "ida"}}})
	s := &shelf{w: w, files: map[string][]byte{}, of: map[string][]driver.Entry{}, recs: map[string]endpoint.Record{}}
	return New(Config{Store: s, Present: w.Present, Now: w.Now, Fleet: s, Cases: s}), s
}

var keeper = rooms.Who(access.Administrator)

// TestPackages: the same files are one package whatever they are called, a package of which the estate uses a driver
// stays, and its files come out as they went in.
func TestPackages(t *testing.T) {
	t.Parallel()
	r, s := furnish(t)
	if dry, known, err := r.AddPackage(t.Context(), keeper, "mono", "", packed(t, "1.0"), true); err != nil || known ||
		len(dry.Models) != 2 || len(s.w.DriverPacks) != 0 {
		t.Errorf("dry: %+v %v %v; %d kept", dry, known, err, len(s.w.DriverPacks))
	}
	one, known, err := r.AddPackage(t.Context(), keeper, " Mono 40 ", "", packed(t, "1.0"), false)
	if err != nil || known || one.Name != "Mono 40" || len(one.Models) != 2 || one.Models[0].Exact != "Skerrymark "+
		"Mono 40 PS" {
		t.Fatalf("%+v %v %v", one, known, err)
	}
	if again, known, err := r.AddPackage(t.Context(), keeper, "another name", "", packed(t,
		"1.0"), false); err != nil || !known ||
		again.Name != "Mono 40" || len(s.w.DriverPacks) != 1 {
		t.Errorf("%+v %v %v", again, known, err)
	}
	for code, c := range map[string]struct {
		name string
		zip  []byte
	}{"package-name": {" ", packed(t, "1.0")}, "package-refused": {"x", []byte("no archive")}} {
		if _, _, err := r.AddPackage(t.Context(), keeper, c.name, "",
			c.zip, false); fault.As(err) == nil || fault.As(err).Code != code {
			t.Errorf("%s: %v", code, err)
		}
	}
	var out bytes.Buffer
	if err := r.PackageFile(t.Context(), keeper, one.Digest[:8], "mono.ppd", &out); err != nil || out.String() !=
		strings.Replace(ppd, "NAME", "1.0", 1) {
		t.Errorf("%q %v", out.String(), err)
	}
	if err := r.PackageFile(t.Context(), keeper, one.Digest, "other.ppd", &out); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	if err := r.RemovePackage(t.Context(), keeper, one.Digest, false); fault.As(err) == nil ||
		fault.As(err).Code != "package-used" || !strings.HasPrefix(fault.As(err).What, "1 queue uses its driver mono-ps") {
		t.Error("one that is used:", err)
	}
	if err := r.RemovePackage(t.Context(), keeper, one.Digest, true); err != nil || len(s.w.DriverPacks) != 0 {
		t.Error(err)
	}
	if err := r.RemovePackage(t.Context(), rooms.Who(access.HelpDesk), one.Digest, true); !fault.Is(err, fault.Denied) {
		t.Error(err)
	}
}

// TestShip: an agent gets the files that a driver needs and no others; what is nearly held is said.
func TestShip(t *testing.T) {
	t.Parallel()
	r, _ := furnish(t)
	agent := &access.Principal{Name: "agent", Role: access.Agent, Machine: "desk-1"}
	if _, _, err := r.AddPackage(t.Context(), keeper, "old", "", packed(t, "1.0"), false); err != nil {
		t.Fatal(err)
	}
	got, err := r.Ship(t.Context(), agent, "Skerrymark Mono 40 PS", "linux/x64")
	if err != nil || got.SetUpFile != "mono.ppd" || len(got.Files) != 1 || got.Files[0].Path != "mono.ppd" {
		t.Fatalf("%+v %v", got, err)
	}
	var out bytes.Buffer
	if err := r.ShippedFile(t.Context(), agent, got.Package, "mono.ppd", &out); err != nil || out.Len() == 0 {
		t.Error(err)
	}
	if err := r.ShippedFile(t.Context(), agent, got.Package[:8], "mono.ppd", &out); !fault.Is(err, fault.Unknown) {
		t.Error("a part of a digest:", err)
	}
	if _, err := r.Ship(t.Context(), agent, "Skerrymark  Mono 40 PS", "linux/x64"); fault.As(err) == nil {
		t.Error("a name that is not to the letter is shipped")
	}
	if _, err := r.Ship(t.Context(), keeper, "Skerrymark Mono 40 PS", "linux/x64"); !fault.Is(err, fault.Denied) {
		t.Error("somebody who is no agent:", err)
	}
	if places, err := r.Places(t.Context(), agent, []string{"hall", "attic"}); err != nil || len(places) != 1 ||
		places["hall"] != "hall, North" {
		t.Error(places, err)
	}
}

// TestReport: who receives a queue on which platform is counted once for an estate and a directory, and what endpoints
// could not install stands with its driver.
func TestReport(t *testing.T) {
	t.Parallel()
	r, s := furnish(t)
	if _, _, err := r.AddPackage(t.Context(), keeper, "mono", "", packed(t, "1.0"), false); err != nil {
		t.Fatal(err)
	}
	user, platform := "ida", "linux/x64"
	f := fleet.New(0)
	rec := endpoint.Record{Report: endpoint.Report{Machine: "desk-1", Platform: "linux/x64",
		Contexts: []lineup.Query{{User: &user, Platform: &platform}},
		Failures: []endpoint.Failure{{Queue: "hall", Step: "add", Says: "no room"}, {Queue: "hall", Step: "remove",
			Says: "busy"}}}}
	f.Put(endpoint.Judged{Record: rec}, fleet.Follows{})
	s.ends, s.recs["desk-1"] = f.All(), rec
	for range 2 {
		got, err := r.DriverReport(t.Context(), keeper)
		if err != nil || len(got.Holdings) != 1 || got.Holdings[0].State != "found" || len(got.Trouble) != 1 ||
			got.Trouble[0].Says != "no room" || got.Trouble[0].Driver != "mono-ps" || got.Trouble[0].Remote {
			t.Fatalf("%+v %v", got, err)
		}
	}
	if s.counts != 1 {
		t.Errorf("everybody was counted %d times", s.counts)
	}
	s.w.Import(directory.Records{Users: []directory.User{{Name: "ida"}, {Name: "mira"}}})
	s.w.Refresh(t)
	if _, err := r.DriverReport(t.Context(), keeper); err != nil || s.counts != 2 {
		t.Errorf("after an import everybody was counted %d times: %v", s.counts, err)
	}
	here, err := r.DriversOn(t.Context(), keeper, "desk-1", "")
	if err != nil || len(here) != 1 || here[0].Exact != "Skerrymark Mono 40 PS" || here[0].SetUpFile != "mono.ppd" {
		t.Errorf("%+v %v", here, err)
	}
	if all, err := r.DriversOn(t.Context(), keeper, "", "another"); err != nil || len(all) != 0 {
		t.Errorf("%+v %v", all, err)
	}
}

// TestNames are compared to the letter, also with the nearest that is known.
func TestNames(t *testing.T) {
	t.Parallel()
	r, _ := furnish(t)
	if _, _, err := r.AddPackage(t.Context(), keeper, "mono", "", packed(t, "1.0"), false); err != nil {
		t.Fatal(err)
	}
	with, c, err := r.CompareNames(t.Context(), keeper, "Skerrymark  Mono 40 PS", "")
	if err != nil || with != "Skerrymark Mono 40 PS" || c.Says == "" {
		t.Errorf("%q %+v %v", with, c, err)
	}
	if _, _, err := r.CompareNames(t.Context(), keeper, "Something else altogether", ""); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	list, total, err := r.DriversFor(t.Context(), keeper, driver.Wanted{Model: "Skerrymark Mono 40",
		Platform: "linux/x64"}, 10)
	if err != nil || total != 2 || !list[0].Fits || list[0].Driver != "mono-ps" ||
		!list[1].Fits || len(list[1].Places) != 1 || list[1].Marked {
		t.Errorf("%+v %d %v", list, total, err)
	}
	if _, alternatives, err := r.Alternatives(t.Context(), keeper, "attic", "", ""); !fault.Is(err, fault.Unknown) {
		t.Error(alternatives, err)
	}
}
