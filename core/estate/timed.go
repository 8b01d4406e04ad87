package estate

import "time"

// Timed says when a draft is published by itself.
type Timed struct {
	At     *time.Time `json:"publish_at,omitempty" doc:"When it is published by itself, as it is; until then it cannot be edited."`
	Why    string     `json:"publish_why,omitempty" doc:"The reason with which it is published then."`
	Breaks bool       `json:"-"` // publish although promises that are kept would be broken
	Failed string     `json:"publish_failed,omitempty" doc:"Why it could not be published when its time had come; it can be edited again."`
	Since  *time.Time `json:"-"` // when that was
}

// A Comment is what somebody said of a draft, or of one object of it.
type Comment struct {
	ID     int64     `json:"id"`
	Author string    `json:"author"`
	At     time.Time `json:"at"`
	List   string    `json:"list,omitempty" doc:"With object, what it is about where it is about one object."`
	Object string    `json:"object,omitempty"`
	Says   string    `json:"says"`
}
