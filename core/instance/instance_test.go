package instance_test

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/fault"
	"cirque/core/instance"
)

const whole = `instance: 1
sources:
  - name: head-office
    url: ldaps://directory.skerry.example
    ca: "-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----\n"
    bind: cn=reader,dc=skerry,dc=example
    base: dc=skerry,dc=example
    preset: posix
    map: {email: mailAddress}
    removal_limit: 10
    every: 5m
    sign_in: true
accounts:
  - {name: Liv, role: owner}
  - {name: olav, role: site-administrator, sites: [brannoy, kestle]}
rules:
  - {who: "group:help", source: head-office, role: help-desk}
people:
  by_address: true
  by_employee: false
  links:
    - {a: head-office/mira.solvang, b: yard/msol, reason: told on the telephone}
credentials:
  - {name: readers, kind: snmp, for: ["device:hall-9"]}
  - {name: root-usm, kind: snmp-usm, user: root, expires: "2027-01-01T00:00:00Z"}
servers:
  - {name: ps-old, uri: "ipp://ps-old.skerry.example/"}
devices:
  - {name: hall-9, uri: "ipp://10.40.8.9/ipp/print", credential: readers}
places:
  - {name: yard, url: "https://drivers.skerry.example/", note: makers}
packages:
  - {name: mono40, digest: abcd}
notes:
  - {about: "person:mira.solvang", note: "two\nlines"}
`

func parse(t *testing.T, text string) instance.Document {
	t.Helper()
	d, err := instance.Parse([]document.File{{Name: "i.yaml", Text: text}})
	if err != nil {
		t.Fatal(err, fault.As(err).Details)
	}
	return d
}

// TestRound: what is written reads back to the same, and a plan from it to itself has no steps.
func TestRound(t *testing.T) {
	t.Parallel()
	d := parse(t, whole)
	b, err := d.YAML()
	if err != nil {
		t.Fatal(err)
	}
	again := parse(t, string(b))
	if !reflect.DeepEqual(d.Sorted(), again.Sorted()) {
		t.Errorf("read back otherwise:\n%s", b)
	}
	if steps := instance.Plan(d, again); len(steps) > 0 {
		t.Errorf("it is not as it is: %v", steps)
	}
	for i := range reflect.TypeFor[instance.Document]().NumField() {
		if reflect.ValueOf(d).Field(i).IsZero() {
			t.Errorf("the example has no %s", reflect.TypeFor[instance.Document]().Field(i).Name)
		}
	}
}

func TestProblems(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"accounts: [{name: liv, role: owner}]":                                                                                        `i.yaml:1: the key "instance" is missing`,
		"instance: 1\naccounts: [{name: liv, role: ownr}]":                                                                            `i.yaml:2: there is no role "ownr"; write owner`,
		"instance: 1\naccounts: [{name: liv}]":                                                                                        "role",
		"instance: 1\naccounts: [{name: liv, role: owner}, {name: LIV, role: auditor}]":                                               "this account is already there, at i.yaml:2",
		"instance: 1\nrules: [{who: everybody, role: person}]":                                                                        "i.yaml:2: ",
		"instance: 1\nnotes: [{about: mira, note: x}]":                                                                                "write person:NAME or machine:NAME",
		"instance: 1\nsources: [{name: a, url: x, base: y, every: 5}]":                                                                `"5" is no span of time`,
		"instance: 1\nsources: [{name: a, url: x, base: y, map: {mail: x}}]":                                                          "mail",
		"instance: 1\ncredentials: [{name: a, kind: ssh}]":                                                                            `there is no kind "ssh"`,
		"instance: 1\ncredentials: [{name: a, kind: snmp, expires: soon}]":                                                            `"soon" is no time`,
		"instance: 1\nacounts: []":                                                                                                    "accounts",
		"instance: 1\npeople: {by_address: true, by_employee: true}\n---\ninstance: 1\npeople: {by_address: true, by_employee: true}": "people are there already",
	} {
		_, err := instance.Parse([]document.File{{Name: "i.yaml", Text: text}})
		f := fault.As(err)
		if err == nil || f.Code != "instance-invalid" || len(f.Details) == 0 ||
			!strings.Contains(f.Details[0].String(), want) {
			t.Errorf("%s\n%v, want %s", text, err, want)
			if err != nil {
				t.Log(f.Details)
			}
		}
	}
}

// say writes steps one a line.
func say(steps []instance.Step) string {
	var out []string
	for _, s := range steps {
		line := string(s.Act) + " " + s.String()
		for _, k := range s.Keys {
			line += " " + k.Key
		}
		if len(s.Secrets) > 0 {
			line += " (" + strings.Join(s.Secrets, ", ") + ")"
		}
		out = append(out, line)
	}
	return strings.Join(out, "\n")
}

// TestFromNothing: everything is made, what others need first, and says which secrets it wants.
func TestFromNothing(t *testing.T) {
	t.Parallel()
	want := `add server ps-old
add device hall-9
add credential readers (credential readers)
add credential root-usm (credential root-usm, credential root-usm privacy)
change device hall-9 credential
add source head-office (source head-office)
add account Liv (account Liv)
add account olav (account olav)
add rule group:help as help-desk, in head-office
change people rules by_address
add link head-office/mira.solvang is yard/msol
add place yard
add package mono40
add note person:mira.solvang`
	if got := say(instance.Plan(instance.Document{}, parse(t, whole))); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
}

// TestPlan: keys that change are named, lists that are left out are left, and what goes is last, the other way about.
func TestPlan(t *testing.T) {
	t.Parallel()
	have := parse(t, whole)
	for name, c := range map[string]struct{ from, to, want string }{
		"role":           {"role: owner", "role: auditor", "change account Liv role"},
		"order of sites": {"[brannoy, kestle]", "[kestle, brannoy]", ""},
		"letters":        {"name: Liv", "name: liv", ""},
		"source elsewhere": {"ldaps://directory.skerry", "ldaps://other.skerry",
			"change source head-office url (source head-office)"},
		"source's span": {"every: 5m", "every: 10m", "change source head-office every"},
		"rule": {"role: help-desk", "role: auditor", "add rule group:help as auditor, in head-office\n" +
			"remove rule group:help as help-desk, in head-office"},
		"key":      {`["device:hall-9"]`, `["device:hall-8"]`, "change credential readers for (credential readers)"},
		"device":   {"{name: hall-9, uri", "{name: hall-8, uri", "add device hall-8\nremove device hall-9"},
		"place":    {"note: makers", "note: others", "change place yard note"},
		"account":  {"  - {name: Liv, role: owner}\n", "", "remove account Liv"},
		"no list":  {"packages:\n  - {name: mono40, digest: abcd}\n", "", ""},
		"no links": {"  links:\n    - {a: head-office/mira.solvang, b: yard/msol, reason: told on the telephone}\n", "", ""},
	} {
		if !strings.Contains(whole, c.from) {
			t.Fatalf("%s: no %q", name, c.from)
		}
		steps := instance.Plan(have, parse(t, strings.Replace(whole, c.from, c.to, 1)))
		if got := say(steps); got != c.want {
			t.Errorf("%s: got\n%s\nwant\n%s", name, got, c.want)
		}
		takes := instance.Takes(steps)
		if n := strings.Count(c.want, "remove "); len(takes) != n ||
			slices.ContainsFunc(takes, func(s instance.Step) bool { return s.Act != instance.Remove }) {
			t.Errorf("%s: takes %v", name, takes)
		}
	}
}
