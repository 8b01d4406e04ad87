package ldap

import (
	"reflect"
	"strings"
	"testing"

	"cirque/core/fault"
)

const people = `dn: dc=skerry,dc=example
objectClass: domain

dn: uid=mira.solvang,ou=booking,OU=sea\2Fland,ou=staff,dc=skerry,dc=example
objectClass: inetOrgPerson
uid: mira.solvang
cn: Mira Solvang
mail: mira.solvang@skerry.example

dn: cn=Clerks,ou=groups,dc=skerry,dc=example
objectClass: groupOfNames
cn: Clerks
member: UID=mira.solvang, ou=booking,ou=sea\2Fland,ou=staff,dc=skerry,dc=example
member: cn=till-07,ou=machines,dc=skerry,dc=example
member: cn=Temps,ou=groups,dc=skerry,dc=example
member: uid=elsewhere,dc=other,dc=example

dn: cn=Temps,ou=groups,dc=skerry,dc=example
objectClass: posixGroup
cn: Temps
memberUid: temp.desk

dn: cn=till-07,ou=machines,dc=skerry,dc=example
objectClass: device
cn: till-07
`

func TestReadLDIF(t *testing.T) {
	t.Parallel()
	r, err := ReadLDIF("people.ldif", people)
	if err != nil {
		t.Fatal(err)
	}
	if len(r.Users) != 1 || r.Users[0].Unit != `staff/sea\/land/booking` || r.Users[0].DisplayName != "Mira Solvang" {
		t.Errorf("users %+v", r.Users)
	}
	if len(r.Machines) != 1 || r.Machines[0].Unit != "machines" {
		t.Errorf("machines %+v", r.Machines)
	}
	if want := []string{"user:mira.solvang", "machine:till-07", "group:Temps", "user:elsewhere"}; len(r.Groups) != 2 ||
		!reflect.DeepEqual(r.Groups[0].Members, want) || !reflect.DeepEqual(r.Groups[1].Members, []string{"user:temp.desk"}) {
		t.Errorf("groups %+v", r.Groups)
	}
}

func TestReadLDIFRefuses(t *testing.T) {
	t.Parallel()
	_, err := ReadLDIF("people.ldif", people+"\n"+people[strings.Index(people, "dn: uid"):])
	f := fault.As(err)
	if f == nil || f.Code != "directory-invalid" || len(f.Details) != 4 || f.Details[0].Place != "people.ldif:27" {
		t.Errorf("%v %v", err, f)
	}
	if _, err := ReadLDIF("x.ldif", "cn: a"); fault.As(err).Details[0].Place != "x.ldif:1" {
		t.Error(err)
	}
}
