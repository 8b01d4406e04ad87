// Package ipp is the Internet Printing Protocol's encoding (RFC 8010) with the parts of its model (RFC 8011) that
// Cirque needs: from bytes to messages with Parse, and back with AppendTo. It opens no sockets and knows nothing of
// estates.
package ipp

import (
	"encoding/binary"
	"fmt"
	"strings"
)

// Limits on what Parse takes, beyond those of the encoding itself.
const (
	MaxHeader     = 1 << 20 // bytes before the end-of-attributes tag
	MaxAttributes = 4096    // in one message, members of collections included
	MaxValues     = 4096    // of one attribute
	MaxDepth      = 8       // of collections in collections
	maxLength     = 1<<15 - 1
)

// A GroupTag begins a group of attributes (RFC 8010, section 3.5.1).
type GroupTag byte

// The groups.
const (
	OperationGroup   GroupTag = 0x01
	JobGroup         GroupTag = 0x02
	endOfAttributes  GroupTag = 0x03
	PrinterGroup     GroupTag = 0x04
	UnsupportedGroup GroupTag = 0x05
)

// A Tag is the syntax of a value (RFC 8010, section 3.5.2).
type Tag byte

// The tags.
const (
	Unsupported      Tag = 0x10
	UnknownValue     Tag = 0x12
	NoValue          Tag = 0x13
	Integer          Tag = 0x21
	Boolean          Tag = 0x22
	DeleteAttribute  Tag = 0x16 // has it removed (RFC 3380, section 8.2)
	Enum             Tag = 0x23
	OctetString      Tag = 0x30
	DateTime         Tag = 0x31
	Resolution       Tag = 0x32
	Range            Tag = 0x33
	begCollection    Tag = 0x34
	TextWithLanguage Tag = 0x35
	NameWithLanguage Tag = 0x36
	endCollection    Tag = 0x37
	Text             Tag = 0x41
	Name             Tag = 0x42
	Keyword          Tag = 0x44
	URI              Tag = 0x45
	URIScheme        Tag = 0x46
	Charset          Tag = 0x47
	Language         Tag = 0x48
	MIMEType         Tag = 0x49
	memberName       Tag = 0x4a
)

// Collection is the tag of a value that holds members.
const Collection = begCollection

// A Version is a protocol version, such as 2.0.
type Version struct{ Major, Minor byte }

// A Message is one request or response, without the document that may follow it.
type Message struct {
	Version Version
	Code    uint16 // an Op in a request, a Status in a response
	ID      int32  // request-id, at least 1
	Groups  []Group
}

// A Group is a run of attributes.
type Group struct {
	Tag        GroupTag
	Attributes []Attribute
}

// An Attribute has one or several values.
type Attribute struct {
	Name   string
	Values []Value
}

// A Value is one typed value. Which field counts follows from the tag: Int for integers, enums and booleans (1 is
// true), Members for collections, Text for the text types, Raw for all others and for what is out of band.
type Value struct {
	Tag     Tag
	Int     int32
	Text    string
	Lang    string // of the types with language
	Raw     []byte
	Members []Attribute
}

// Str makes a value of a text type.
func Str(tag Tag, s string) Value { return Value{Tag: tag, Text: s} }

// Int makes an integer or enum.
func Int(tag Tag, i int32) Value { return Value{Tag: tag, Int: i} }

// Bool makes a boolean.
func Bool(b bool) Value {
	v := Value{Tag: Boolean}
	if b {
		v.Int = 1
	}
	return v
}

// Dots makes a resolution of so many dots an inch both ways (RFC 8011, section 5.1.16).
func Dots(perInch int32) Value {
	b := binary.BigEndian.AppendUint32(nil, uint32(perInch))
	b = binary.BigEndian.AppendUint32(b, uint32(perInch))
	return Value{Tag: Resolution, Raw: append(b, 3)}
}

// Attr makes an attribute.
func Attr(name string, values ...Value) Attribute { return Attribute{name, values} }

// Strs makes an attribute of several values of one text type.
func Strs(tag Tag, name string, list ...string) Attribute {
	a := Attribute{Name: name}
	for _, s := range list {
		a.Values = append(a.Values, Str(tag, s))
	}
	return a
}

// NewRequest begins a request with the operation attributes that every request needs, in the order that RFC 8011,
// section 4.1.4.1 prescribes. The target is the printer, or the system for what a system service is asked.
func NewRequest(op Op, id int32, uri string, more ...Attribute) Message {
	m := begin(uint16(op), id)
	target := "printer-uri"
	if op == GetPrinters {
		target = "system-uri"
	}
	m.Groups[0].Attributes = append(m.Groups[0].Attributes, Attr(target, Str(URI, uri)))
	m.Groups[0].Attributes = append(m.Groups[0].Attributes, more...)
	return m
}

// Respond begins the response to a request: of its id and, where that is spoken here, its version (RFC 8011, section
// 4.1.8).
func (m Message) Respond(s Status, says string) Message {
	out := begin(uint16(s), m.ID)
	if m.Version.Major == 1 || m.Version.Major == 2 {
		out.Version = m.Version
	}
	if says != "" {
		out.Groups[0].Attributes = append(out.Groups[0].Attributes, Attr("status-message",
			Str(Text, strings.ToValidUTF8(says[:min(len(says), 255)], ""))))
	}
	return out
}

func begin(code uint16, id int32) Message {
	return Message{Version: Version{2, 0}, Code: code, ID: id, Groups: []Group{{OperationGroup, []Attribute{
		Attr("attributes-charset", Str(Charset, "utf-8")), Attr("attributes-natural-language", Str(Language, "en"))}}}}
}

// Find gives the first attribute of a name in the first group of a kind that has it.
func (m Message) Find(group GroupTag, name string) (Attribute, bool) {
	for _, g := range m.Groups {
		if g.Tag != group {
			continue
		}
		if a, ok := g.Find(name); ok {
			return a, true
		}
	}
	return Attribute{}, false
}

// Find gives a group's first attribute of a name.
func (g Group) Find(name string) (Attribute, bool) {
	for _, a := range g.Attributes {
		if a.Name == name {
			return a, true
		}
	}
	return Attribute{}, false
}

// One makes a message of a single group, so that an answer of many groups can be read one by one.
func (g Group) One() Message { return Message{Groups: []Group{g}} }

// Text gives an attribute's first value as text, "" where there is none.
func (m Message) Text(group GroupTag, name string) string {
	a, ok := m.Find(group, name)
	if !ok || len(a.Values) == 0 {
		return ""
	}
	return a.Values[0].Text
}

// Number gives an attribute's first value as a number, 0 where there is none.
func (m Message) Number(group GroupTag, name string) int {
	a, ok := m.Find(group, name)
	if !ok || len(a.Values) == 0 {
		return 0
	}
	return int(a.Values[0].Int)
}

// Texts gives all of an attribute's values as texts.
func (m Message) Texts(group GroupTag, name string) []string {
	a, _ := m.Find(group, name)
	var out []string
	for _, v := range a.Values {
		out = append(out, v.Text)
	}
	return out
}

// Printer states (RFC 8011, section 5.4.12).
const (
	PrinterIdle       = 3
	PrinterProcessing = 4
	PrinterStopped    = 5
)

var jobStates = map[int]string{3: "pending", 4: "pending-held", 5: "processing", 6: "processing-stopped", 7: "canceled",
	8: "aborted", 9: "completed"}

// JobCompleted is the state of a job that has been printed (RFC 8011, section 5.3.7).
const JobCompleted = 9

// JobState gives the keyword of a job state.
func JobState(n int) string {
	if s, ok := jobStates[n]; ok {
		return s
	}
	return fmt.Sprintf("state %d", n)
}

// JobStateOf is the number of a job state's keyword, that of processing where it has none.
func JobStateOf(word string) int {
	for n, w := range jobStates {
		if w == word {
			return n
		}
	}
	return 5
}

// Requested keeps those attributes that a request's requested-attributes asks for (RFC 8011, section 4.2.5.1): all
// where it asks for none, or for a group.
func Requested(req Message, all []Attribute) []Attribute {
	asked := req.Texts(OperationGroup, "requested-attributes")
	if len(asked) == 0 {
		return all
	}
	want := map[string]bool{}
	for _, a := range asked {
		if a == "all" || a == "printer-description" || a == "job-template" || a == "job-description" {
			return all
		}
		want[a] = true
	}
	var out []Attribute
	for _, a := range all {
		if want[a.Name] {
			out = append(out, a)
		}
	}
	return out
}
