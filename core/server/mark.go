package server

import (
	"encoding/json"
	"strings"
)

// MarkBy begins what an agent keeps with each queue of its own on a server, so that it is told from those of others.
const MarkBy = "cirque-server"

// IsMember says whether a text that is kept with a queue says that it is a member of a class, which leads to one of
// several devices: people print to the class.
func IsMember(mark string) bool {
	if !strings.Contains(mark, MarkBy) {
		return false
	}
	var m struct{ By, Of string }
	return json.Unmarshal([]byte(mark), &m) == nil && m.By == MarkBy && m.Of != ""
}
