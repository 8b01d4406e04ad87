package ipp

import "net/url"

// atHost leads to what a server calls its own by the address at which it is known here: its own name may lead nowhere.
func atHost(of *url.URL, own string) string {
	o, err := url.Parse(own)
	if err != nil || o.Path == "" {
		return of.String()
	}
	at := *of
	at.Path, at.RawPath, at.RawQuery = o.Path, o.RawPath, o.RawQuery
	return at.String()
}
