package ipp

import (
	"context"
	"strings"

	"cirque/core/driver"
	"cirque/core/fault"
	"cirque/internal/ipp"
)

// maxDescription bounds one description of a printer (PPD), in bytes.
const maxDescription = 8 << 20

// Collection lists the drivers that the common Unix spooler at a URI brings along, by the names under which it has
// them; those that are of no printer, such as the one without a driver, are left out.
func (c *Client) Collection(ctx context.Context, uri string) ([]driver.Offer, error) {
	m := ipp.NewRequest(ipp.ListDrivers, c.id.Add(1), uri, ipp.Strs(ipp.Keyword, "requested-attributes", "ppd-name",
		"ppd-make-and-model"), ipp.Attr("limit", ipp.Int(ipp.Integer, driver.MaxCollection)))
	answer, err := c.exchange(ctx, uri, m, nil, asking{header: listHeader, attributes: listAttributes})
	if err != nil && ipp.Status(answer.Code) != ipp.NotFound { // so it says that it has none
		return nil, explainCollection(uri, answer, err)
	}
	var out []driver.Offer
	for _, g := range answer.Groups {
		if g.Tag != ipp.PrinterGroup {
			continue
		}
		one := g.One()
		o := driver.Offer{File: one.Text(ipp.PrinterGroup, "ppd-name"), Title: one.Text(ipp.PrinterGroup,
			"ppd-make-and-model")}
		if o.File != "" && o.Title != "" && o.File != "everywhere" && o.File != "raw" && len(out) < driver.MaxCollection {
			out = append(out, o)
		}
	}
	return out, nil
}

// Description gives the description of a printer (PPD) that the spooler has under a name.
func (c *Client) Description(ctx context.Context, uri, name string) ([]byte, error) {
	m := ipp.NewRequest(ipp.GetDriver, c.id.Add(1), uri)
	m.Groups[0].Attributes = append(m.Groups[0].Attributes[:2:2], ipp.Attr("ppd-name", ipp.Str(ipp.Name, name)))
	var text []byte
	answer, err := c.exchange(ctx, uri, m, nil, asking{header: maxDescription, document: &text})
	if err != nil {
		return nil, explainCollection(uri, answer, err)
	}
	if !strings.HasPrefix(string(text), "*PPD-Adobe") {
		return nil, fault.New(fault.Unavailable, "no-description", "look at the spooler", "what the spooler has as %s "+
			"describes no printer", name)
	}
	return text, nil
}

// explainCollection says what it means that a spooler does not know what it is asked.
func explainCollection(uri string, answer ipp.Message, err error) error {
	switch s := ipp.Status(answer.Code); {
	case s == ipp.OperationNotSupported, fault.As(err).Code == "path-not-found":
		return fault.New(fault.Unavailable, "no-collection", "name a server of the common Unix spooler, or a folder on "+
			"a web server", "%s has no collection of drivers that it tells of", uri).Because(err)
	case s == ipp.InternalError:
		return fault.New(fault.Unavailable, "no-collection", "install there what lists drivers: Debian has it in the "+
			"package cups", "the spooler at %s cannot list its drivers", uri).Because(err)
	}
	return err
}
