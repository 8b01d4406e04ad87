package notice

import "time"

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
