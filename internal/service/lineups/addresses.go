package lineups

import (
	"context"
	"net/netip"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/internal/service/present"
)

// Addresses lists the addresses that an estate names, by place: subnets, stations, and the ranges of conditions.
func (s *Room) Addresses(ctx context.Context, p *access.Principal, when present.When) ([]lineup.Span, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	v, err := s.at(ctx, p, when)
	if err != nil {
		return nil, err
	}
	return lineup.Spans(v.Document()), nil
}

// Address says where an address is, what of the estate holds it, and which grants' places do.
func (s *Room) Address(ctx context.Context, p *access.Principal, address string, when present.When) (lineup.AddressTold,
	error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return lineup.AddressTold{}, err
	}
	a, err := netip.ParseAddr(address)
	if err != nil || a.Zone() != "" {
		return lineup.AddressTold{}, fault.New(fault.Invalid, "address-invalid",
			"write an IPv4 or IPv6 address without a zone",
			"%q is no address", address)
	}
	v, err := s.at(ctx, p, when)
	if err != nil {
		return lineup.AddressTold{}, err
	}
	return lineup.TellAddress(v.World, a.Unmap())
}

// Overlaps lists the pairs of grants that can hold together: all, or those for a person or at a place.
func (s *Room) Overlaps(ctx context.Context, p *access.Principal, person, place string,
	when present.When) ([]lineup.Overlap, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	v, err := s.at(ctx, p, when)
	if err != nil {
		return nil, err
	}
	if person != "" {
		if err := s.KnownPerson(ctx, person); err != nil {
			return nil, err
		}
	}
	return lineup.Overlaps(v.World, person, place)
}
