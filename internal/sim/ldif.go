package sim

import (
	"fmt"
	"strings"

	"cirque/core/directory"
)

// LDIF writes what a directory holds as entries below DirectoryBase (RFC 2849, inetOrgPerson, groupOfNames, device),
// such as a Slapd takes: units are organisational units below each other, every person's password is the one given, and
// the reader's, too. What directories have no attribute for (where a machine stands, its platform) is left out, and so
// are groups without members, which groupOfNames does not have.
func LDIF(of directory.Records, password string) string {
	w := ldif{units: map[string]bool{}}
	w.entry(DirectoryBase, "objectClass: dcObject", "objectClass: organization", "dc: skerry", "o: Skerry Line")
	w.entry(DirectoryReader, "objectClass: person", "cn: reader", "sn: reader", "userPassword: "+password)
	w.unit("printers") // for queues that are listed
	dn := map[string]string{}
	for _, u := range of.Users {
		dn["user:"+u.Name] = "uid=" + u.Name + "," + w.unit(u.Unit)
	}
	for _, m := range of.Machines {
		dn["machine:"+m.Name] = "cn=" + m.Name + "," + w.unit(m.Unit)
	}
	for _, g := range of.Groups {
		dn["group:"+g.Name] = "cn=" + g.Name + "," + w.unit("groups")
	}
	for _, u := range of.Users {
		words := strings.Fields(u.DisplayName)
		lines := []string{"objectClass: inetOrgPerson", "uid: " + u.Name, "cn: " + u.DisplayName,
			"sn: " + words[len(words)-1], "userPassword: " + password}
		if u.Email != "" {
			lines = append(lines, "mail: "+u.Email)
		}
		if u.Employee != "" {
			lines = append(lines, "employeeNumber: "+u.Employee)
		}
		w.entry(dn["user:"+u.Name], lines...)
	}
	for _, m := range of.Machines {
		w.entry(dn["machine:"+m.Name], "objectClass: device", "cn: "+m.Name)
	}
	for _, g := range of.Groups {
		lines := []string{"objectClass: groupOfNames", "cn: " + g.Name}
		for _, m := range g.Members {
			if dn[m] != "" { // stations are in no directory
				lines = append(lines, "member: "+dn[m])
			}
		}
		if len(lines) > 2 {
			w.entry(dn["group:"+g.Name], lines...)
		}
	}
	return w.b.String()
}

type ldif struct {
	b     strings.Builder
	units map[string]bool
}

func (w *ldif) entry(dn string, lines ...string) {
	fmt.Fprintf(&w.b, "dn: %s\n%s\n\n", dn, strings.Join(lines, "\n"))
}

// unit gives a unit's DN, and writes the unit and those above where they are not there yet.
func (w *ldif) unit(path string) string {
	dn := DirectoryBase
	for part := range strings.SplitSeq(path, "/") {
		if part == "" {
			continue
		}
		dn = "ou=" + part + "," + dn
		if !w.units[dn] {
			w.units[dn] = true
			w.entry(dn, "objectClass: organizationalUnit", "ou: "+part)
		}
	}
	return dn
}
