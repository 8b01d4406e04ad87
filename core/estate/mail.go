package estate

import (
	"net/mail"
	"net/url"
	"strings"

	"cirque/core/document"
)

// MailSettings are how notices leave by mail.
type MailSettings struct {
	Server string `json:"server,omitempty" yaml:"server,omitempty" doc:"smtp://HOST:PORT (TLS where the server offers it), or smtps://HOST:PORT. A stored key for the host is its sign-in."`
	From   string `json:"from,omitempty" yaml:"from,omitempty" doc:"The sender's address."`
	Note   string `json:"note,omitempty" yaml:"note,omitempty"`
}

// Mail gives the settings for mail; ok is false where there is no server.
func (d *Document) Mail() (m MailSettings, ok bool) {
	if d.Settings == nil || d.Settings.Mail == nil {
		return m, false
	}
	return *d.Settings.Mail, true
}

func (p *parser) mailSetting(n document.Node) *MailSettings {
	v, ok := n.Object([]string{"server", "from", "note", "relay"})
	if !ok {
		return nil
	}
	p.setting(MailSetting, n)
	key := "server"
	if _, former := v.Get("relay"); former && !v.Wrote("server") {
		key = "relay" // as the version before had it
	}
	v.Need(key, "from")
	s := &MailSettings{Server: v.Text(key), From: v.Text("from"), Note: v.Text("note")}
	if f, wrote := v.Get(key); wrote {
		u, err := url.Parse(s.Server)
		switch {
		case err != nil || u.Hostname() == "" || u.Scheme != "smtp" && u.Scheme != "smtps" || strings.Trim(u.Path, "/") != "":
			f.Complain("write smtp://HOST:PORT or smtps://HOST:PORT, such as smtp://mail.skerry.example:587",
				"%q is no mail server", s.Server)
		case u.User != nil:
			f.Complain("store it as a key for the host: cirque credential add", "%q carries a sign-in", u.Redacted())
		}
	}
	if f, wrote := v.Get("from"); wrote {
		if a, err := mail.ParseAddress(s.From); err != nil || a.Address != s.From {
			f.Complain("write NAME@DOMAIN", "%q is no mail address", s.From)
		}
	}
	return s
}
