package test

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/internal/app"
	"cirque/internal/ipp"
	"cirque/internal/sim"

	"go.yaml.in/yaml/v3"
)

// printers starts stand-ins and writes the table that leads to them.
func printers(t *testing.T, specs ...sim.Spec) (*sim.Set, string) {
	t.Helper()
	set, err := sim.Start(specs)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = set.Close() }) // a test may have closed one of them
	b, err := yaml.Marshal(set.Table)
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "table.yaml")
	if err := os.WriteFile(file, b, 0o644); err != nil {
		t.Fatal(err)
	}
	return set, file
}

const printEstate = `
estate: 1
drivers: [{name: d, exact: "Skerrymark  Mono", platform: windows/x64}]
servers: [{name: ps, uri: "ipp://ps.skerry.example:631/"}]
devices: [{name: one, uri: "ipp://10.0.0.1/ipp/print"}, {name: two, uri: "ipp://10.0.0.2/ipp/print"}, {name: raw, uri: "socket://10.0.0.3:9100"}, {name: off, uri: "ipp://10.0.0.4/ipp/print"}]
queues:
  - {name: direct, devices: [one], paths: [{device: one}], drivers: {windows/x64: d, "*": driverless}}
  - {name: served, paths: [{server: ps, remote_name: "Great Hall"}]}
  - {name: pool, title: "The pool", devices: [off, one, two], paths: [{gateway: true}], access: {allow: ["group:clerks"], deny: ["user:temp"]}}
  - {name: raw, devices: [raw], paths: [{device: raw}]}
  - {name: off, devices: [off], paths: [{device: off}]}
  - {name: paused, devices: [one], paths: [{gateway: true}], paused: true}
  - {name: shut, devices: [one], paths: [{gateway: true}], open: [{days: [DAY], from: "03:00", to: "03:01"}]}
grants: [{name: all, effect: place, queues: [direct, served, pool, raw, off, paused, shut], to: [everyone]}]
`

func printService(t *testing.T) (*aService, *sim.Set) {
	set, table := printers(t, sim.Spec{For: "10.0.0.1:631", Listen: "127.0.0.1:0", Name: "one"},
		sim.Spec{For: "10.0.0.2:631", Listen: "127.0.0.1:0", Name: "two"},
		sim.Spec{For: "ps.skerry.example:631", Listen: "127.0.0.1:0", Name: "ps", Server: true})
	b, err := os.ReadFile(table)
	if err != nil {
		t.Fatal(err)
	}
	// nothing listens there
	if err := os.WriteFile(table, append(b, "\"10.0.0.4:631\": \"127.0.0.1:1\"\n"...), 0o644); err != nil {
		t.Fatal(err)
	}
	s := startService(t, func(o *app.Options) { o.AddressTable = table })
	s.importDirectory("directory: 1\nusers: [{name: mira}, {name: temp}]\ngroups: [{name: clerks, members: " +
		"['user:mira', 'user:temp']}]\n")
	s.publish(strings.Replace(printEstate, "DAY", strings.ToLower(time.Now().UTC().AddDate(0, 0, 3).Format("Mon")), 1))
	return s, set
}

func TestTestPage(t *testing.T) {
	t.Parallel()
	s, set := printService(t)
	code, out, errs := s.run("test-page", "direct", "--user", "mira", "--machine", "desk-1", "--platform", "windows/x64")
	if code != 0 || !strings.Contains(out, "device one to ipp://10.0.0.1/ipp/print") || !strings.Contains(out,
		"one printed 1 page (successful-ok); job 1 is completed") {
		t.Fatalf("%d %s %s", code, out, errs)
	}
	jobs := set.Printers[0].Jobs()
	if len(jobs) != 1 || jobs[0].Owner != "mira" || jobs[0].Format != "application/pdf" || set.Printers[0].Pages() != 1 {
		t.Fatalf("%+v", jobs)
	}
	for _, word := range []string{"direct", "10.0.0.1", "one", "Skerrymark  Mono", "mira", "Test page"} {
		if !bytes.Contains(jobs[0].Body, []byte(word)) {
			t.Errorf("the page does not name %q", word)
		}
	}
	for queue, want := range map[string]struct {
		code int
		says string
	}{
		"served": {0, "through server ps to ipp://ps.skerry.example:631/printers/Great%20Hall"},
		"pool":   {0, "through gateway to ipp://10.0.0.1/ipp/print"}, // the first of the pool is off
		"raw":    {3, "does not speak IPP"},
		"off":    {7, "refuses the connection"},
		"nope":   {4, `no queue "nope"`},
	} {
		code, out, errs := s.run("test-page", queue, "--user", "mira")
		if code != want.code || !strings.Contains(out+errs, want.says) {
			t.Errorf("%s: %d %s%s", queue, code, out, errs)
		}
	}
	set.Printers[0].Break("media-jam")
	if code, _, errs := s.run("test-page", "direct", "--user", "mira"); code != 7 || !strings.Contains(errs,
		"server-error-not-accepting-jobs: media-jam") {
		t.Errorf("a jam: %d %s", code, errs)
	}
	if code, _, errs := s.run("test-page", "pool", "--user", "temp"); code != 6 || !strings.Contains(errs,
		"access does not permit") {
		t.Errorf("not permitted: %d %s", code, errs)
	}
}

// send sends one IPP request to the gateway and gives the HTTP status and the answer.
func (s *aService) send(queue, user, password string, op ipp.Op, document string, more ...ipp.Attribute) (int,
	ipp.Message) {
	s.t.Helper()
	b, err := ipp.NewRequest(op, 9, "ipp://x/ipp/queues/"+queue, more...).AppendTo(nil)
	if err != nil {
		s.t.Fatal(err)
	}
	req, err := http.NewRequestWithContext(s.t.Context(), "POST", s.URL+"/ipp/queues/"+queue,
		io.MultiReader(bytes.NewReader(b), strings.NewReader(document)))
	if err != nil {
		s.t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/ipp")
	if user != "" {
		req.SetBasicAuth(user, password)
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		s.t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	answer, err := io.ReadAll(resp.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	m, _, _ := ipp.Parse(answer) // what is no IPP has status 0 and no group
	return resp.StatusCode, m
}

func TestGateway(t *testing.T) {
	t.Parallel()
	s, set := printService(t)
	token := s.tokenFor("agent", access.Agent, "desk-1")
	s.sits(token, "desk-1", `{"user":"mira"}`, `{"user":"jonas"}`, `{"user":"ida"}`)
	if status, _ := s.send("pool", "", "", ipp.GetPrinterAttributes, ""); status != 401 {
		t.Errorf("nobody: %d", status)
	}
	if status, _ := s.send("pool", "mira", "wrong", ipp.GetPrinterAttributes, ""); status != 401 {
		t.Errorf("a wrong password: %d", status)
	}
	for name, c := range map[string]struct {
		queue, user string
		op          ipp.Op
		more        []ipp.Attribute
		want        ipp.Status
	}{
		"attributes":       {"pool", "mira", ipp.GetPrinterAttributes, nil, ipp.OK},
		"validate":         {"pool", "mira", ipp.ValidateJob, nil, ipp.OK},
		"denied":           {"pool", "temp", ipp.ValidateJob, nil, ipp.NotAuthorized},
		"not in the group": {"pool", "stranger", ipp.PrintJob, nil, ipp.NotAuthorized},
		"no gateway path":  {"direct", "mira", ipp.PrintJob, nil, ipp.NotFound},
		"no queue":         {"nope", "mira", ipp.PrintJob, nil, ipp.NotFound},
		"format": {"pool", "mira", ipp.ValidateJob, []ipp.Attribute{ipp.Strs(ipp.MIMEType, "document-format",
			"application/x-else")}, ipp.FormatNotSupported},
		"paused":              {"paused", "mira", ipp.PrintJob, nil, ipp.NotAcceptingJobs},
		"closed at this hour": {"shut", "mira", ipp.PrintJob, nil, ipp.NotAcceptingJobs},
		"operation":           {"pool", "mira", ipp.Op(0x0012), nil, ipp.OperationNotSupported},
		"somebody else's job": {"pool", "temp", ipp.PrintJob, []ipp.Attribute{ipp.Strs(ipp.Name, "requesting-user-name",
			"mira")}, ipp.NotAuthorized},
	} {
		status, m := s.send(c.queue, c.user, token, c.op, "", c.more...)
		if status != 200 || ipp.Status(m.Code) != c.want || m.ID != 9 {
			t.Errorf("%s: %d %v, want %v", name, status, ipp.Status(m.Code), c.want)
		}
	}
	if _, m := s.send("pool", "mira", token, ipp.GetPrinterAttributes, "", ipp.Strs(ipp.Keyword, "requested-attributes",
		"printer-info")); m.Text(ipp.PrinterGroup, "printer-info") != "The pool" || len(m.Groups[1].Attributes) != 1 {
		t.Errorf("requested: %+v", m)
	}

	if _, m := s.send("shut", "mira", token, ipp.GetPrinterAttributes, ""); !strings.Contains(m.Text(ipp.PrinterGroup,
		"printer-state-message"), "it takes jobs again from") {
		t.Errorf("closed: %+v", m)
	}

	// A long job goes straight through, to the first device that is there; the next to the one that never had any.
	document := strings.Repeat("a line of the job\n", 200_000)
	status, m := s.send("pool", "mira", token, ipp.PrintJob, document, ipp.Strs(ipp.Name, "job-name", "Manifest"),
		ipp.Strs(ipp.MIMEType, "document-format", "text/plain"))
	if status != 200 || ipp.Status(m.Code) != ipp.OK || m.Number(ipp.JobGroup, "job-state") != ipp.JobCompleted {
		t.Fatalf("%d %+v", status, m)
	}
	jobs := set.Printers[0].Jobs()
	if len(jobs) != 1 || jobs[0].Bytes != int64(len(document)) || jobs[0].Owner != "mira" ||
		!strings.HasPrefix(jobs[0].Name, "Manifest [") ||
		jobs[0].Format != "text/plain" {
		t.Errorf("%d jobs, %+v", len(jobs), jobs)
	}
	set.Printers[0].Break("media-empty")
	if _, m = s.send("pool", "mira", token, ipp.PrintJob, document); ipp.Status(m.Code) != ipp.OK ||
		len(set.Printers[1].Jobs()) != 1 || len(set.Printers[0].Jobs()) != 1 {
		t.Errorf("the next of the pool: %+v", m)
	}
	if jobs := set.Printers[1].Jobs(); len(jobs) == 1 && jobs[0].Bytes != int64(len(document)) {
		t.Errorf("the next of the pool got %d bytes", jobs[0].Bytes)
	}
	set.Printers[1].Break("media-jam")
	if _, m = s.send("pool", "mira", token, ipp.PrintJob, document); ipp.Status(m.Code).Successful() {
		t.Errorf("with every device out: %+v", m)
	}
}

// TestRealClient: Debian's own IPP client understands stand-ins and gateway, and they it.
func TestRealClient(t *testing.T) {
	t.Parallel()
	tool, err := exec.LookPath("ipptool")
	if err != nil {
		t.Fatal("ipptool is not installed: apt-get install --no-install-recommends cups-ipp-utils")
	}
	s, set := printService(t)
	token := s.tokenFor("agent", access.Agent, "desk-1")
	s.sits(token, "desk-1", `{"user":"mira"}`, `{"user":"jonas"}`, `{"user":"ida"}`)
	dir := t.TempDir()
	script := filepath.Join(dir, "check.test")
	document := filepath.Join(dir, "page.txt")
	if err := os.WriteFile(document, []byte("one\ftwo\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	head := "ATTR charset attributes-charset utf-8\nATTR naturalLanguage attributes-natural-language en\nATTR uri " +
		"printer-uri $uri\nATTR name requesting-user-name mira\n"
	text := "{ NAME \"attributes\" OPERATION Get-Printer-Attributes GROUP operation-attributes-tag " +
		head + `STATUS successful-ok
EXPECT printer-uri-supported OF-TYPE uri IN-GROUP printer-attributes-tag
EXPECT uri-security-supported OF-TYPE keyword EXPECT uri-authentication-supported OF-TYPE keyword
EXPECT printer-name OF-TYPE name EXPECT printer-state OF-TYPE enum WITH-VALUE 3,4,5 EXPECT printer-state-reasons OF-TYPE keyword
EXPECT ipp-versions-supported OF-TYPE keyword WITH-VALUE 1.1 EXPECT operations-supported OF-TYPE enum WITH-VALUE 2
EXPECT charset-configured OF-TYPE charset EXPECT charset-supported OF-TYPE charset WITH-VALUE utf-8
EXPECT natural-language-configured OF-TYPE naturalLanguage EXPECT generated-natural-language-supported OF-TYPE naturalLanguage
EXPECT document-format-default OF-TYPE mimeMediaType EXPECT document-format-supported OF-TYPE mimeMediaType
EXPECT printer-is-accepting-jobs OF-TYPE boolean WITH-VALUE true EXPECT queued-job-count OF-TYPE integer EXPECT pdl-override-supported OF-TYPE keyword
EXPECT printer-up-time OF-TYPE integer WITH-VALUE >0 EXPECT compression-supported OF-TYPE keyword }
` + "{ NAME \"validate\" OPERATION Validate-Job GROUP operation-attributes-tag " + head + "ATTR mimeMediaType " +
		"document-format text/plain STATUS successful-ok }\n" +
		"{ NAME \"print\" OPERATION Print-Job GROUP operation-attributes-tag " + head + "ATTR name job-name real ATTR " +
		"mimeMediaType document-format text/plain FILE $filename STATUS successful-ok EXPECT job-id OF-TYPE integer " +
		"WITH-VALUE >0 EXPECT job-uri OF-TYPE uri EXPECT job-state OF-TYPE enum EXPECT job-state-reasons OF-TYPE keyword }\n"
	if err := os.WriteFile(script, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, uri := range []string{"ipp://" + set.Printers[0].Addr() + "/ipp/print",
		fmt.Sprintf("http://mira:%s@%s/ipp/queues/pool", token, strings.TrimPrefix(s.URL, "http://"))} {
		out, err := exec.CommandContext(t.Context(), tool, "-t", "-f", document, uri, script).CombinedOutput()
		if err != nil || strings.Count(string(out), "[PASS]") != 3 {
			t.Errorf("%v\n%s", err, strings.ReplaceAll(string(out), token, "TOKEN"))
		}
	}
	if jobs := set.Printers[0].Jobs(); len(jobs) != 2 || jobs[1].Owner != "mira" || jobs[1].Pages != 2 {
		t.Errorf("%+v", jobs)
	}
}

// TestStandInsStayOnLoopback: one that would listen elsewhere is refused.
func TestStandInsStayOnLoopback(t *testing.T) {
	t.Parallel()
	for _, listen := range []string{"0.0.0.0:0", "10.40.8.31:631", ":0", "localhost"} {
		if _, err := sim.Start([]sim.Spec{{For: "x:631", Listen: listen, Name: "x"}}); err == nil {
			t.Errorf("it listens at %q", listen)
		}
	}
}
