// Package instance is what a service keeps besides the estate, the directory's rows and its secrets, as one document:
// who may sign in, which directories are read, who is one person, driver packages and where they come from, keys by
// their names, what is watched and what was noted. With it, the estate and the secrets, a service can be rebuilt from
// files that are kept elsewhere.
package instance

import (
	"bytes"
	"cmp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"cirque/core/access"
)

// A Document is all of it. A list that it leaves out it does not speak of.
type Document struct {
	Instance int `json:"instance" yaml:"instance"`

	Sources     []Source     `json:"sources,omitempty" yaml:"sources,omitempty"`
	Accounts    []Account    `json:"accounts,omitempty" yaml:"accounts,omitempty"`
	Rules       []Rule       `json:"rules,omitempty" yaml:"rules,omitempty"`
	People      *People      `json:"people,omitempty" yaml:"people,omitempty"`
	Credentials []Credential `json:"credentials,omitempty" yaml:"credentials,omitempty"`
	Servers     []Watch      `json:"servers,omitempty" yaml:"servers,omitempty"`
	Devices     []Watch      `json:"devices,omitempty" yaml:"devices,omitempty"`
	Places      []Place      `json:"places,omitempty" yaml:"places,omitempty"`
	Packages    []Package    `json:"packages,omitempty" yaml:"packages,omitempty"`
	Notes       []Note       `json:"notes,omitempty" yaml:"notes,omitempty"`
}

// A Source is a directory that is read over LDAP, with the keys of directory.Source; the password of its account is a
// secret. Every and Whole are spans, such as 5m.
type Source struct {
	Name         string            `json:"name" yaml:"name"`
	URL          string            `json:"url" yaml:"url"`
	StartTLS     bool              `json:"start_tls,omitempty" yaml:"start_tls,omitempty"`
	CA           string            `json:"ca,omitempty" yaml:"ca,omitempty"`
	Bind         string            `json:"bind,omitempty" yaml:"bind,omitempty"`
	Base         string            `json:"base" yaml:"base"`
	Preset       string            `json:"preset,omitempty" yaml:"preset,omitempty"`
	Map          map[string]string `json:"map,omitempty" yaml:"map,omitempty"`
	RemovalLimit int               `json:"removal_limit,omitempty" yaml:"removal_limit,omitempty"`
	Every        string            `json:"every,omitempty" yaml:"every,omitempty"`
	Whole        string            `json:"whole,omitempty" yaml:"whole,omitempty"`
	ListUnder    string            `json:"list_under,omitempty" yaml:"list_under,omitempty"`
	SignIn       bool              `json:"sign_in,omitempty" yaml:"sign_in,omitempty"`
	Paused       bool              `json:"paused,omitempty" yaml:"paused,omitempty"`
}

// An Account is a local one; its password is a secret.
type Account struct {
	Name  string   `json:"name" yaml:"name"`
	Role  string   `json:"role" yaml:"role"`
	Sites []string `json:"sites,omitempty" yaml:"sites,omitempty"`
}

// A Rule lets people of a directory sign in with a role.
type Rule struct {
	Who    string   `json:"who" yaml:"who"`
	Source string   `json:"source,omitempty" yaml:"source,omitempty"`
	Role   string   `json:"role" yaml:"role"`
	Sites  []string `json:"sites,omitempty" yaml:"sites,omitempty"`
}

// People say which accounts are one person.
type People struct {
	ByAddress  bool   `json:"by_address" yaml:"by_address"`
	ByEmployee bool   `json:"by_employee" yaml:"by_employee"`
	Primary    string `json:"primary,omitempty" yaml:"primary,omitempty"`
	Links      []Link `json:"links,omitempty" yaml:"links,omitempty"`
}

// A Link is somebody's word that two accounts, SOURCE/NAME or a bare name, are one person or are not.
type Link struct {
	A        string `json:"a" yaml:"a"`
	B        string `json:"b" yaml:"b"`
	Unlinked bool   `json:"unlinked,omitempty" yaml:"unlinked,omitempty"`
	Reason   string `json:"reason,omitempty" yaml:"reason,omitempty"`
}

// A Credential is a key to servers and devices without its secrets.
type Credential struct {
	Name       string   `json:"name" yaml:"name"`
	Kind       string   `json:"kind" yaml:"kind"`
	User       string   `json:"user,omitempty" yaml:"user,omitempty"`
	For        []string `json:"for,omitempty" yaml:"for,omitempty"`
	AllowClear bool     `json:"allow_clear,omitempty" yaml:"allow_clear,omitempty"`
	Expires    string   `json:"expires,omitempty" yaml:"expires,omitempty"`
}

// A Watch is a server or device that was registered by hand.
type Watch struct {
	Name          string `json:"name" yaml:"name"`
	Title         string `json:"title,omitempty" yaml:"title,omitempty"`
	URI           string `json:"uri" yaml:"uri"`
	Location      string `json:"location,omitempty" yaml:"location,omitempty"`
	MAC           string `json:"mac,omitempty" yaml:"mac,omitempty"`
	AddressKeptBy string `json:"address_kept_by,omitempty" yaml:"address_kept_by,omitempty"`
	Credential    string `json:"credential,omitempty" yaml:"credential,omitempty"`
	Note          string `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Package is a driver package; its files are kept beside the document, in a folder of the package's name.
type Package struct {
	Name   string `json:"name" yaml:"name"`
	Digest string `json:"digest" yaml:"digest"`
	Note   string `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Place is where driver packages are fetched from.
type Place struct {
	Name       string `json:"name" yaml:"name"`
	URL        string `json:"url" yaml:"url"`
	CA         string `json:"ca,omitempty" yaml:"ca,omitempty"`
	AllowClear bool   `json:"allow_clear,omitempty" yaml:"allow_clear,omitempty"`
	Note       string `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Note is what is written down about a person or a machine.
type Note struct {
	About string `json:"about" yaml:"about"` // person:NAME or machine:NAME
	Note  string `json:"note" yaml:"note"`
}

// YAML writes the document, stable in order; Parse reads it back to the same.
func (d Document) YAML() ([]byte, error) {
	var b bytes.Buffer
	enc := yaml.NewEncoder(&b)
	enc.SetIndent(2)
	if err := enc.Encode(d.Sorted()); err != nil {
		return nil, err
	}
	return b.Bytes(), enc.Close()
}

// Sorted gives it with every list in order.
func (d Document) Sorted() Document {
	by := func(a, b string) int { return cmp.Compare(a, b) }
	d.Sources = sorted(d.Sources, func(a, b Source) int { return by(a.Name, b.Name) })
	d.Accounts = sorted(d.Accounts, func(a, b Account) int { return by(a.Name, b.Name) })
	d.Rules = sorted(d.Rules, func(a, b Rule) int { return by(a.key(), b.key()) })
	d.Credentials = sorted(d.Credentials, func(a, b Credential) int { return by(a.Name, b.Name) })
	d.Servers = sorted(d.Servers, func(a, b Watch) int { return by(a.Name, b.Name) })
	d.Devices = sorted(d.Devices, func(a, b Watch) int { return by(a.Name, b.Name) })
	d.Places = sorted(d.Places, func(a, b Place) int { return by(a.Name, b.Name) })
	d.Packages = sorted(d.Packages, func(a, b Package) int { return cmp.Or(by(a.Name, b.Name), by(a.Digest, b.Digest)) })
	d.Notes = sorted(d.Notes, func(a, b Note) int { return by(a.About, b.About) })
	if d.People != nil {
		p := *d.People
		p.Links = sorted(p.Links, func(a, b Link) int { return by(a.key(), b.key()) })
		d.People = &p
	}
	return d
}

func sorted[T any](list []T, by func(a, b T) int) []T {
	out := slices.Clone(list)
	slices.SortStableFunc(out, by)
	return out
}

func (r Rule) key() string {
	sites := slices.Sorted(slices.Values(r.Sites))
	return strings.Join([]string{r.Who, r.Source, r.Role, strings.Join(sites, ",")}, "\x00")
}

// Title is what a step calls it.
func (r Rule) Title() string {
	says := r.Who + " as " + r.Role
	if len(r.Sites) > 0 {
		says += " of " + strings.Join(r.Sites, ", ")
	}
	if r.Source != "" {
		says += ", in " + r.Source
	}
	return says
}

func (l Link) key() string { return l.A + "\x00" + l.B }

// Title is what a step calls it.
func (l Link) Title() string {
	if l.Unlinked {
		return l.A + " is not " + l.B
	}
	return l.A + " is " + l.B
}

// localRoles are those that an account or a rule can have.
func localRoles() []string {
	var out []string
	for _, r := range access.Roles() {
		out = append(out, string(r))
	}
	return out
}
