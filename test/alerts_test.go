package test

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"go.yaml.in/yaml/v3"

	"cirque/core/readiness"
)

// TestAlerts: the rules that are ready to import name figures and conditions that there are, and say what to do.
func TestAlerts(t *testing.T) {
	t.Parallel()
	b, err := os.ReadFile("../docs/guide/alerts.yaml")
	if err != nil {
		t.Fatal(err)
	}
	var file struct {
		Groups []struct {
			Rules []struct {
				Alert, Expr, For string
				Annotations      map[string]string
			}
		}
	}
	if err := yaml.Unmarshal(b, &file); err != nil {
		t.Fatal(err)
	}
	source, err := os.ReadFile("../internal/httpapi/metrics.go")
	if err != nil {
		t.Fatal(err)
	}
	figure, quoted := regexp.MustCompile(`cirque_[a-z_]+`), regexp.MustCompile(`(?:state|worker)="([a-z]+)"`)
	seen := 0
	for _, g := range file.Groups {
		for _, r := range g.Rules {
			if r.Alert == "" || r.For == "" || r.Annotations["summary"] == "" {
				t.Errorf("%+v is not whole", r)
			}
			if strings.Count(r.Expr, "(") != strings.Count(r.Expr, ")") || strings.Count(r.Expr, "{") != strings.Count(r.Expr, "}") {
				t.Errorf("%s: %s", r.Alert, r.Expr)
			}
			for _, name := range figure.FindAllString(r.Expr, -1) {
				if seen++; !strings.Contains(string(source), `"`+name+`"`) {
					t.Errorf("%s: there is no figure %s", r.Alert, name)
				}
			}
			for _, m := range quoted.FindAllStringSubmatch(r.Expr, -1) {
				if m[1] != "health" && !strings.Contains(string(source), `"`+m[1]+`"`) {
					t.Errorf("%s: there is no %s", r.Alert, m[0])
				}
			}
		}
	}
	if seen < 8 {
		t.Errorf("only %d figures are named", seen)
	}
	database := 0
	for _, code := range readiness.Codes() {
		if strings.HasPrefix(code, "database-") {
			database++
		}
	}
	if database < 3 {
		t.Errorf("of %v few begin as the rules take for granted", readiness.Codes())
	}
}
