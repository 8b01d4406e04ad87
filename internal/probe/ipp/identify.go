package ipp

import (
	"context"

	"cirque/core/stock"
	"cirque/internal/ipp"
)

// Identify has a device show which it is (PWG 5100.13, section 5.1).
func (c *Client) Identify(ctx context.Context, uri string, key *stock.Key, says string) error {
	more := []ipp.Attribute{}
	if says != "" {
		more = append(more, ipp.Attr("message", ipp.Str(ipp.Text, says)))
	}
	_, err := c.exchange(ctx, uri, ipp.NewRequest(ipp.IdentifyPrinter, c.id.Add(1), uri, more...), nil, asking{key: key})
	return err
}
