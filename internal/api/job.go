package api

import "cirque/core/job"

// A ShownJob is one job of the gateway, with what happened to it.
type ShownJob struct {
	job.Job
	Past []job.Past `json:"past" doc:"What happened to it, in order."`
}

// A ReleaseJob says where a held job is released.
type ReleaseJob struct {
	Device string `json:"device,omitempty" maxLength:"63" doc:"Where its owner stands; need be said only where there are several."`
}

// A DecideJob says of a job of which it is not known whether it printed.
type DecideJob struct {
	Printed bool `json:"printed" doc:"It has; else it is sent again."`
}
