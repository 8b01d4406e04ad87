package access

import "time"

// States of a Request.
const (
	RequestOpen      = "open"
	RequestGranted   = "granted"
	RequestDeclined  = "declined"
	RequestWithdrawn = "withdrawn"
)

// A Request is a person's wish for a queue that they do not have.
type Request struct {
	ID         int64      `json:"id"`
	Person     string     `json:"person"`
	Queue      string     `json:"queue"`
	Reason     string     `json:"reason"`
	At         time.Time  `json:"at"`
	State      string     `json:"state" enum:"open,granted,declined,withdrawn"`
	AnsweredAt *time.Time `json:"answered_at"`
	AnsweredBy string     `json:"answered_by,omitempty"`
	Answer     string     `json:"answer,omitempty"`
	// It is granted once that draft, or anything else that gives the queue, is published.
	DraftedBy   string     `json:"drafted_by,omitempty" doc:"Who granted it in their draft, while it is not published."`
	DraftedAt   *time.Time `json:"drafted_at,omitempty"`
	DraftedSays string     `json:"drafted_says,omitempty"`
}
