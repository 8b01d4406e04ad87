package winspool

import (
	"encoding/binary"
	"slices"
	"unicode/utf16"
)

// A Mode is the public part of a DEVMODEW structure, as far as a printer's defaults go. Has says which members count
// (dmFields). The zero Mode says nothing.
type Mode struct {
	Has         uint32
	Orientation int16
	Paper       int16
	Length      int16 // tenths of a millimetre
	Width       int16
	Scale       int16
	Copies      int16
	Source      int16
	Quality     int16 // below zero a kind, above it dots per inch
	Color       int16
	Duplex      int16
	Collate     int16
	Form        string // dmFormName
}

// What a Mode has (dmFields).
const (
	HasOrientation = 0x1
	HasPaper       = 0x2
	HasLength      = 0x4
	HasWidth       = 0x8
	HasScale       = 0x10
	HasCopies      = 0x100
	HasSource      = 0x200
	HasQuality     = 0x400
	HasColor       = 0x800
	HasDuplex      = 0x1000
	HasCollate     = 0x8000
	HasForm        = 0x10000
)

// Where the members stand (DEVMODEW, wingdi.h), and how long its public part is.
const (
	modeSize     = 220
	formLength   = 32 // characters of dmFormName and dmDeviceName
	sizeAt       = 68
	extraAt      = 70
	fieldsAt     = 72
	numbersAt    = 76
	collateAt    = 100
	formAt       = 102
	minimumModes = formAt + 2*formLength
)

// ReadMode reads the public part of a DEVMODE. One that is too short says nothing.
func ReadMode(b []byte) (m Mode) {
	if len(b) < minimumModes {
		return m
	}
	m.Has = binary.LittleEndian.Uint32(b[fieldsAt:])
	for i, v := range m.numbers() {
		*v = int16(binary.LittleEndian.Uint16(b[numbersAt+2*i:]))
	}
	m.Collate = int16(binary.LittleEndian.Uint16(b[collateAt:]))
	m.Form = text(b[formAt:], formLength)
	return m
}

// numbers are the members that stand in a row; Duplex comes after them.
func (m *Mode) numbers() []*int16 {
	return []*int16{&m.Orientation, &m.Paper, &m.Length, &m.Width, &m.Scale, &m.Copies, &m.Source, &m.Quality, &m.Color,
		&m.Duplex}
}

// Put gives a copy of a DEVMODE in which the members that m has are as m has them; all else, the driver's own part
// too, stays. One that is too short is given back as it is.
func (m Mode) Put(b []byte) []byte {
	b = slices.Clone(b)
	if len(b) < minimumModes {
		return b
	}
	before := ReadMode(b)
	binary.LittleEndian.PutUint32(b[fieldsAt:], before.Has|m.Has)
	bits := []uint32{HasOrientation, HasPaper, HasLength, HasWidth, HasScale, HasCopies, HasSource, HasQuality, HasColor,
		HasDuplex}
	for i, v := range m.numbers() {
		if m.Has&bits[i] != 0 {
			binary.LittleEndian.PutUint16(b[numbersAt+2*i:], uint16(*v))
		}
	}
	if m.Has&HasCollate != 0 {
		binary.LittleEndian.PutUint16(b[collateAt:], uint16(m.Collate))
	}
	if m.Has&HasForm != 0 {
		form := utf16.Encode([]rune(m.Form))
		form = form[:min(len(form), formLength-1)]
		for i := range formLength {
			c := uint16(0)
			if i < len(form) {
				c = form[i]
			}
			binary.LittleEndian.PutUint16(b[formAt+2*i:], c)
		}
	}
	return b
}

// Fresh gives a DEVMODE of a device for which no driver makes one: its public part alone.
func Fresh(device string) []byte {
	b := make([]byte, modeSize)
	for i, c := range utf16.Encode([]rune(device)) {
		if i >= formLength-1 {
			break
		}
		binary.LittleEndian.PutUint16(b[2*i:], c)
	}
	binary.LittleEndian.PutUint16(b[64:], 0x401) // dmSpecVersion
	binary.LittleEndian.PutUint16(b[sizeAt:], modeSize)
	return b
}
