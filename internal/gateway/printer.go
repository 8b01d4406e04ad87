package gateway

import (
	"cmp"
	"context"
	"crypto/sha1" //nolint:gosec // names are made with it (RFC 9562, section 5.5), no secrets
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"cirque/core/estate"
	"cirque/core/words"
	"cirque/internal/ipp"
	"cirque/internal/service/printing"
)

// getPrinterAttributes tells what a queue is and can (RFC 8011, section 4.2.5).
func (g *Gateway) getPrinterAttributes(ctx context.Context, r *asked) ipp.Message {
	offer := g.jobs.Offer(r.door)
	m := r.Respond(ipp.OK, "")
	all := slices.Concat(g.description(ctx, r, offer), g.abilities(r, offer), media(offer))
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.PrinterGroup, Attributes: printerRequested(r.Message, all)})
	return m
}

// printerRequested keeps what a request asks for. The database of media is large: it is given to whoever names it (PWG
// 5100.7, section 6.3.1).
func printerRequested(m ipp.Message, all []ipp.Attribute) []ipp.Attribute {
	want := m.Texts(ipp.OperationGroup, "requested-attributes")
	if len(want) == 0 {
		want = []string{"all"}
	}
	return slices.DeleteFunc(slices.Clone(all), func(a ipp.Attribute) bool {
		if slices.Contains(want, a.Name) {
			return false
		}
		if a.Name == "media-col-database" {
			return true
		}
		group := "printer-description"
		if isTemplate(strings.TrimSuffix(strings.TrimSuffix(strings.TrimSuffix(a.Name, "-supported"), "-default"),
			"-ready")) {
			group = "job-template"
		}
		return !slices.Contains(want, "all") && !slices.Contains(want, group)
	})
}

// templates are the job template attributes that are spoken of (RFC 8011, section 5.2; PWG 5100.7, 5100.13).
var templates = []string{"copies", "finishings", "finishings-col", "media", "media-col", "number-up",
	"orientation-requested", "output-bin", "page-ranges", "print-color-mode", "print-content-optimize", "print-quality",
	"print-rendering-intent", "print-scaling", "printer-resolution", "sides", "job-hold-until", "job-sheets", "overrides",
	"job-account-id", "multiple-document-handling", "media-source", "media-type", "media-bottom-margin",
	"media-left-margin", "media-right-margin", "media-top-margin", "media-size"}

func isTemplate(name string) bool { return slices.Contains(templates, name) }

// identity is a name-based UUID (RFC 9562, section 5.5) of a queue in the service's namespace, by the first name that
// it ever had.
func (g *Gateway) identity(q *estate.Queue) string {
	// The namespace of URLs, of RFC 9562, section 6.6.
	urls := []byte{0x6b, 0xa7, 0xb8, 0x11, 0x9d, 0xad, 0x11, 0xd1, 0x80, 0xb4, 0x00, 0xc0, 0x4f, 0xd4, 0x30, 0xc8}
	name := q.Name
	if len(q.Formerly) > 0 {
		name = q.Formerly[0]
	}
	u := uuid5(uuid5(urls, g.cfg.PublicURL), name)
	return fmt.Sprintf("urn:uuid:%x-%x-%x-%x-%x", u[:4], u[4:6], u[6:8], u[8:10], u[10:])
}

func uuid5(namespace []byte, name string) []byte {
	h := sha1.Sum(append(slices.Clone(namespace), name...)) //nolint:gosec // see above
	h[6], h[8] = h[6]&0x0f|0x50, h[8]&0x3f|0x80
	return h[:16]
}

// description is what the queue is (RFC 8011, section 5.4; PWG 5100.13, 5100.14).
func (g *Gateway) description(ctx context.Context, r *asked, offer printing.Offer) []ipp.Attribute {
	q := &r.door.Queue
	state, reasons := ipp.PrinterIdle, []string{"none"}
	switch {
	case q.Paused:
		state, reasons = ipp.PrinterStopped, []string{"paused"}
	case offer.Stopped:
		state, reasons = ipp.PrinterStopped, offer.Reasons
	}
	if len(reasons) == 0 {
		reasons = []string{"other"}
	}
	security := "none"
	if r.secure {
		security = "tls"
	}
	model := cmp.Or(strings.Join(offer.Models, ", "), "Print queue")
	if len(offer.Models) > 1 {
		model = "Pool of " + model
	}
	since := int(g.start.Unix())
	changed := func(name string) []ipp.Attribute {
		return []ipp.Attribute{ipp.Ints(ipp.Integer, name+"-time", since), ipp.Attr(name+"-date-time", ipp.At(g.start))}
	}
	page := g.pageOf(r)
	out := []ipp.Attribute{
		ipp.Strs(ipp.URI, "printer-uri-supported", r.printerURI()),
		ipp.Strs(ipp.Keyword, "uri-authentication-supported", "basic"),
		ipp.Strs(ipp.Keyword, "uri-security-supported", security),
		ipp.Strs(ipp.Name, "printer-name", q.Name),
		ipp.Strs(ipp.Name, "printer-dns-sd-name", cut(cmp.Or(q.Title, q.Name), 63)),
		ipp.Strs(ipp.Text, "printer-info", cut(cmp.Or(q.Title, q.Name), 127)),
		ipp.Strs(ipp.Text, "printer-location", cut(q.Location, 127)),
		ipp.Strs(ipp.Text, "printer-make-and-model", cut(model, 127)),
		ipp.Strs(ipp.URI, "printer-more-info", page), ipp.Strs(ipp.URI, "printer-supply-info-uri", page),
		ipp.Strs(ipp.URI, "printer-icons", g.site(r)+"/mark.svg"), ipp.Strs(ipp.URI, "printer-uuid", g.identity(q)),
		ipp.Attr("printer-state", ipp.Int(ipp.Enum, int32(state))),
		ipp.Strs(ipp.Keyword, "printer-state-reasons", reasons...),
		ipp.Attr("printer-is-accepting-jobs", ipp.Bool(r.door.Refuses == "" || !q.Paused && q.WaitsOutsideHours())),
		ipp.Ints(ipp.Integer, "queued-job-count", g.jobs.Waiting(ctx, r.door)),
		ipp.Ints(ipp.Integer, "printer-up-time", int(time.Now().Unix())),
		ipp.Attr("printer-current-time", ipp.At(time.Now())),
		ipp.Strs(ipp.Keyword, "ipp-versions-supported", "1.1", "2.0"),
		ipp.Strs(ipp.Keyword, "ipp-features-supported", "ipp-everywhere"),
		ipp.Strs(ipp.Charset, "charset-configured", "utf-8"), ipp.Strs(ipp.Charset, "charset-supported", "utf-8", "us-ascii"),
		ipp.Strs(ipp.Language, "natural-language-configured", "en"),
		ipp.Strs(ipp.Language, "generated-natural-language-supported", "en"),
		ipp.Strs(ipp.MIMEType, "document-format-default", "application/octet-stream"),
		ipp.Strs(ipp.MIMEType, "document-format-supported", offer.Formats...),
		ipp.Strs(ipp.Keyword, "pdl-override-supported", "attempted"),
		ipp.Strs(ipp.Keyword, "compression-supported", compressions...),
		ipp.Attr("color-supported", ipp.Bool(offer.Colour)), ipp.Ints(ipp.Integer, "pages-per-minute", 0),
		ipp.Strs(ipp.Text, "printer-organization", g.cfg.Organization),
		ipp.Strs(ipp.Text, "printer-organizational-unit", ""),
		ipp.Attr("printer-geo-location", ipp.Value{Tag: ipp.UnknownValue}),
		ipp.Strs(ipp.Text, "printer-device-id", deviceID(offer)),
		ipp.Strs(ipp.Keyword, "printer-get-attributes-supported", "document-format"),
		ipp.Strs(ipp.Keyword, "which-jobs-supported", "completed", "not-completed", "all", "aborted", "canceled", "pending",
			"pending-held", "processing", "processing-stopped"),
		ipp.Attr("job-ids-supported", ipp.Bool(true)), ipp.Attr("preferred-attributes-supported", ipp.Bool(false)),
		ipp.Attr("multiple-document-jobs-supported", ipp.Bool(false)),
		ipp.Ints(ipp.Integer, "multiple-operation-time-out", 120),
		ipp.Strs(ipp.Keyword, "multiple-operation-time-out-action", "abort-job"),
		ipp.Strs(ipp.Keyword, "identify-actions-default", "display"),
		ipp.Strs(ipp.Keyword, "identify-actions-supported", "display", "flash", "sound"),
		ipp.Attr("job-k-octets-supported", ipp.Span(0, 1<<31-1)),
	}
	if offer.Colour {
		out = append(out, ipp.Ints(ipp.Integer, "pages-per-minute-color", 0))
	}
	ops := ipp.Attribute{Name: "operations-supported"}
	for _, o := range operations() {
		ops.Values = append(ops.Values, ipp.Int(ipp.Enum, int32(o.op)))
	}
	out = append(append(append(out, ops), changed("printer-state-change")...), changed("printer-config-change")...)
	if r.door.Refuses != "" {
		out = append(out, ipp.Strs(ipp.Text, "printer-state-message", r.door.Refuses))
	}
	return append(out, supplies(offer)...)
}

// supplies are those of the one device (PWG 5100.13, section 6.6): of a pool each has others.
func supplies(offer printing.Offer) []ipp.Attribute {
	supply, says := ipp.Attribute{Name: "printer-supply"}, ipp.Attribute{Name: "printer-supply-description"}
	for i, s := range offer.Supplies {
		level := -2
		if s.Level != nil {
			level = *s.Level
		}
		supply.Values = append(supply.Values, ipp.Value{Tag: ipp.OctetString, Raw: []byte(fmt.Sprintf("index=%d;"+
			"class=supplyThatIsConsumed;type=other;unit=percent;maxcapacity=100;level=%d;colorantname=unknown;", i+1, level))})
		says.Values = append(says.Values, ipp.Str(ipp.Text, s.Name))
	}
	if len(supply.Values) == 0 { // each device has its own: their page shows them
		supply.Values = []ipp.Value{{Tag: ipp.OctetString, Raw: []byte("index=1;class=other;type=other;unit=percent;" +
			"maxcapacity=-2;level=-2;colorantname=unknown;")}}
		says.Values = []ipp.Value{ipp.Str(ipp.Text, "Supplies are told by each device")}
	}
	return []ipp.Attribute{supply, says}
}

// deviceID is an IEEE 1284 device id.
func deviceID(offer printing.Offer) string {
	maker, model := "Cirque", "Print queue"
	if len(offer.Models) == 1 {
		model = strings.NewReplacer(";", " ", ":", " ").Replace(words.OneLine(offer.Models[0], 100))
		maker, _, _ = strings.Cut(model, " ")
	}
	names := map[string]string{"application/pdf": "PDF", "image/pwg-raster": "PWGRaster", "image/urf": "AppleRaster",
		"application/postscript": "PS", "image/jpeg": "JPEG"}
	var speaks []string
	for _, f := range offer.Formats {
		if n := names[f]; n != "" {
			speaks = append(speaks, n)
		}
	}
	return fmt.Sprintf("MFG:%s;MDL:%s;CMD:%s;", maker, model, strings.Join(speaks, ","))
}

func (g *Gateway) site(r *asked) string {
	if r.secure {
		return "https://" + r.host
	}
	return "http://" + r.host
}

func (g *Gateway) pageOf(r *asked) string {
	return g.site(r) + "/queues/" + url.PathEscape(r.door.Queue.Name)
}
