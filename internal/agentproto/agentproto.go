// Package agentproto is the contract between agent and service: where an agent asks, what the headers mean, and the
// limits. The messages themselves are lineup.Query and lineup.Lineup to ask, endpoint.Report to tell.
//
// An agent asks with POST LineupsPath, a list of contexts as the body, its token as bearer, and, once it has an answer,
// If-None-Match with that answer's ETag. With Prefer: wait=N (RFC 7240, section 4.3) the service answers at once when
// the lineups differ from that tag, else when they come to differ, else after N seconds with 304 and no body.
package agentproto

import (
	"strconv"
	"strings"
	"time"
)

// Version of this contract; the service speaks this one and the one before it.
const Version = 1

// Paths and headers.
const (
	LineupsPath = "/api/v1/lineups/batch"
	ReportPath  = "/api/v1/endpoints/report"
	CapturePath = "/api/v1/stock/captures"
	PreferWait  = "wait"
)

// Limits.
const (
	MaxWait     = 5 * time.Minute
	DefaultWait = 55 * time.Second // below the usual idle limits of what stands between
	MaxContexts = 256
)

// Prefer writes the header for a wait, in whole seconds.
func Prefer(wait time.Duration) string {
	return PreferWait + "=" + strconv.Itoa(int(wait/time.Second))
}

// ParsePrefer reads the wait out of a Prefer header; 0 where there is none. What cannot be understood is ignored, as
// RFC 7240, section 2 asks.
func ParsePrefer(header string) time.Duration {
	for part := range strings.SplitSeq(header, ",") {
		part, _, _ = strings.Cut(part, ";")
		k, v, _ := strings.Cut(part, "=")
		if !strings.EqualFold(strings.TrimSpace(k), PreferWait) {
			continue
		}
		n, err := strconv.Atoi(strings.Trim(strings.TrimSpace(v), `"`))
		if err == nil && n > 0 {
			return min(time.Duration(min(n, 1<<20))*time.Second, MaxWait)
		}
	}
	return 0
}

// TagOf reads the tag out of an ETag or If-None-Match header.
func TagOf(header string) string {
	return strings.Trim(strings.TrimPrefix(strings.TrimSpace(header), "W/"), `"`)
}

// Quote writes a tag as a weak entity tag: two answers with one tag say the same, at different times.
func Quote(tag string) string { return `W/"` + tag + `"` }
