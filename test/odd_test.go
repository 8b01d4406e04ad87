package test

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/internal/cmdline"
)

// TestOddParameters: no route fails for what stands in its path or query, whatever that is: it is refused, or nothing is
// found.
func TestOddParameters(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish("estate: 1\nlocations: [{path: ardholm}]\nqueues: [{name: hall, location: ardholm, paths: [{gateway: true}]}]")
	odd := []string{"\x00", "a\x00b", "a\nb", "\x1b[31m", "9223372036854775807", "99999999999999999999", "-1",
		"2147483648",
		"%", "..", strings.Repeat("x", 200), "\u202e"}
	asked := 0
	for path, methods := range describedPaths(t) {
		for method, op := range methods {
			upper := strings.ToUpper(method)
			if upper != http.MethodGet && upper != http.MethodDelete || path == "/api/v1/watch" || path == "/api/v1/session" {
				continue
			}
			var inPath, inQuery []string
			parameters, _ := op.(map[string]any)["parameters"].([]any)
			for _, x := range parameters {
				p := x.(map[string]any)
				switch p["in"] {
				case "path":
					inPath = append(inPath, p["name"].(string))
				case "query":
					inQuery = append(inQuery, p["name"].(string))
				}
			}
			for _, value := range odd {
				full := path
				for _, p := range inPath {
					full = strings.ReplaceAll(full, "{"+p+"}", url.PathEscape(value))
				}
				tries := []string{full}
				for _, q := range inQuery {
					tries = append(tries, full+"?"+url.Values{q: {value}}.Encode())
				}
				for _, u := range tries {
					if u == path {
						continue
					}
					req, err := http.NewRequestWithContext(t.Context(), upper, s.URL+u, nil)
					if err != nil {
						t.Fatal(err)
					}
					req.Header.Set("Authorization", "Bearer "+s.token)
					resp, err := http.DefaultClient.Do(req)
					if err != nil {
						t.Fatal(u, err)
					}
					b, _ := io.ReadAll(resp.Body)
					_ = resp.Body.Close()
					asked++
					if resp.StatusCode >= 500 {
						t.Errorf("%s %s: %d %.200s", upper, u, resp.StatusCode, b)
					}
				}
			}
		}
	}
	if asked < 2000 {
		t.Errorf("only %d questions were asked", asked)
	}
}

// TestForgedLines: what somebody makes up forges no line and moves no cursor: not in the audit, not in a list, not in a
// report of an endpoint.
func TestForgedLines(t *testing.T) {
	t.Parallel()
	s := startService(t)
	const forged = "\x1b]0;X\x07\x1b[31mroot\nFAKE LINE"
	body := fmt.Sprintf(`{"name":%q,"password":"x"}`, "a")
	body = strings.Replace(body, `"a"`, `"\u001b]0;X\u0007\u001b[31mroot\nFAKE LINE"`, 1)
	resp, err := http.Post(s.URL+"/api/v1/session", "application/json", strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	_ = resp.Body.Close()
	if resp.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("a name with controls: %d", resp.StatusCode)
	}
	// By Basic, as printing has it, no description is between.
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+"/ipp/queues/hall", strings.NewReader("x"))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/ipp")
	req.SetBasicAuth(forged+"\x00", "wrong")
	if resp, err = http.DefaultClient.Do(req); err != nil {
		t.Fatal(err)
	}
	_ = resp.Body.Close()
	if resp.StatusCode != http.StatusUnauthorized {
		t.Errorf("at the gateway: %d", resp.StatusCode)
	}
	// An endpoint tells what it has of others.
	agent := s.client(s.tokenFor("desk-1", access.Agent, "desk-1"))
	if err := agent.Do(t.Context(), http.MethodPost, "/api/v1/endpoints/report", nil, map[string]any{"machine": "desk-1",
		"version": forged, "platform": "linux/x64", "spooler": forged, "revision": 0, "contexts": []any{},
		"installed": []any{}, "removed": []any{}, "failures": []any{map[string]any{"queue": "hall", "user": forged,
			"says": forged, "do": "add"}}}, nil); err != nil {
		t.Log("the report:", err) // a name that is none may be refused
	}
	for _, args := range [][]string{{"audit"}, {"endpoint", "list"}, {"endpoint", "show", "desk-1"},
		{"audit", "-o", "json"}} {
		code, out, errs := s.run(args...)
		if text := out + errs; strings.ContainsAny(text, "\x1b\x07\x00") {
			t.Errorf("%v: controls reach the terminal: %q", args, text)
		} else if code == cmdline.ExitOK && strings.Contains(text, "\nFAKE") {
			t.Errorf("%v: a line is forged: %q", args, text)
		}
	}
	if out := s.must("audit"); !strings.Contains(out, "root") || !strings.Contains(out, "A sign-in as") {
		t.Errorf("the failed sign-in is not in the audit: %s", out)
	}
}
