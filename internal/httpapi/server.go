// Package httpapi is Cirque over HTTP: routes, sign-in, and faults as problems. It decides nothing and knows no SQL.
package httpapi

import (
	"context"
	"crypto/rand"
	"io/fs"
	"log/slog"
	"net/http"
	"net/netip"
	"path"
	"reflect"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"cirque/core/access"
	"cirque/core/adopt"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/person"
	"cirque/core/rehearse"
	"cirque/core/stock"
	"cirque/internal/api"
	"cirque/internal/service"
)

// Config of the handler.
type Config struct {
	Log     *slog.Logger
	Version string
	Secure  bool  // served over TLS: cookies say so
	Console fs.FS // the built console; nil serves none
	// Gateway answers IPP under /ipp/; nil serves none.
	Gateway http.Handler
	// Proxies are those whose word is taken on where a request comes from.
	Proxies []netip.Prefix
	// Hosts are the names by which the service is asked for besides addresses and localhost; nil takes any name.
	Hosts func() []string
	// Stopping ends long polls and streams when it is done.
	Stopping context.Context
	// Queries counts questions to the database by what asked for them; nil where nobody counts.
	Queries func() map[string]int64
}

type server struct {
	svc *service.Service
	cfg Config
	log *slog.Logger

	metrics  *metrics
	door     door
	holds    holds
	engine   http.Handler
	matching sync.Mutex // held while a change is held against a tag, and done
}

// New makes the handler of the whole service.
func New(svc *service.Service, cfg Config) (http.Handler, error) {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	if cfg.Stopping == nil {
		cfg.Stopping = context.Background()
	}
	s := &server{svc: svc, cfg: cfg, log: cfg.Log, metrics: newMetrics(svc, cfg)}
	switches()
	r := gin.New()
	if err := r.SetTrustedProxies(nil); err != nil {
		return nil, err
	}
	r.HandleMethodNotAllowed, r.RedirectTrailingSlash = true, false
	s.engine = r
	r.UseRawPath = true
	r.Use(s.identify, s.record, gin.CustomRecoveryWithWriter(nil, s.panicked), s.principal, s.open, s.conditional)
	r.NoMethod(func(c *gin.Context) {
		s.problem(c, &fault.Error{Kind: "method", Code: "method-not-allowed", What: c.Request.Method + " is not for " +
			c.Request.URL.Path, Fix: "see the Allow header"})
	})
	r.NoRoute(s.console())
	if cfg.Gateway != nil {
		r.POST("/ipp/*queue", gin.WrapH(cfg.Gateway))
	}
	s.door.of(s.register(r).OpenAPI())
	s.door.current = svc.Present.Current
	r.GET("/metrics", s.metrics.serve(s))
	r.GET("/profile/:kind", profile(s))
	protect := http.NewCrossOriginProtection()
	protect.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		writeProblem(w, fault.New(fault.Denied, "cross-origin", "use the console itself, or a token",
			"this request comes from another site's page"), "")
	}))
	return s.arrive(heads(former(protect.Handler(r)))), nil
}

// OpenAPI gives the API's description as YAML, without a running service.
func OpenAPI(version string) ([]byte, error) { return Described(version).YAML() }

// Described gives the API's description, without a running service.
func Described(version string) *huma.OpenAPI {
	switches()
	s := &server{cfg: Config{Version: version, Stopping: context.Background()}}
	return s.register(gin.New()).OpenAPI()
}

// switches sets what Gin and huma keep for the whole process, once.
var switches = sync.OnceFunc(func() {
	gin.SetMode(gin.ReleaseMode)
	huma.DefaultArrayNullable = false
	huma.NewError = newError
})

func (s *server) register(r *gin.Engine) huma.API {
	switches()
	cfg := huma.DefaultConfig("Cirque", s.cfg.Version)
	cfg.Info.Description = "Who receives which printers, and how. Errors are problems (RFC 9457) with a stable " +
		"code and a fix."
	cfg.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	cfg.Components.Schemas.RegisterTypeAlias(typeOf[problem](), typeOf[api.Problem]())
	cfg.CreateHooks, cfg.DocsPath, cfg.SchemasPath, cfg.OpenAPIPath = nil, "", "", "/api/openapi"
	cfg.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer"},
		"session": {Type: "apiKey", In: "cookie", Name: cookieName},
	}
	cfg.Security = []map[string][]string{{"token": {}}, {"session": {}}}
	a := humagin.New(r, cfg)
	healthRoutes(s, a)
	signInRoutes(s, a)
	estateRoutes(s, a)
	directoryRoutes(s, a)
	sourcesRoutes(s, a)
	linksRoutes(s, a)
	peopleRoutes(s, a)
	subjectsRoutes(s, a)
	s.lineups(a, humagin.New(gin.New(), cfg))
	r.POST("/api/v1/lineups", s.lineup)
	draftsRoutes(s, a)
	timedRoutes(s, a)
	guideRoutes(s, a)
	rehearsalsRoutes(s, a)
	liveRoutes(s, a)
	fleetRoutes(s, a)
	shipmentsRoutes(s, a)
	checkupsRoutes(s, a)
	noticesRoutes(s, a)
	failoverTestsRoutes(s, a)
	accessRoutes(s, a)
	viewsRoutes(s, a)
	stockRoutes(s, a)
	packagesRoutes(s, a)
	placesRoutes(s, a)
	keepersRoutes(s, a)
	leavingRoutes(s, a)
	serverJobsRoutes(s, a)
	jobRoutes(s, a)
	r.GET("/api/v1/watch", s.watch)
	describeWatch(a)
	tellOfNull(cfg.Components.Schemas)
	describe(a.OpenAPI())
	return a
}

// schemaNames are those of the schemas that keep a short name, or one that differs from the type's.
var schemaNames = map[reflect.Type]string{
	typeOf[directory.Match]():         "FoundOne",
	typeOf[directory.Linked]():        "Linked",
	typeOf[directory.UnmatchedName](): "UnmatchedName",
	typeOf[driver.Report]():           "DriverReport",
	typeOf[endpoint.Judged]():         "Endpoint",
	typeOf[endpoint.Overview]():       "Overview",
	typeOf[fault.Detail]():            "Detail",
	typeOf[lineup.QueueSheet]():       "Queue",
	typeOf[person.Erased]():           "Erased",
	typeOf[person.Kept]():             "PersonData",
	typeOf[person.Moment]():           "Moment",
	typeOf[rehearse.EffectSheet]():    "Effect",
	typeOf[rehearse.RollSheet]():      "Roll",
	typeOf[stock.ScanPlan]():          "ScanPlan",
	typeOf[adopt.Selection]():         "Selection",
}

// schemaName tells types of the same name apart by their package: estate.Queue is EstateQueue, lineup.QueueSheet stays
// Queue.
func schemaName(t reflect.Type, hint string) string {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if name, ok := schemaNames[t]; ok {
		return name
	}
	name := huma.DefaultSchemaNamer(t, hint)
	pkg := path.Base(t.PkgPath())
	if t.Name() == "" || pkg == "api" || !strings.HasPrefix(t.PkgPath(), "cirque/core/") {
		return name
	}
	prefix := strings.ToUpper(pkg[:1]) + pkg[1:]
	if strings.HasPrefix(name, prefix) {
		return name
	}
	return prefix + name
}

type key int

const (
	principalKey key = iota
	requestIDKey
	stillKey
	ifMatchKey
)

// stillIn says whether whoever asked is let in still: what is held open ends with their session, token or certificate.
func stillIn(ctx context.Context) bool {
	still, ok := ctx.Value(stillKey).(func() bool)
	return !ok || still()
}

// goesOn says whether what somebody holds open may stay: not where a second factor is demanded of them meanwhile.
func goesOn(p *access.Principal) bool { return p != nil && !p.Owes }

// idleHeader is how long nobody has touched the console that asks, in seconds: what it asks by itself keeps no session
// open.
const idleHeader = "Cirque-Idle"

func idleOf(c *gin.Context) time.Duration {
	seconds, err := strconv.Atoi(c.GetHeader(idleHeader))
	if err != nil || seconds < 0 {
		return 0
	}
	return min(time.Duration(seconds)*time.Second, 24*time.Hour)
}

func principalOf(ctx context.Context) *access.Principal {
	p, _ := ctx.Value(principalKey).(*access.Principal)
	return p
}

func requestID(ctx context.Context) string {
	id, _ := ctx.Value(requestIDKey).(string)
	return id
}

// remoteOf gives the address a request came from.
func remoteOf(ctx context.Context) string {
	a, _ := ctx.Value(event.OriginKey{}).(string)
	return a
}

// identify gives the request an id, taken over from the client where it is harmless, and the usual protective headers.
func (s *server) identify(c *gin.Context) {
	id := c.GetHeader("X-Request-Id")
	if id == "" || len(id) > 64 || strings.Trim(id,
		"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_.") != "" {
		id = rand.Text()[:16]
	}
	h := c.Writer.Header()
	h.Set("X-Request-Id", id)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cache-Control", "no-store") // what may be kept says so itself
	if s.cfg.Secure {
		h.Set("Strict-Transport-Security", "max-age=31536000") // RFC 6797
	}
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "+
		"frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
	ctx := context.WithValue(c.Request.Context(), requestIDKey, id)
	if route := c.FullPath(); route != "" {
		ctx = context.WithValue(ctx, event.RouteKey{}, c.Request.Method+" "+route)
	}
	c.Request = c.Request.WithContext(ctx)
}

// record writes one line a request. Bodies, queries and tokens stay out of it.
func (s *server) record(c *gin.Context) {
	begin := time.Now()
	c.Next()
	s.metrics.answered(c, time.Since(begin))
	level := slog.LevelDebug
	if c.Writer.Status() >= 500 && c.FullPath() != "/readyz" { // which is asked all the time
		level = slog.LevelError
	}
	who := ""
	if p := principalOf(c.Request.Context()); p != nil {
		who = p.Name
	}
	s.log.Log(c.Request.Context(), level, "request", "id", requestID(c.Request.Context()), "method", c.Request.Method,
		"path", c.Request.URL.Path,
		"status", c.Writer.Status(), "who", who, "ms", time.Since(begin).Milliseconds())
}

func (s *server) panicked(c *gin.Context, v any) {
	s.log.Error("panic", "id", requestID(c.Request.Context()), "value", v, "stack", string(debug.Stack()))
	s.problem(c, fault.New(fault.Internal, "internal", "the service's log has the cause",
		"something went wrong inside Cirque"))
}

// cookieName is that of a session's cookie; over TLS with the prefix by which a browser takes it from this host alone,
// over TLS, for all paths (RFC 6265bis, section 4.1.3.2).
const cookieName = "cirque_session"

func (s *server) cookieName() string {
	if s.cfg.Secure {
		return "__Host-" + cookieName
	}
	return cookieName
}

// principal finds out who is asking: by an agent's certificate, else by bearer token, else by the session's cookie. A
// certificate or token that is not good is refused at once, so that nobody goes on as nobody.
func (s *server) principal(c *gin.Context) {
	if route := c.FullPath(); route == "/healthz" || route == "/readyz" {
		return // whoever asks these is nobody, whatever they bring along
	}
	ctx := c.Request.Context()
	var p *access.Principal
	still := func() bool { return true }
	if tls := c.Request.TLS; tls != nil && len(tls.VerifiedChains) > 0 {
		leaf := tls.PeerCertificates[0]
		var err error
		if p, err = s.svc.Enrolment.ByCertificate(leaf.SerialNumber.Text(16), leaf.Subject.CommonName); err != nil {
			s.log.Warn("a certificate was refused", "machine", leaf.Subject.CommonName, "remote", remoteOf(ctx), "path",
				c.Request.URL.Path)
			s.problem(c, fault.As(err))
			return
		}
		still = func() bool { return s.svc.Enrolment.CertificateGood(leaf.SerialNumber.Text(16)) }
	} else if scheme, token, ok := strings.Cut(c.GetHeader("Authorization"), " "); ok &&
		strings.EqualFold(scheme, "Bearer") {
		if p = s.svc.Identity.ByToken(strings.TrimSpace(token)); p == nil {
			s.log.Warn("a token was refused", "remote", remoteOf(ctx), "path", c.Request.URL.Path)
			s.problem(c, fault.New(fault.Unsigned, "token-unknown", "check it, or make another: cirque token create",
				"the token is not known here, was revoked, or has ended"))
			return
		}
		still = func() bool { return goesOn(s.svc.Identity.ByToken(strings.TrimSpace(token))) }
	} else if cookie, err := c.Request.Cookie(s.cookieName()); err == nil {
		p = s.svc.Identity.UseSession(ctx, cookie.Value, idleOf(c))
		still = func() bool { return goesOn(s.svc.Identity.BySession(cookie.Value)) }
	}
	ctx = context.WithValue(ctx, stillKey, still)
	if p != nil {
		knownOn(ctx)
		if p.Role == access.Agent {
			ctx = context.WithValue(ctx, event.ForKey{}, event.ForAgents)
		}
	}
	c.Request = c.Request.WithContext(context.WithValue(ctx, principalKey, p))
}
