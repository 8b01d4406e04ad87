package gateway

import (
	"time"

	"cirque/internal/ipp"
	"cirque/internal/service/jobs"
)

// formats that are passed on as they are; the device has the last word.
func formats() []string {
	return []string{"application/octet-stream", "application/pdf", "image/pwg-raster", "image/urf", "image/jpeg",
		"application/postscript", "text/plain"}
}

func uriOf(host, name string, secure bool) string {
	if secure {
		return "ipps://" + host + Prefix + name
	}
	return "ipp://" + host + Prefix + name
}

// attributes answers Get-Printer-Attributes with what RFC 8011, section 5.4 requires, filtered by what was asked for.
func (g *Gateway) attributes(req ipp.Message, route jobs.Route, host string, secure bool) ipp.Message {
	q := route.Queue
	state, reason := ipp.PrinterIdle, "none"
	if q.Paused {
		state, reason = ipp.PrinterStopped, "paused"
	}
	security := "none"
	if secure {
		security = "tls"
	}
	info := q.Title
	if info == "" {
		info = q.Name
	}
	all := []ipp.Attribute{
		ipp.Strs(ipp.URI, "printer-uri-supported", uriOf(host, q.Name, secure)),
		ipp.Strs(ipp.Keyword, "uri-authentication-supported", "basic"),
		ipp.Strs(ipp.Keyword, "uri-security-supported", security),
		ipp.Strs(ipp.Name, "printer-name", q.Name),
		ipp.Strs(ipp.Text, "printer-info", info),
		ipp.Strs(ipp.Text, "printer-location", q.Location),
		ipp.Attr("printer-state", ipp.Int(ipp.Enum, int32(state))),
		ipp.Strs(ipp.Keyword, "printer-state-reasons", reason),
		ipp.Attr("printer-is-accepting-jobs", ipp.Bool(route.Refuses == "")),
		ipp.Attr("queued-job-count", ipp.Int(ipp.Integer, 0)),
		ipp.Attr("printer-up-time", ipp.Int(ipp.Integer, int32(time.Since(g.start)/time.Second)+1)),
		ipp.Strs(ipp.Keyword, "ipp-versions-supported", "1.1", "2.0"),
		{Name: "operations-supported", Values: []ipp.Value{ipp.Int(ipp.Enum, int32(ipp.PrintJob)), ipp.Int(ipp.Enum,
			int32(ipp.ValidateJob)), ipp.Int(ipp.Enum, int32(ipp.GetPrinterAttributes))}},
		ipp.Strs(ipp.Charset, "charset-configured", "utf-8"),
		ipp.Strs(ipp.Charset, "charset-supported", "utf-8"),
		ipp.Strs(ipp.Language, "natural-language-configured", "en"),
		ipp.Strs(ipp.Language, "generated-natural-language-supported", "en"),
		ipp.Strs(ipp.MIMEType, "document-format-default", formats()[0]),
		ipp.Strs(ipp.MIMEType, "document-format-supported", formats()...),
		ipp.Strs(ipp.Keyword, "pdl-override-supported", "not-attempted"),
		ipp.Strs(ipp.Keyword, "compression-supported", "none"),
	}
	if route.Refuses != "" {
		all = append(all, ipp.Strs(ipp.Text, "printer-state-message", route.Refuses))
	}
	m := req.Respond(ipp.OK, "")
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.PrinterGroup, Attributes: ipp.Requested(req, all)})
	return m
}
