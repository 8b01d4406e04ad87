package ipp

import (
	"encoding/binary"
	"errors"
	"fmt"
)

// AppendTo appends m's encoding to b. Parse gives m back.
func (m Message) AppendTo(b []byte) ([]byte, error) {
	b = append(b, m.Version.Major, m.Version.Minor)
	b = binary.BigEndian.AppendUint16(b, m.Code)
	b = binary.BigEndian.AppendUint32(b, uint32(m.ID))
	for _, g := range m.Groups {
		if g.Tag == endOfAttributes || g.Tag >= 0x10 || g.Tag == 0 {
			return nil, fmt.Errorf("0x%02x begins no group", byte(g.Tag))
		}
		b = append(b, byte(g.Tag))
		for _, a := range g.Attributes {
			var err error
			if b, err = a.appendTo(b, 0); err != nil {
				return nil, fmt.Errorf("attribute %s: %w", a.Name, err)
			}
		}
	}
	return append(b, byte(endOfAttributes)), nil
}

func (a Attribute) appendTo(b []byte, depth int) ([]byte, error) {
	if a.Name == "" || len(a.Name) > maxLength {
		return nil, errors.New("a name has 1 to 32767 bytes")
	}
	if len(a.Values) == 0 || depth > MaxDepth {
		return nil, errors.New("no value, or nested too deeply")
	}
	for i, v := range a.Values {
		name := a.Name
		if i > 0 {
			name = "" // an additional value (RFC 8010, section 3.1.5)
		}
		if depth > 0 && i == 0 {
			// a member's name is a value (section 3.1.6)
			b = appendField(append(append(b, byte(memberName)), 0, 0), []byte(name))
		}
		if depth > 0 {
			name = ""
		}
		b = appendField(append(b, byte(v.Tag)), []byte(name))
		var err error
		if b, err = v.appendTo(b, depth); err != nil {
			return nil, err
		}
	}
	return b, nil
}

func appendField(b, field []byte) []byte {
	return append(binary.BigEndian.AppendUint16(b, uint16(len(field))), field...)
}

func (v Value) appendTo(b []byte, depth int) ([]byte, error) {
	switch v.Tag {
	case Integer, Enum:
		return binary.BigEndian.AppendUint32(append(b, 0, 4), uint32(v.Int)), nil
	case Boolean:
		return append(b, 0, 1, byte(v.Int&1)), nil
	case begCollection:
		b = append(b, 0, 0)
		for _, m := range v.Members {
			var err error
			if b, err = m.appendTo(b, depth+1); err != nil {
				return nil, err
			}
		}
		return append(b, byte(endCollection), 0, 0, 0, 0), nil
	case TextWithLanguage, NameWithLanguage:
		n := 4 + len(v.Lang) + len(v.Text)
		if n > maxLength {
			return nil, errors.New("the value is too long")
		}
		b = binary.BigEndian.AppendUint16(b, uint16(n))
		return appendField(appendField(b, []byte(v.Lang)), []byte(v.Text)), nil
	case endCollection, memberName:
		return nil, errors.New("the tag belongs to the encoding of collections")
	}
	if v.Tag < 0x10 {
		return nil, fmt.Errorf("0x%02x is no tag of a value", byte(v.Tag))
	}
	raw := v.Raw
	if v.Tag.isText() {
		raw = []byte(v.Text)
	}
	if len(raw) > maxLength {
		return nil, errors.New("the value is too long")
	}
	return appendField(b, raw), nil
}

func (t Tag) isText() bool { return t >= 0x40 && t < 0x60 }

// AppendGroup appends attributes as they stand in a message, without what surrounds them; ParseGroup gives them back.
func AppendGroup(b []byte, list []Attribute) ([]byte, error) {
	for _, a := range list {
		var err error
		if b, err = a.appendTo(b, 0); err != nil {
			return nil, fmt.Errorf("attribute %s: %w", a.Name, err)
		}
	}
	return b, nil
}

// ParseGroup reads attributes that AppendGroup wrote.
func ParseGroup(b []byte) ([]Attribute, error) {
	whole := append([]byte{2, 0, 0, 0, 0, 0, 0, 1, byte(JobGroup)}, b...)
	m, _, err := Parse(append(whole, byte(endOfAttributes)))
	if err != nil || len(m.Groups) != 1 {
		return nil, err
	}
	return m.Groups[0].Attributes, nil
}
