package ldap

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/directory"
	"cirque/core/fault"
)

func (d *Dir) pass(ctx context.Context, s directory.Source, password string, since directory.Mark,
	tell func(read int)) (directory.Pass, error) {
	c, err := d.open(ctx, s, password)
	if err != nil {
		return directory.Pass{}, err
	}
	defer func() { _ = c.Close() }()
	defer context.AfterFunc(ctx, func() { _ = c.Close() })()
	sync := c.offers(ldap.ControlTypeSyncRequest) && (since.Zero() || len(since.Cookies) > 0)
	out, err := c.all(ctx, since, sync, tell)
	if sync && since.Zero() && slices.ContainsFunc([]uint16{ldap.LDAPResultSizeLimitExceeded,
		ldap.LDAPResultUnavailableCriticalExtension, ldap.LDAPResultInsufficientAccessRights,
		ldap.LDAPResultUnwillingToPerform}, func(code uint16) bool {
		return ldap.IsErrorWithCode(err, code)
	}) {
		out, err = c.all(ctx, since, false, tell) // not for this account: page by page
	}
	switch {
	case ctx.Err() != nil:
		return out, fault.New(fault.Unavailable, "stopped", "start it again", "the reading of %s was stopped", s.Name)
	case ldap.IsErrorWithCode(err, ldap.LDAPResultSyncRefreshRequired):
		return out, fault.New(fault.Conflict, "refresh-required", "read the whole source", "%s remembers too little to "+
			"tell what has changed", c.host).Because(err)
	case err != nil:
		return out, ldapFault(c.host, err)
	}
	return out, nil
}

// all reads each kind, from a mark on.
func (d *dialog) all(ctx context.Context, since directory.Mark, sync bool,
	tell func(read int)) (directory.Pass, error) {
	out := directory.Pass{Kinds: map[string]bool{}, Mark: directory.Mark{Stamp: since.Stamp}}
	if sync {
		out.Mark.Cookies = map[string][]byte{}
	}
	clear(d.notes)
	for _, kind := range ldapKinds {
		read := func(e *ldap.Entry, id string) error {
			one, ok := d.entry(kind, e, id)
			if ok && kind == "group" {
				var err error
				if one.Members, err = d.members(ctx, e); err != nil {
					return err
				}
			}
			if ok {
				out.Entries = append(out.Entries, one)
			}
			if v := first(e, d.attr.Changed); v > out.Mark.Stamp {
				out.Mark.Stamp = v
			}
			if len(out.Entries) > ldapEntries {
				return fault.New(fault.TooLarge, "directory-large", "narrow the base or the filters", "%s holds over %d entries",
					d.host, ldapEntries)
			}
			if tell != nil && len(out.Entries)%500 == 0 {
				tell(len(out.Entries))
			}
			return nil
		}
		var err error
		if sync {
			err = d.synchronise(ctx, kind, since.Cookies[kind], &out, read)
		} else {
			err = d.page(ctx, kind, since, read)
		}
		if err != nil {
			return out, err
		}
	}
	if since.Zero() {
		out.Present = make(map[string]bool, len(out.Entries))
		for _, e := range out.Entries {
			out.Present[e.ID] = true
		}
		for _, kind := range ldapKinds {
			out.Kinds[kind] = true
		}
	}
	for what, n := range d.notes {
		out.Notes = append(out.Notes, fmt.Sprintf("%d %s", n, what))
	}
	slices.Sort(out.Notes)
	return out, nil
}

// offers says whether the server knows a control.
func (d *dialog) offers(control string) bool {
	r, err := d.Search(ldap.NewSearchRequest("", ldap.ScopeBaseObject, ldap.NeverDerefAliases, 1, 0, false,
		"(objectClass=*)", []string{"supportedControl"}, nil))
	return err == nil && len(r.Entries) == 1 &&
		slices.Contains(r.Entries[0].GetAttributeValues("supportedControl"), control)
}

// page reads one kind page by page: all, or what has changed since a stamp.
func (d *dialog) page(ctx context.Context, kind string, since directory.Mark, read func(*ldap.Entry,
	string) error) error {
	filter := d.filter(kind)
	if since.Stamp != "" {
		filter = "(&" + filter + "(" + d.attr.Changed + ">=" + ldap.EscapeFilter(since.Stamp) + "))"
	}
	req := d.request(kind, filter)
	paging := ldap.NewControlPaging(ldapPage)
	req.Controls = []ldap.Control{paging}
	for {
		r, err := d.Search(req)
		if err != nil {
			return err
		}
		for _, e := range r.Entries {
			if err := read(e, ""); err != nil {
				return err
			}
		}
		next, ok := ldap.FindControl(r.Controls, ldap.ControlTypePaging).(*ldap.ControlPaging)
		if !ok || len(next.Cookie) == 0 {
			return nil
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		paging.SetCookie(next.Cookie)
	}
}

// synchronise reads one kind by content synchronisation (RFC 4533, refresh only) from a cookie on, or all of it.
func (d *dialog) synchronise(ctx context.Context, kind string, cookie []byte, out *directory.Pass,
	read func(*ldap.Entry, string) error) error {
	d.SetTimeout(0)
	defer d.SetTimeout(ldapWithin)
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	// A server that falls silent is left.
	quiet := time.AfterFunc(ldapQuiet, func() { _ = d.Close() })
	defer quiet.Stop()
	r := d.Syncrepl(ctx, d.request(kind, d.filter(kind)), 256, ldap.SyncRequestModeRefreshOnly, cookie, false)
	present := map[string]bool{}
	began, deletes := len(out.Entries), len(cookie) == 0
	done := false
	for r.Next() {
		quiet.Reset(ldapQuiet)
		for _, ctl := range r.Controls() {
			switch v := ctl.(type) {
			case *ldap.ControlSyncState:
				id := v.EntryUUID.String()
				switch v.State {
				case ldap.SyncStateDelete:
					out.Gone = append(out.Gone, id)
				case ldap.SyncStatePresent:
					present[id] = true
				default:
					if e := r.Entry(); e != nil {
						if !strings.EqualFold(d.attr.ID, "entryUUID") {
							id = ""
						}
						if err := read(e, id); err != nil {
							return err
						}
					}
				}
			case *ldap.ControlSyncInfo:
				if set := v.SyncIdSet; set != nil {
					for _, u := range set.SyncUUIDs {
						if set.RefreshDeletes {
							out.Gone = append(out.Gone, u.String())
						} else {
							present[u.String()] = true
						}
					}
				}
				if b := cookieOf(v); len(b) > 0 {
					out.Mark.Cookies[kind] = b
				}
				deletes = deletes || v.RefreshDelete != nil
			case *ldap.ControlSyncDone:
				done = true
				deletes = deletes || v.RefreshDeletes
				if len(v.Cookie) > 0 {
					out.Mark.Cookies[kind] = v.Cookie
				}
			}
		}
	}
	if err := r.Err(); err != nil {
		return err
	}
	if !done {
		return fault.New(fault.Unavailable, "broke-off", "try again; where it goes on, look at the directory's log",
			"%s broke off in the middle of its %ss", d.host, kind)
	}
	if out.Mark.Cookies[kind] == nil {
		out.Mark.Cookies[kind] = cookie // an empty one means: keep the old
	}
	if len(cookie) > 0 && !deletes {
		// It told what is there rather than what is gone.
		for _, e := range out.Entries[began:] {
			present[e.ID] = true
		}
		if out.Present == nil {
			out.Present = map[string]bool{}
		}
		for id := range present {
			out.Present[id] = true
		}
		out.Kinds[kind] = true
	}
	return nil
}

func cookieOf(v *ldap.ControlSyncInfo) []byte {
	switch {
	case v.NewCookie != nil:
		return v.NewCookie.Cookie
	case v.RefreshDelete != nil:
		return v.RefreshDelete.Cookie
	case v.RefreshPresent != nil:
		return v.RefreshPresent.Cookie
	case v.SyncIdSet != nil:
		return v.SyncIdSet.Cookie
	}
	return nil
}
