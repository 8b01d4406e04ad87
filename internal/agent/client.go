package agent

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/lineup"
	"cirque/internal/agentproto"
	"cirque/internal/fault"
)

// maxAnswer bounds what is read of an answer.
const maxAnswer = 64 << 20

// client speaks to the service (package agentproto).
type client struct {
	base  *url.URL
	token string
	http  *http.Client
}

func newClient(service, token string, caPEM []byte) (*client, error) {
	base, err := url.Parse(service)
	if err != nil || base.Host == "" || base.Scheme != "http" && base.Scheme != "https" {
		return nil, fault.New(fault.Invalid, "service-url", "write https://HOST:PORT", "%q is no address of a service", service)
	}
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.TLSClientConfig = &tls.Config{MinVersion: tls.VersionTLS12}
	if caPEM != nil {
		t.TLSClientConfig.RootCAs = x509.NewCertPool()
		if !t.TLSClientConfig.RootCAs.AppendCertsFromPEM(caPEM) {
			return nil, fault.New(fault.Invalid, "ca-file", "name the file ca.pem of the service", "the file holds no certificate")
		}
	}
	return &client{base, token, &http.Client{Transport: t}}, nil
}

func (c *client) post(ctx context.Context, path string, body any, header http.Header, limit time.Duration) (*http.Response, []byte, error) {
	b, err := json.Marshal(body)
	if err != nil {
		return nil, nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, c.base.JoinPath(path).String(), bytes.NewReader(b))
	if err != nil {
		return nil, nil, err
	}
	if header != nil {
		req.Header = header
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Authorization", "Bearer "+c.token)
	resp, err := c.http.Do(req)
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = resp.Body.Close() }()
	answer, err := io.ReadAll(io.LimitReader(resp.Body, maxAnswer))
	if err != nil {
		return nil, nil, err
	}
	if resp.StatusCode >= 400 {
		var p struct{ Detail, Fix string }
		if json.Unmarshal(answer, &p) != nil || p.Detail == "" {
			p.Detail = "the service answers " + resp.Status
		}
		return resp, nil, errors.New(strings.TrimSuffix(p.Detail+"; "+p.Fix, "; "))
	}
	return resp, answer, nil
}

// ask gives the lineups of contexts, waiting for other ones while tag is what holds; same says that none came.
func (c *client) ask(ctx context.Context, contexts []lineup.Query, tag string, wait time.Duration) (lineups []lineup.Lineup, newTag string, same bool, err error) {
	h := http.Header{}
	if tag != "" {
		h.Set("If-None-Match", agentproto.Quote(tag))
		h.Set("Prefer", agentproto.Prefer(wait))
	} else {
		wait = 0
	}
	resp, body, err := c.post(ctx, agentproto.LineupsPath, contexts, h, wait+30*time.Second)
	if err != nil {
		return nil, "", false, err
	}
	if resp.StatusCode == http.StatusNotModified {
		return nil, tag, true, nil
	}
	if err := json.Unmarshal(body, &lineups); err != nil {
		return nil, "", false, fmt.Errorf("the service's answer cannot be read: %w", err)
	}
	return lineups, agentproto.TagOf(resp.Header.Get("ETag")), false, nil
}

func (c *client) report(ctx context.Context, r endpoint.Report) error {
	_, _, err := c.post(ctx, agentproto.ReportPath, r, nil, 30*time.Second)
	return err
}
