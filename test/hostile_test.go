package test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// TestHostileUploads: files made to exhaust the service, and bodies beyond the limits, are refused and change nothing.
func TestHostileUploads(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory("directory: 1\nusers: [{name: mira}]")
	version := s.Service.Present.View().DirectoryVersion
	var circle strings.Builder
	for i := range 20000 {
		fmt.Fprintf(&circle, "dn: cn=g%d,dc=x\nobjectClass: groupOfNames\ncn: g%d\nmember: cn=g%d,dc=x\n\n", i, i,
			(i+1)%20000)
	}
	for what, c := range map[string]struct{ format, text, says string }{
		"a file named by a record": {"ldif", "dn: uid=a,dc=x\nobjectClass: inetOrgPerson\nuid:< file:///etc/hostname\n",
			"not read"},
		"a line of 17 MB":           {"ldif", "dn: uid=a,dc=x\nuid: " + strings.Repeat("a", 17<<20) + "\n", ""},
		"a line continued for ever": {"ldif", "dn: uid=a,dc=x\nuid: a\n" + strings.Repeat(" aaaaaaaaaaaaaaaa\n", 1<<20), ""},
		"bad base64":                {"ldif", "dn: uid=a,dc=x\nuid:: ====\n", "base64"},
		"a change record":           {"ldif", "dn: uid=a,dc=x\nchangetype: delete\n", ""},
		"20,000 groups in a circle": {"ldif", circle.String(), "nested beyond all measure"},
		"an alias bomb": {"file", "directory: 1\na: &a [x,x,x,x,x,x,x,x,x]\nb: &b " +
			"[*a,*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c [*b,*b,*b,*b,*b,*b,*b,*b,*b]\nd: &d [*c,*c,*c,*c,*c,*c,*c,*c,*c]\ne: &e " +
			"[*d,*d,*d,*d,*d,*d,*d,*d,*d]\nusers: *e\n", ""},
		"a quote that never ends": {"csv", "kind,name\nuser,\"" + strings.Repeat("x", 1<<20), ""},
		"a name with an escape":   {"csv", "kind,name\nuser,\"a\x1b[31m\"\n", ""},
	} {
		in := api.Import{Source: "hostile", Format: c.format}
		in.Files = []document.File{{Name: "f", Text: c.text}}
		_, err := apiclient.Post[directory.Import](t.Context(), s.c, "/api/v1/directory/import", in)
		f := fault.As(err)
		if f == nil || f.Kind != fault.Invalid && f.Kind != fault.TooLarge {
			t.Errorf("%s: %v", what, err)
			continue
		}
		if text := fmt.Sprint(f.What, f.Details); !strings.Contains(text, c.says) {
			t.Errorf("%s: %s", what, text[:min(len(text), 300)])
		}
	}
	agent := s.tokenFor("agent", access.Agent, "desk-1")
	for path, size := range map[string]int64{"/api/v1/directory/import": 65 << 20, "/api/v1/session": 65 << 10,
		"/api/v1/enrolments": 65 << 10, "/api/v1/endpoints/report": 5 << 20, "/api/v1/lineups": 65 << 10} {
		req, err := http.NewRequestWithContext(t.Context(), "POST", s.URL+path, io.LimitReader(zeros{}, size))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		token := s.token
		if path == "/api/v1/endpoints/report" {
			token = agent
		}
		req.Header.Set("Authorization", "Bearer "+token)
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			continue // it hung up on us, which will do
		}
		_ = resp.Body.Close()
		if resp.StatusCode != http.StatusRequestEntityTooLarge {
			t.Errorf("%s with %d bytes: %d", path, size, resp.StatusCode)
		}
	}
	if now := s.Service.Present.View().DirectoryVersion; now != version {
		t.Errorf("the directory has changed: %d, was %d", now, version)
	}
	if got := s.must("directory", "find", "", "--kind", "user"); !strings.Contains(got, "mira") ||
		strings.Count(got, "\n") > 3 {
		t.Errorf("the directory holds more:\n%s", got)
	}
}

// zeros reads as blanks for ever.
type zeros struct{}

func (zeros) Read(b []byte) (int, error) {
	for i := range b {
		b[i] = ' '
	}
	return len(b), nil
}

// TestTokensOfOthers: whoever has a scope cannot reach past it by making, revoking or using what is somebody else's.
func TestTokensOfOthers(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish("estate: 1\nlocations: [{path: ardholm}, {path: brannoy}]\nsubnets: [{cidr: 10.40.0.0/16, location: " +
		"ardholm}]\nservers: [{name: ps-a, uri: \"ipp://ps-a.example/\", location: ardholm}]")
	before := len(strings.Split(s.must("audit"), "\n"))
	root := s.token
	_, scoped, err := s.Service.Identity.MakeToken(t.Context(), owner, access.Token{Name: "pier", Role: access.SiteAdmin,
		Sites: []string{"brannoy"}})
	if err != nil {
		t.Fatal(err)
	}
	_, narrow, err := s.Service.Identity.MakeToken(t.Context(), owner, access.Token{Name: "narrow",
		Role:  access.Administrator,
		Sites: []string{"brannoy"}})
	if err != nil {
		t.Fatal(err)
	}
	agent := s.tokenFor("agent", access.Agent, "desk-1")
	for _, c := range []struct {
		token, method, path, body string
	}{
		{scoped, "POST", "/api/v1/servers/ps-a/drain", `{"reason":"x"}`}, {narrow, "POST", "/api/v1/servers/ps-a/drain",
			`{"reason":"x"}`},
		{narrow, "POST", "/api/v1/tokens", `{"name":"x","role":"administrator"}`}, {narrow, "POST", "/api/v1/tokens",
			`{"name":"x","role":"agent","machine":"desk-2"}`},
		{narrow, "DELETE", "/api/v1/tokens/test", ""}, {narrow, "POST", "/api/v1/directory/import",
			`{"files":[{"name":"d","text":"directory: 1"}]}`}, {scoped, "POST", "/api/v1/enrolment-tokens", `{"name":"x"}`},
		{scoped, "POST", "/api/v1/enrolment-tokens", `{"name":"x","site":"ardholm"}`}, {scoped, "POST", "/api/v1/accounts",
			`{"name":"x","password":"correct horse battery","role":"owner"}`},
		{scoped, "PUT", "/api/v1/draft", `{"files":[{"name":"e","text":"estate: 1"}]}`}, {agent, "POST",
			"/api/v1/lineups/batch", `[{"machine":"desk-2"}]`},
		{agent, "POST", "/api/v1/endpoints/report",
			`{"machine":"desk-2","version":"","platform":"","spooler":"","revision":0,"contexts":[{"machine":"desk-2"}],"installed":[],"failures":[]}`},
		{agent, "POST", "/api/v1/stock/captures", `{"machine":"desk-2","queues":[]}`}, {agent, "POST",
			"/api/v1/enrolments/renew", `{"request":"x"}`},
	} {
		err := s.client(c.token).Do(t.Context(), c.method, c.path, nil, body(c.body), nil)
		if f := fault.As(err); f == nil || f.Kind != fault.Denied {
			t.Errorf("%s %s %s: %v", c.method, c.path, c.body, err)
		}
	}
	s.token = root
	if after := len(strings.Split(s.must("audit"), "\n")); after != before+3 { // the three tokens
		t.Errorf("something was changed:\n%s", s.must("audit"))
	}
}

// body is a request's body as it is, or none.
func body(text string) any {
	if text == "" {
		return nil
	}
	return json.RawMessage(text)
}
