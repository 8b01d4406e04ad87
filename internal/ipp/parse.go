package ipp

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
)

// A ParseError says where parsing stopped.
type ParseError struct {
	Off   int    // bytes from the start of the message
	Field string // RFC 8010's name, such as "value-length"
	Err   error
}

func (e *ParseError) Error() string {
	return fmt.Sprintf("ipp: byte %d, %s: %v", e.Off, e.Field, e.Err)
}

// Unwrap gives the cause.
func (e *ParseError) Unwrap() error { return e.Err }

// What can be wrong with a message.
var (
	ErrShort   = errors.New("the message ends too early")
	ErrLength  = errors.New("a length that does not fit")
	ErrTag     = errors.New("a tag that does not belong here")
	ErrTooMany = errors.New("over a limit")
)

// Parse reads the attributes of one message; rest is the document that follows them. It keeps nothing of b. Errors are
// *ParseError.
func Parse(b []byte) (m Message, rest []byte, err error) {
	return ParseWithin(b, MaxHeader, MaxAttributes)
}

// ParseWithin is Parse with other limits, for answers that list many printers: bytes before the end-of-attributes tag,
// and attributes.
func ParseWithin(b []byte, header, attributes int) (m Message, rest []byte, err error) {
	r := &reader{b: b, header: header, attributes: attributes}
	m = r.message()
	if r.err != nil {
		return Message{}, nil, r.err
	}
	return m, b[r.off:], nil
}

// ReadMessage reads one message from a stream, no byte beyond it and at most MaxHeader.
func ReadMessage(in io.Reader) (Message, error) {
	br, ok := in.(io.ByteReader)
	if !ok {
		return Message{}, errors.New("ipp: the stream must be an io.ByteReader, so that the document stays in it")
	}
	var b []byte
	// The encoding has no total length: take fields as they come, and parse the whole once it has ended.
	take := func(n int) error {
		for range n {
			c, err := br.ReadByte()
			if err != nil {
				return &ParseError{len(b), "message", ErrShort}
			}
			b = append(b, c)
		}
		if len(b) > MaxHeader {
			return &ParseError{len(b), "message", ErrTooMany}
		}
		return nil
	}
	if err := take(8); err != nil {
		return Message{}, err
	}
	for {
		if err := take(1); err != nil {
			return Message{}, err
		}
		switch tag := b[len(b)-1]; {
		case GroupTag(tag) == endOfAttributes:
			m, _, err := Parse(b)
			return m, err
		case tag < 0x10:
			continue
		}
		for range 2 { // name, then value
			if err := take(2); err != nil {
				return Message{}, err
			}
			n := binary.BigEndian.Uint16(b[len(b)-2:])
			if n > maxLength {
				return Message{}, &ParseError{len(b), "length", ErrLength}
			}
			if err := take(int(n)); err != nil {
				return Message{}, err
			}
		}
	}
}

// Buffered makes a reader from which ReadMessage can leave the document.
func Buffered(in io.Reader) *bufio.Reader { return bufio.NewReaderSize(in, 16<<10) }

// reader is bounds-checked; its first error sticks, and everything after it reads as zero.
type reader struct {
	b     []byte
	off   int
	count int
	err   error

	header, attributes int // limits
}

func (r *reader) fail(field string, err error) {
	if r.err == nil {
		r.err = &ParseError{r.off, field, err}
	}
}

func (r *reader) take(n int, field string) []byte {
	if r.err != nil || n > len(r.b)-r.off {
		r.fail(field, ErrShort)
		return nil
	}
	out := r.b[r.off : r.off+n]
	r.off += n
	return out
}

func (r *reader) byte(field string) byte {
	if b := r.take(1, field); b != nil {
		return b[0]
	}
	return 0
}

func (r *reader) field(field string) []byte {
	l := r.take(2, field+"-length")
	if l == nil {
		return nil
	}
	n := int(binary.BigEndian.Uint16(l))
	if n > maxLength {
		r.fail(field+"-length", ErrLength)
		return nil
	}
	return r.take(n, field)
}

func (r *reader) message() Message {
	var m Message
	if len(r.b) > r.header {
		r.b = r.b[:r.header] // the document may be longer, the attributes may not
	}
	m.Version = Version{r.byte("version-number"), r.byte("version-number")}
	if b := r.take(6, "request-id"); b != nil {
		m.Code, m.ID = binary.BigEndian.Uint16(b), int32(binary.BigEndian.Uint32(b[2:]))
	}
	for r.err == nil {
		tag := r.byte("begin-attribute-group-tag")
		switch {
		case r.err != nil:
		case GroupTag(tag) == endOfAttributes:
			return m
		case tag == 0 || tag >= 0x10 && len(m.Groups) == 0:
			r.fail("begin-attribute-group-tag", ErrTag)
		case tag < 0x10:
			m.Groups = append(m.Groups, Group{Tag: GroupTag(tag)})
			if len(m.Groups) > r.attributes {
				r.fail("begin-attribute-group-tag", ErrTooMany)
			}
		default:
			g := &m.Groups[len(m.Groups)-1]
			r.attribute(&g.Attributes, Tag(tag))
		}
	}
	return m
}

// attribute reads one attribute, or one more value of the last.
func (r *reader) attribute(into *[]Attribute, tag Tag) {
	name := r.field("name")
	if tag == endCollection || tag == memberName {
		r.fail("value-tag", ErrTag)
		return
	}
	v := r.value(tag, 0)
	if r.err != nil {
		return
	}
	if len(name) == 0 {
		if len(*into) == 0 {
			r.fail("name-length", ErrTag)
			return
		}
		r.add(&(*into)[len(*into)-1], v)
		return
	}
	*into = append(*into, Attribute{Name: string(name)})
	r.counted()
	r.add(&(*into)[len(*into)-1], v)
}

func (r *reader) counted() {
	if r.count++; r.count > r.attributes {
		r.fail("attribute", ErrTooMany)
	}
}

func (r *reader) add(a *Attribute, v Value) {
	if len(a.Values) >= MaxValues {
		r.fail("additional-value", ErrTooMany)
		return
	}
	a.Values = append(a.Values, v)
}

func (r *reader) value(tag Tag, depth int) Value {
	v := Value{Tag: tag}
	at := r.off
	b := r.field("value")
	if r.err != nil {
		return v
	}
	want := func(n int) bool {
		if len(b) != n {
			r.off = at
			r.fail("value-length", ErrLength)
			return false
		}
		return true
	}
	switch tag {
	case Integer, Enum:
		if want(4) {
			v.Int = int32(binary.BigEndian.Uint32(b))
		}
	case Boolean:
		if want(1) {
			v.Int = int32(b[0] & 1)
		}
	case DateTime:
		if want(11) {
			v.Raw = append(v.Raw, b...)
		}
	case Resolution:
		if want(9) {
			v.Raw = append(v.Raw, b...)
		}
	case Range:
		if want(8) {
			v.Raw = append(v.Raw, b...)
		}
	case TextWithLanguage, NameWithLanguage:
		in := &reader{b: b}
		v.Lang, v.Text = string(in.field("language")), string(in.field("text"))
		if in.err != nil || in.off != len(b) {
			r.fail("value", ErrLength)
		}
	case begCollection:
		if want(0) {
			v.Members = r.members(depth + 1)
		}
	default:
		if tag.isText() {
			v.Text = string(b)
		} else if len(b) > 0 {
			v.Raw = append(v.Raw, b...)
		}
	}
	return v
}

// members reads a collection to its end (RFC 8010, section 3.1.6).
func (r *reader) members(depth int) []Attribute {
	if depth > MaxDepth {
		r.fail("collection", ErrTooMany)
		return nil
	}
	var out []Attribute
	for r.err == nil {
		tag := Tag(r.byte("value-tag"))
		if len(r.field("name")) != 0 {
			r.fail("name-length", ErrLength)
		}
		switch {
		case r.err != nil:
		case tag == endCollection:
			if len(r.field("end-value")) != 0 {
				r.fail("end-value-length", ErrLength)
			}
			return out
		case tag == memberName:
			name := r.field("member-name")
			if len(name) == 0 {
				r.fail("member-name", ErrLength)
			}
			r.counted()
			out = append(out, Attribute{Name: string(name)})
		case tag < 0x10 || len(out) == 0:
			r.fail("value-tag", ErrTag)
		default:
			v := r.value(tag, depth)
			if r.err == nil {
				r.add(&out[len(out)-1], v)
			}
		}
	}
	return out
}
