package gateway

import (
	"compress/flate"
	"compress/gzip"
	"errors"
	"io"
	"slices"
	"strings"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/internal/ipp"
	"cirque/internal/service/printing"
)

// compressions are those that documents may come in.
var compressions = []string{"none", "gzip", "deflate"}

// A wanted job is what a request asks for, with what of it cannot be done.
type wanted struct {
	printing.Request
	unsupported []ipp.Attribute // as it is answered (RFC 8011, section 4.1.7)
	insisted    bool            // one of these was insisted on
}

// asksFor reads what a request that makes a job asks for.
func (g *Gateway) asksFor(r *asked) wanted {
	w := wanted{Request: printing.Request{Name: r.Text(ipp.OperationGroup, "job-name"),
		Format: r.Text(ipp.OperationGroup, "document-format"), System: r.system, Options: job.Options{},
		Named:    r.Text(ipp.OperationGroup, "requesting-user-name"),
		Fidelity: r.Number(ipp.OperationGroup, "ipp-attribute-fidelity") == 1}}
	if w.Name == "" {
		w.Name = r.Text(ipp.OperationGroup, "document-name")
	}
	if a, ok := r.Find(ipp.OperationGroup, "job-hold-until"); ok {
		w.takes(r, a) // some say it there, and mean it
	}
	must := r.Texts(ipp.OperationGroup, "job-mandatory-attributes")
	offer := g.jobs.Offer(r.door)
	var raw []ipp.Attribute
	for _, group := range r.Groups {
		if group.Tag != ipp.JobGroup {
			continue
		}
		for _, a := range group.Attributes {
			if w.takes(r, a) {
				continue
			}
			if missing := lacking(offer, a); len(missing.Values) > 0 {
				w.unsupported = append(w.unsupported, missing)
				w.insisted = w.insisted || w.Fidelity || slices.Contains(must, a.Name)
				if missing.Values[0].Tag == ipp.Unsupported {
					continue // nobody knows it
				}
			}
			w.Options[a.Name] = a.Option()
			raw = append(raw, a)
		}
	}
	w.Raw, _ = ipp.AppendGroup(nil, raw) // they were parsed
	return w
}

// takes takes what the gateway does itself, and says whether it did.
func (w *wanted) takes(r *asked, a ipp.Attribute) bool {
	switch a.Name {
	case "job-account-id":
		w.Charge = a.Values[0].Text
	case "job-hold-until":
		switch a.Values[0].Text {
		case "no-hold":
		case "indefinite":
			w.Hold = true
		default:
			w.unsupported = append(w.unsupported, a)
			w.insisted = w.insisted || w.Fidelity
		}
	case "job-priority", "job-accounting-user-id":
	case "job-sheets":
		if a.Values[0].Text != "none" {
			w.unsupported = append(w.unsupported, a)
			w.insisted = w.insisted || w.Fidelity
		}
	case "multiple-document-handling": // there is one
	default:
		return false
	}
	return true
}

// lacking gives what of an attribute cannot be done: of one that nobody knows that it is unknown, of others the values.
func lacking(offer printing.Offer, a ipp.Attribute) ipp.Attribute {
	if _, known := offer.Able[a.Name]; !known && offer.Able != nil {
		return ipp.Attr(a.Name, ipp.Value{Tag: ipp.Unsupported})
	}
	out := ipp.Attribute{Name: a.Name}
	for _, v := range a.Values {
		if !job.Able(offer.Able, a.Name, ipp.Attr(a.Name, v).Option()) {
			out.Values = append(out.Values, v)
		}
	}
	return out
}

// respond begins the answer to a request that was done, with what of it was not.
func (w *wanted) respond(r *asked, says string) ipp.Message {
	if len(w.unsupported) == 0 {
		return r.Respond(ipp.OK, says)
	}
	m := r.Respond(ipp.OKIgnored, says)
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.UnsupportedGroup, Attributes: w.unsupported})
	return m
}

// refuses answers a request whose wishes were insisted on, where they cannot be met; ok is false where they can.
func (w *wanted) refuses(r *asked) (m ipp.Message, ok bool) {
	if !w.insisted {
		return m, false
	}
	var names []string
	for _, a := range w.unsupported {
		names = append(names, a.Name)
	}
	m = r.Respond(ipp.AttributesNotSupported, "not as asked for: "+strings.Join(names, ", "))
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.UnsupportedGroup, Attributes: w.unsupported})
	return m, true
}

// document gives a request's document as it is without compression; nothing of it is read yet.
func (r *asked) document() (io.Reader, error) {
	switch how := r.Text(ipp.OperationGroup, "compression"); how {
	case "", "none":
		return r.body, nil
	case "gzip":
		return &packed{open: func() (io.Reader, error) { return gzip.NewReader(r.body) }}, nil
	case "deflate": // RFC 1951
		return &packed{open: func() (io.Reader, error) { return flate.NewReader(r.body), nil }}, nil
	default:
		return nil, fault.New(fault.Invalid, "compression-unsupported", "send it as it is, or with gzip or deflate",
			"nothing here unpacks %s", how)
	}
}

// packed unpacks a document; how much comes of it is bounded by whoever reads it.
type packed struct {
	open func() (io.Reader, error)
	in   io.Reader
}

func (p *packed) Read(b []byte) (n int, err error) {
	if p.in == nil {
		if p.in, err = p.open(); err != nil {
			return 0, badPacking(err)
		}
	}
	n, err = p.in.Read(b)
	if err != nil && err != io.EOF {
		err = badPacking(err)
	}
	return n, err
}

func badPacking(err error) error {
	if err == io.EOF {
		return io.EOF // there is nothing
	}
	var corrupt flate.CorruptInputError
	if errors.As(err, &corrupt) || errors.Is(err, gzip.ErrHeader) || errors.Is(err, gzip.ErrChecksum) ||
		errors.Is(err, io.ErrUnexpectedEOF) {
		return fault.New(fault.Invalid, "compression-error", "send it again", "the document does not unpack").Because(err)
	}
	return err
}
