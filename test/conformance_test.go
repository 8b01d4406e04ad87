package test

import (
	"bytes"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/internal/app"
	"cirque/internal/ipp"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

const suiteEstate = `
estate: 1
devices: [{name: one, uri: "ipp://10.0.0.1/ipp/print"}, {name: two, uri: "ipp://10.0.0.2/ipp/print"}]
queues:
  - {name: kept, title: "Kept", location: ard, devices: [one], paths: [{gateway: true}], jobs: {take: keep}}
  - {name: straight, title: "Straight", location: ard, devices: [two], paths: [{gateway: true}]}
locations: [{path: ard}]
`

// suiteService has a queue that keeps its jobs and one that streams them, each before a device that can do much.
func suiteService(t *testing.T, pace time.Duration) (s *aService, set *sim.Set, token string) {
	t.Helper()
	can := []string{"colour", "two-sided", "photo", "letter", "postscript"}
	set, table := printers(t, sim.Spec{For: "10.0.0.1:631", Listen: "127.0.0.1:0", Name: "one", Model: "Skerrymark 1",
		Can: can, Pace: pace}, sim.Spec{For: "10.0.0.2:631", Listen: "127.0.0.1:0", Name: "two", Model: "Skerrymark 2",
		Can: can, Pace: pace})
	s = startService(t, func(o *app.Options) { o.AddressTable, o.Spool = table, t.TempDir() })
	s.importDirectory("directory: 1\nusers: [{name: mira}]\n")
	s.publish(suiteEstate)
	for _, d := range []string{"one", "two"} { // what they can is told by their readings
		s.must("device", "read", d)
	}
	token = s.tokenFor("agent", access.Agent, "desk-1")
	s.sits(token, "desk-1", `{"user":"mira"}`)
	return s, set, token
}

// atQueue is where a queue is, for a client that signs in by the address.
func (s *aService) atQueue(queue, token string) string {
	return "ipp://" + url.UserPassword("mira", token).String() + "@" + strings.TrimPrefix(s.URL, "http://") + "/ipp/queues/" + queue
}

// suite copies the tests that Debian's client brings along beside documents of our own, and gives where.
func suite(t *testing.T) (tool, dir string) {
	t.Helper()
	tool, err := exec.LookPath("ipptool")
	if err != nil {
		t.Fatal("ipptool is not installed: apt-get install --no-install-recommends cups-ipp-utils")
	}
	gs, err := exec.LookPath("gs")
	if err != nil {
		t.Fatal("ghostscript is not installed: apt-get install --no-install-recommends ghostscript")
	}
	dir = t.TempDir()
	files, err := filepath.Glob("/usr/share/cups/ipptool/*.test")
	if err != nil || len(files) == 0 {
		t.Fatal("the suite is not there", err)
	}
	for _, f := range files {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, filepath.Base(f)), b, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	const page = "%!PS\n/Helvetica findfont 40 scalefont setfont\n72 700 moveto (Page one) show showpage\n" +
		"72 700 moveto (Page two) show showpage\n"
	for _, size := range []string{"a4", "letter"} {
		ps := filepath.Join(dir, "document-"+size+".ps")
		if err := os.WriteFile(ps, []byte(page), 0o644); err != nil {
			t.Fatal(err)
		}
		make := func(device, to string) {
			if out, err := exec.CommandContext(t.Context(), gs, "-q", "-dBATCH", "-dNOPAUSE", "-r30", "-sDEVICE="+device,
				"-sPAPERSIZE="+size, "-o", filepath.Join(dir, to), ps).CombinedOutput(); err != nil {
				t.Fatalf("%v %s", err, out)
			}
		}
		make("pdfwrite", "document-"+size+".pdf")
		make("jpeg", map[string]string{"a4": "color.jpg", "letter": "gray.jpg"}[size])
	}
	return tool, dir
}

// results are what the client says of each test: PASS, FAIL or SKIP, by name.
func results(t *testing.T, tool, dir, uri, file string) (all map[string][]string, out string) {
	t.Helper()
	cmd := exec.CommandContext(t.Context(), tool, "-tI", "-f", "document-a4.pdf", uri, file)
	cmd.Dir = dir
	b, _ := cmd.CombinedOutput() // what failed, it says
	all = map[string][]string{}
	for _, m := range regexp.MustCompile(`(?m)^    (.+?) +\[(PASS|FAIL|SKIP)\]$`).FindAllStringSubmatch(string(b), -1) {
		all[m[2]] = append(all[m[2]], m[1])
	}
	return all, string(b)
}

// skips are the tests of the suite that do not apply, and why: what they begin with.
var skips = map[string]string{
	"Print-URI":                      "Print-URI fetches documents from elsewhere; it is optional, and not offered",
	"Send-URI":                       "likewise",
	"RFC 8011 section 4.2.2":         "likewise",
	"RFC 8011 section 4.3.2":         "likewise",
	"RFC 8011 section 4.2.4: Create": "the job for Send-URI",
	"RFC 8011 section 4.2.6: Get-Jobs Operation (my-jobs dif": "it cannot sign in as somebody else",
	"Print-Job with A4 PDF and Standard Sheet":                "no sheets are put before jobs",
	"Print-Job with US Letter PDF and Standard Sheet":         "likewise",
	"Print-Job with A4 PDF, 2-Up":                             "the device puts one page on a side",
	"Print-Job with US Letter PDF, 2-Up":                      "likewise",
	"Print-Job with JPEG on 4x6,":                             "the suite looks for print-quality, which no printer has by that name",
	"Print-Job with A4 PDF, ":                                 "likewise",
	"Print-Job with US Letter PDF, ":                          "likewise",
}

// yardstick is how many tests Debian's own stand-in printer skips.
const yardstick = 30

// TestSuite: Debian's conformance suite for IPP finds nothing wrong, neither with a queue that keeps its jobs nor with one
// that streams them, and skips no more than it does with Debian's own printer; and its test of what a driverless printer
// tells of itself passes.
func TestSuite(t *testing.T) {
	t.Parallel()
	tool, dir := suite(t)
	s, _, token := suiteService(t, 150*time.Millisecond)
	everywhere, err := os.ReadFile(filepath.Join(dir, "ipp-everywhere.test"))
	if err != nil {
		t.Fatal(err)
	}
	first, _, _ := bytes.Cut(everywhere, []byte("\n}\n"))
	first = regexp.MustCompile(`(?m)^INCLUDE.*$`).ReplaceAll(first, nil)
	if err := os.WriteFile(filepath.Join(dir, "everywhere.test"), append(first, "\n}\n"...), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, queue := range []string{"kept", "straight"} {
		t.Run(queue, func(t *testing.T) {
			t.Parallel()
			uri := s.atQueue(queue, token)
			all, out := results(t, tool, dir, uri, "ipp-2.0.test")
			if len(all["FAIL"]) > 0 || len(all["PASS"]) < 37 || len(all["SKIP"]) > yardstick {
				t.Errorf("%d pass, %d are skipped, %d fail:\n%s", len(all["PASS"]), len(all["SKIP"]), len(all["FAIL"]),
					strings.ReplaceAll(out, token, "TOKEN"))
			}
			for _, name := range all["SKIP"] {
				if !slices.ContainsFunc(keysOf(skips), func(k string) bool { return strings.HasPrefix(name, k) }) {
					t.Errorf("%q is skipped, and nobody says why", name)
				}
			}
			if all, out := results(t, tool, dir, uri, "everywhere.test"); len(all["PASS"]) != 1 || len(all["FAIL"]) > 0 {
				t.Errorf("%s", strings.ReplaceAll(out, token, "TOKEN"))
			}
		})
	}
}

func keysOf[V any](m map[string]V) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	return out
}

// TestSpoolerPrints: Debian's spooler makes a queue without a driver of a queue of ours, and what is printed there with
// lp, two-sided and in copies, is what the device gets.
func TestSpoolerPrints(t *testing.T) {
	t.Parallel()
	_, dir := suite(t)
	s, set, token := suiteService(t, 0)
	spooler := testkit.NewUnixSpooler(t, true)
	client := func(program string, args ...string) {
		t.Helper()
		bin, err := exec.LookPath(program)
		if err != nil {
			if bin = "/usr/sbin/" + program; !isThere(bin) {
				t.Fatal(program + " is not installed: apt-get install --no-install-recommends cups-client cups-filters-core-drivers")
			}
		}
		cmd := exec.CommandContext(t.Context(), bin, append([]string{"-h", fmt.Sprintf("127.0.0.1:%d", spooler.Port)},
			args...)...)
		cmd.Dir = dir
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Fatalf("%s %v: %v %s", program, args, err, strings.ReplaceAll(string(out), token, "TOKEN"))
		}
	}
	for i, queue := range []string{"kept", "straight"} {
		client("lpadmin", "-p", queue, "-E", "-v", s.atQueue(queue, token), "-m", "everywhere")
		client("lp", "-d", queue, "-n", "3", "-o", "sides=two-sided-long-edge", "-o", "media=iso_a4_210x297mm", "-t", "Manifest",
			"document-a4.pdf")
		device := set.Printers[i]
		within(t, queue+": the device has the job", func() bool {
			jobs := device.Jobs()
			return len(jobs) == 1 && jobs[0].Pages == 6
		})
		j := device.Jobs()[0]
		if j.Asked["sides"] != "two-sided-long-edge" || j.Asked["copies"] != 3.0 || j.Owner != "mira" || !strings.HasPrefix(
			j.Name, "Manifest [") || !bytes.HasPrefix(j.Body, []byte("%PDF-")) {
			t.Errorf("%s: %+v", queue, j.Asked)
		}
	}
}

// TestConverted: a PDF for a device that takes none is made into the pages in pixels that it takes, those that were asked
// for.
func TestConverted(t *testing.T) {
	t.Parallel()
	_, dir := suite(t)
	set, table := printers(t, sim.Spec{For: "10.0.0.1:631", Listen: "127.0.0.1:0", Name: "slip", Can: []string{"slip",
		"no-pdf"}})
	s := startService(t, func(o *app.Options) { o.AddressTable = table })
	s.importDirectory("directory: 1\nusers: [{name: mira}]\n")
	s.publish(`{estate: 1, devices: [{name: slip, uri: "ipp://10.0.0.1/ipp/print"}],
queues: [{name: slips, devices: [slip], paths: [{gateway: true}], jobs: {take: keep}}]}`)
	s.must("device", "read", "slip")
	token := s.tokenFor("agent", access.Agent, "desk-1")
	s.sits(token, "desk-1", `{"user":"mira"}`)
	doc, err := os.ReadFile(filepath.Join(dir, "document-a4.pdf"))
	if err != nil {
		t.Fatal(err)
	}
	_, m := s.send("slips", "mira", token, ipp.PrintJob, string(doc))
	if !ipp.Status(m.Code).Successful() {
		t.Fatalf("%+v", m)
	}
	within(t, "the device has all of it", func() bool {
		jobs := set.Printers[0].Jobs()
		return len(jobs) == 1 && len(jobs[0].Body) > 0
	})
	j := set.Printers[0].Jobs()[0]
	if j.Format != "image/pwg-raster" || !bytes.HasPrefix(j.Body, []byte("RaS2PwgRaster")) || j.Asked["media"] != nil {
		t.Errorf("%s %v", j.Format, j.Asked)
	}
	within(t, "it is done", func() bool {
		return strings.Contains(s.must("job", "show", fmt.Sprint(m.Number(ipp.JobGroup, "job-id"))), "completed")
	})
}

func isThere(file string) bool {
	_, err := os.Stat(file)
	return err == nil
}
