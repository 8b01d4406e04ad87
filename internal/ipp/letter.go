package ipp

import (
	"fmt"
	"slices"
)

// A LetterError is what of a request is not as RFC 8011 has it, with the status that answers it.
type LetterError struct {
	Status Status
	Says   string
}

func (e *LetterError) Error() string { return e.Says }

func bad(format string, args ...any) error {
	return &LetterError{BadRequest, fmt.Sprintf(format, args...)}
}

// operationSyntax are the syntaxes of operation attributes (RFC 8011, section 4; PWG 5100.7, 5100.11, 5100.13).
var operationSyntax = map[string]struct {
	tags []Tag
	many bool
}{
	"attributes-charset": {tags: []Tag{Charset}}, "attributes-natural-language": {tags: []Tag{Language}},
	"printer-uri": {tags: []Tag{URI}}, "job-uri": {tags: []Tag{URI}}, "job-id": {tags: []Tag{Integer}},
	"requesting-user-name": {tags: []Tag{Name, NameWithLanguage}}, "requesting-user-uri": {tags: []Tag{URI}},
	"job-name":      {tags: []Tag{Name, NameWithLanguage}},
	"document-name": {tags: []Tag{Name, NameWithLanguage}}, "document-format": {tags: []Tag{MIMEType}},
	"document-natural-language": {tags: []Tag{Language}},
	"compression":               {tags: []Tag{Keyword}}, "ipp-attribute-fidelity": {tags: []Tag{Boolean}},
	"last-document": {tags: []Tag{Boolean}}, "limit": {tags: []Tag{Integer}}, "which-jobs": {tags: []Tag{Keyword}},
	"my-jobs": {tags: []Tag{Boolean}}, "requested-attributes": {tags: []Tag{Keyword}, many: true},
	"job-ids": {tags: []Tag{Integer}, many: true}, "message": {tags: []Tag{Text, TextWithLanguage}},
	"identify-actions":         {tags: []Tag{Keyword}, many: true},
	"job-mandatory-attributes": {tags: []Tag{Keyword}, many: true},
	"job-k-octets":             {tags: []Tag{Integer}}, "job-impressions": {tags: []Tag{Integer}},
	"job-media-sheets": {tags: []Tag{Integer}}, "first-index": {tags: []Tag{Integer}},
}

// most are the lengths in octets that values of the text types have at most (RFC 8011, section 5.1).
var most = map[Tag]int{Text: 1023, Name: 255, Keyword: 255, URI: 1023, URIScheme: 63, Charset: 63, Language: 63,
	MIMEType: 255}

// Letter holds a request to RFC 8011, section 4.1: its number, its groups and their order, the attributes with which
// the first begins, its target, and the syntaxes of what it says. The error is a *LetterError.
func (m Message) Letter() error {
	if m.Version.Major < 1 || m.Version.Major > 2 {
		return &LetterError{VersionNotSupported, "versions 1.0 to 2.2 are spoken here"}
	}
	if m.ID < 1 {
		return bad("request-id is %d, and is to be at least 1", m.ID)
	}
	if len(m.Groups) == 0 || m.Groups[0].Tag != OperationGroup {
		return bad("the request does not begin with operation attributes")
	}
	last := GroupTag(0)
	for _, g := range m.Groups {
		if g.Tag < last || g.Tag == last && (g.Tag == OperationGroup || g.Tag == JobGroup) {
			return bad("the groups of attributes are out of order")
		}
		last = g.Tag
		names := map[string]bool{}
		for _, a := range g.Attributes {
			if names[a.Name] {
				return bad("%s is there twice", a.Name)
			}
			names[a.Name] = true
			if err := a.lengths(); err != nil {
				return err
			}
		}
	}
	return m.operation()
}

func (m Message) operation() error {
	list := m.Groups[0].Attributes
	for i, name := range []string{"attributes-charset", "attributes-natural-language"} {
		if len(list) <= i || list[i].Name != name {
			return bad("%s is to be the operation attribute number %d", name, i+1)
		}
	}
	for _, a := range list {
		s, known := operationSyntax[a.Name]
		if !known {
			continue
		}
		if len(a.Values) != 1 && !s.many {
			return bad("%s has %d values", a.Name, len(a.Values))
		}
		for _, v := range a.Values {
			if !slices.Contains(s.tags, v.Tag) {
				return bad("%s has the wrong syntax", a.Name)
			}
		}
	}
	if c := list[0].Values[0].Text; c != "utf-8" && c != "us-ascii" {
		return &LetterError{CharsetNotSupported, "utf-8 and us-ascii are spoken here, not " + c}
	}
	_, printer := m.Find(OperationGroup, "printer-uri")
	_, job := m.Find(OperationGroup, "job-uri")
	if !printer && !job {
		return bad("the request has no target: printer-uri, or job-uri")
	}
	return nil
}

// lengths gives an error where a value is longer than its syntax lets it be.
func (a Attribute) lengths() error {
	for _, v := range a.Values {
		if n := most[v.Tag]; n > 0 && len(v.Text) > n {
			return &LetterError{ValueTooLong, fmt.Sprintf("%s is longer than %d octets", a.Name, n)}
		}
	}
	return nil
}
