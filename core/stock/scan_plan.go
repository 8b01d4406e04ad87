package stock

import "time"

// A ScanPlan is what a scan would touch.
type ScanPlan struct {
	Ranges  []string  `json:"ranges"`
	Total   int       `json:"total"`
	First   string    `json:"first"`
	Last    string    `json:"last"`
	Rate    int       `json:"rate"`
	Listed  int       `json:"listed" doc:"Addresses of devices and servers that are listed already: they are not asked again."`
	Seconds int       `json:"seconds" doc:"How long it takes at least."`
	Asks    []string  `json:"asks" doc:"What each address is asked."`
	Until   time.Time `json:"until"`
}
