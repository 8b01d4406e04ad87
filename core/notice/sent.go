package notice

import (
	"time"

	"cirque/core/estate"
)

// A Sent is one message on its way to one address, and how that went.
type Sent struct {
	ID      int64     `json:"id"`
	Notice  string    `json:"notice"`
	To      string    `json:"to"`
	Subject string    `json:"subject"`
	Body    string    `json:"body"`
	Trial   bool      `json:"trial"`
	OK      bool      `json:"ok"`
	Says    string    `json:"says" doc:"What the far end answered, or why it did not arrive."`
	At      time.Time `json:"at"`
}

// A Mail is one message for one address.
type Mail struct {
	Relay   string // smtp://HOST:PORT or smtps://HOST:PORT
	From    string
	To      string
	Subject string
	Body    string // plain lines
	At      time.Time
}

// A View is a notice with what it is about just now, and how it went the last time.
type View struct {
	estate.Notice
	Faults []Fault    `json:"faults" doc:"What it is about and is wrong just now, told or not."`
	Told   []Notified `json:"told" doc:"Of what people have been told."`
	Last   *Sent      `json:"last" doc:"What was sent last; null where nothing was."`
}
