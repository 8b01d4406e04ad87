package estate

import "strings"

// InWords says where a location is, by the titles of the places that hold it, the inmost first; "" for none. find gives
// a location by its path, nil where there is none.
func InWords(location string, find func(path string) *Location) string {
	var words []string
	for at := location; at != ""; {
		word := at[strings.LastIndexByte(at, '/')+1:]
		if l := find(at); l != nil && l.Title != "" {
			word = l.Title
		}
		words = append(words, word)
		at = at[:max(0, strings.LastIndexByte(at, '/'))]
	}
	return strings.Join(words, ", ")
}
