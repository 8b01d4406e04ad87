package estate

import (
	"crypto/x509"
	"encoding/pem"
	"net/url"
	"strings"

	"cirque/core/document"
)

// AuditSetting is where the audit is sent, so that it stands elsewhere, too.
const AuditSetting = "audit"

// AuditSettings say to whom every entry of the audit is sent (RFC 5424). Owners alone change them.
type AuditSettings struct {
	Forward string `json:"forward,omitempty" yaml:"forward,omitempty" doc:"tls://HOST[:6514] (RFC 5425), or tcp://HOST[:601] (RFC 6587, octet counting) with clear. Owners alone change it."`
	CA      string `json:"ca,omitempty" yaml:"ca,omitempty" doc:"The authority by which it is known, as PEM; the system's when absent."`
	Clear   bool   `json:"clear,omitempty" yaml:"clear,omitempty" doc:"It may be sent without TLS, where whoever is between may read it."`
	Note    string `json:"note,omitempty" yaml:"note,omitempty"`
}

// Audit gives the setting; an empty one where there is none.
func (d *Document) Audit() AuditSettings {
	if d.Settings == nil || d.Settings.Audit == nil {
		return AuditSettings{}
	}
	return *d.Settings.Audit
}

func (p *parser) auditSetting(n document.Node) *AuditSettings {
	v, ok := n.Object([]string{"forward", "ca", "clear", "note"})
	if !ok {
		return nil
	}
	p.setting(AuditSetting, n)
	v.Need("forward")
	s := &AuditSettings{Forward: v.Text("forward"), Clear: v.Bool("clear"), Note: v.Text("note")}
	if f, wrote := v.Get("forward"); wrote {
		u, err := url.Parse(s.Forward)
		switch {
		case err != nil || u.Hostname() == "" || u.Scheme != "tls" && u.Scheme != "tcp" || strings.Trim(u.Path, "/") != "":
			f.Complain("write tls://HOST:PORT, such as tls://log.skerry.example:6514", "%q is nothing that takes a log",
				s.Forward)
		case u.User != nil:
			f.Complain("leave it out", "%q carries a sign-in", u.Redacted())
		case u.Scheme == "tcp" && !s.Clear:
			f.Complain("write tls://, or clear: true where nobody is between", "%s would be sent without TLS", s.Forward)
		}
	}
	if c, wrote := v.Get("ca"); wrote {
		s.CA, _ = c.Text()
		block, _ := pem.Decode([]byte(s.CA))
		if block == nil {
			c.Complain("write the authority's certificate, from -----BEGIN CERTIFICATE----- on", "this is no certificate")
		} else if _, err := x509.ParseCertificate(block.Bytes); err != nil {
			c.Complain("write the authority's certificate, from -----BEGIN CERTIFICATE----- on", "this is no certificate")
		}
	}
	return s
}
