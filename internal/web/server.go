// Package web serves the contract of package api over Echo, and the screens.
// It turns requests into entries and accounts into answers, and knows no rule
// of the trade.
package web

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"diligentledger/api"
	"diligentledger/internal/fleet"
	"diligentledger/internal/people"
	"diligentledger/internal/tabular"
)

// Config of a server. Every field is needed unless it says otherwise.
type Config struct {
	Fleet  *fleet.Fleet
	People *people.Service
	// Demo accounts to show at the sign-in; none outside demo mode.
	Demo []people.Demo
	// Screens holds index.html and assets/.
	Screens fs.FS
	Log     *slog.Logger
	// Rate of requests per second from one address; 100 when zero.
	Rate float64
	// Room reports that the disk of the database has too little room to write; nil for no check.
	Room func() error
	// Hosts are the names, without port, under which the server may be
	// addressed; loopback's own names when empty. Any other is refused, so that
	// a page elsewhere cannot reach the books by renaming its own server.
	Hosts []string
	// Address under which browsers reach the server, such as https://ledger.example, for labels.
	Address string
	// Probe: the simulated digital refractometer can be read.
	Probe bool
	// Stream is how long a stream of events is held open; 50 s when zero, less than an answer may take. The browser asks again.
	Stream time.Duration
	// Proxies whose X-Forwarded-For names the client; none when empty.
	Proxies []netip.Prefix
}

// bodyLimit in bytes: entries are short lines.
const bodyLimit = 256 << 10

// New is the handler of the whole application.
func New(cfg Config) (http.Handler, error) {
	if cfg.Rate == 0 {
		cfg.Rate = 100
	}
	if cfg.Stream == 0 {
		cfg.Stream = streamLasts
	}
	if len(cfg.Hosts) == 0 {
		cfg.Hosts = []string{"127.0.0.1", "localhost", "::1"}
	}
	contract, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		return nil, fmt.Errorf("contract: %w", err)
	}
	document, err := contract.MarshalJSON()
	if err != nil {
		return nil, fmt.Errorf("contract: %w", err)
	}
	validate, err := validator(contract)
	if err != nil {
		return nil, fmt.Errorf("contract: %w", err)
	}
	pages, err := newScreens(cfg.Screens)
	if err != nil {
		return nil, err
	}
	texts, err := documents()
	if err != nil {
		return nil, err
	}
	h := handlers{fleet: cfg.Fleet, people: cfg.People, sessions: newSessions(cfg.People.Store), demo: demoAccounts(cfg.Demo), room: cfg.Room, address: cfg.Address, probe: cfg.Probe, stream: cfg.Stream,
		entrySchema: contract.Components.Schemas["EntryInput"].Value, log: cfg.Log, files: newTurns()}
	e := echo.New()
	e.Logger = cfg.Log
	e.HTTPErrorHandler = answerError(cfg.Log, cfg.Room, cfg.People.Store.Zone)
	e.IPExtractor = clientAddress(cfg.Proxies)
	e.Use(middleware.RequestID(), accessLog(cfg.Log), middleware.Recover(), knownHost(cfg.Hosts),
		middleware.SecureWithConfig(middleware.SecureConfig{ContentTypeNosniff: "nosniff", XFrameOptions: "DENY", ReferrerPolicy: "same-origin"}),
		h.noStore, deadline,
		middleware.RateLimiterWithConfig(middleware.RateLimiterConfig{
			Store: middleware.NewRateLimiterMemoryStoreWithConfig(middleware.RateLimiterMemoryStoreConfig{Rate: cfg.Rate, Burst: int(4 * cfg.Rate)}),
			IdentifierExtractor: func(c *echo.Context) (string, error) {
				return c.RealIP(), nil
			},
		}),
		// A request with a token of its own brings no cookie along that another site could use.
		middleware.CSRFWithConfig(middleware.CSRFConfig{Skipper: func(c *echo.Context) bool { _, ok := bearer(c); return ok }, CookieName: "csrf", CookiePath: "/", CookieHTTPOnly: false, CookieSecure: true, CookieSameSite: http.SameSiteStrictMode}),
		middleware.BodyLimitWithConfig(middleware.BodyLimitConfig{LimitBytes: bodyLimit, Skipper: isUpload}), uploadLimit, middleware.GzipWithConfig(middleware.GzipConfig{Skipper: isCompressed}), h.withSession, h.withRoom, h.inTurn, readable, validate)
	api.RegisterHandlers(e, api.NewStrictHandler(h, nil))
	e.GET("/api/openapi.json", func(c *echo.Context) error { return c.JSONBlob(http.StatusOK, document) })
	e.GET("/docs/:name", answerDocument(texts))
	e.GET(calendarPath+":file", h.answerCalendar)
	e.GET("/*", pages.serve)
	return e, nil
}

// clientAddress is the network address of the client: the peer's own, or what a trusted proxy
// says of it.
func clientAddress(proxies []netip.Prefix) echo.IPExtractor {
	if len(proxies) == 0 {
		return echo.ExtractIPDirect()
	}
	trusted := []echo.TrustOption{echo.TrustLoopback(false), echo.TrustLinkLocal(false), echo.TrustPrivateNet(false)}
	for _, p := range proxies {
		trusted = append(trusted, echo.TrustIPRange(&net.IPNet{IP: p.Masked().Addr().AsSlice(), Mask: net.CIDRMask(p.Bits(), p.Addr().BitLen())}))
	}
	return echo.ExtractIPFromXFFHeader(trusted...)
}

// accessLog writes a line for each request at level info: its id, the person, the route of the
// contract, the status and how long it took. Nothing of what was typed is in it.
func accessLog(log *slog.Logger) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			if !log.Enabled(c.Request().Context(), slog.LevelInfo) {
				return next(c)
			}
			start := time.Now()
			err := next(c)
			status := http.StatusOK
			if res, failed := echo.UnwrapResponse(c.Response()); failed == nil && res.Status != 0 {
				status = res.Status
			}
			if err != nil {
				status = statusOf(err)
			}
			var person int64
			if p := signedIn(c.Request().Context()); p != nil {
				person = p.ID
			}
			log.Info("request", "id", c.Response().Header().Get(echo.HeaderXRequestID), "person", person, "method", c.Request().Method,
				"route", c.Path(), "status", status, "ms", float64(time.Since(start).Microseconds())/1000)
			return err
		}
	}
}

// statusOf the answer that an error is given.
func statusOf(err error) int {
	if p := problemOf(err); p != nil {
		return p.Status
	}
	var coded echo.HTTPStatusCoder
	if errors.As(err, &coded) {
		return coded.StatusCode()
	}
	return http.StatusInternalServerError
}

// closingKey finds in a request's context the channel that is closed when the server closes: streams end then.
type closingKey struct{}

// Serve answers on l until ctx ends, then lets running requests finish.
func Serve(ctx context.Context, l net.Listener, h http.Handler) error {
	closing := make(chan struct{})
	server := &http.Server{Handler: h, BaseContext: func(net.Listener) context.Context {
		return context.WithValue(context.Background(), closingKey{}, closing)
	}, ReadHeaderTimeout: 5 * time.Second, ReadTimeout: 30 * time.Second,
		WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute}
	done := make(chan error, 1)
	go func() { done <- server.Serve(l) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	close(closing)
	finish, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if err := server.Shutdown(finish); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return nil
}

// answerWithin is how long a request may wait for the database: then it is answered 503, with
// the reason, and not left hanging.
const answerWithin = 4500 * time.Millisecond

// withRoom refuses to write while the disk has little room left, before the database server
// meets its end: InnoDB stops the server when it cannot extend a file. What only computes an
// answer, and coming in to read, is let through.
func (h handlers) withRoom(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		req := c.Request()
		reads := req.Method == http.MethodGet || req.Method == http.MethodHead || !strings.HasPrefix(req.URL.Path, apiPrefix) ||
			strings.HasSuffix(req.URL.Path, "/preview") || strings.HasPrefix(req.URL.Path, apiPrefix+"bench/") ||
			req.URL.Path == apiPrefix+"numbers" || req.URL.Path == apiPrefix+"dates" || req.URL.Path == apiPrefix+"session"
		if !reads && h.room != nil && h.room() != nil {
			return diskFull
		}
		return next(c)
	}
}

// isCompressed reports whether the answer is a file of the build, which is compressed by the build, or a
// photo.
func isCompressed(c *echo.Context) bool {
	where := c.Request().URL.Path
	built := !strings.HasPrefix(where, "/api/") && slices.Contains([]string{".js", ".css", ".svg", ".wasm"}, path.Ext(where))
	return built && takesBrotli(c) || isStream(where) || strings.HasPrefix(where, apiPrefix+"attachments/")
}

// isUpload reports whether the request brings or fetches a whole file.
func isUpload(c *echo.Context) bool {
	path := c.Request().URL.Path
	return isPhoto(c) || c.Request().Method == http.MethodPost && (path == apiPrefix+"imports" || path == apiPrefix+"workbook" || strings.HasPrefix(path, apiPrefix+"sites/") && strings.HasSuffix(path, "/nights")) || path == apiPrefix+"archive"
}

func isPhoto(c *echo.Context) bool {
	return c.Request().Method == http.MethodPut && strings.HasPrefix(c.Request().URL.Path, apiPrefix+"attachments/")
}

// uploadLimit refuses a file that is too large by its length before a byte of it is read, and one that
// says nothing of its length once it has gone too far.
func uploadLimit(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		req := c.Request()
		if !isUpload(c) {
			return next(c)
		}
		if isPhoto(c) {
			req.Body = http.MaxBytesReader(nil, req.Body, mostPhoto)
			return next(c)
		}
		if req.ContentLength > tabular.MostBytes {
			return newProblem(http.StatusRequestEntityTooLarge, "Too large", tabular.TooLarge(req.ContentLength).Error())
		}
		req.Body = http.MaxBytesReader(nil, req.Body, tabular.MostBytes+1)
		return next(c)
	}
}

// searchWithin is how long the plan may take: a search, and the hours of all sheets when it is read for the first time. A statement
// waits no longer than any other.
const searchWithin = 12 * time.Second

// isSearch reports whether the request is of the plan.
func isSearch(c *echo.Context) bool {
	path := c.Request().URL.Path
	return path == apiPrefix+"plan" || strings.HasPrefix(path, apiPrefix+"plan/")
}

// isPassword reports whether the request brings a password, which waits for its turn to be hashed.
func isPassword(c *echo.Context) bool {
	path := c.Request().URL.Path
	return c.Request().Method == http.MethodPost && (path == apiPrefix+"session" || strings.HasPrefix(path, apiPrefix+"links/"))
}

// passwordWithin is how long a password may wait for its turn.
const passwordWithin = 20 * time.Second

// uploadWithin is how long a file may take to arrive and to be kept.
const uploadWithin = 60 * time.Second

func deadline(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if isStream(c.Request().URL.Path) {
			return next(c)
		}
		within := answerWithin
		switch {
		case isUpload(c):
			within = uploadWithin
		case isSearch(c):
			within = searchWithin
		case isPassword(c):
			within = passwordWithin
		}
		ctx, cancel := context.WithTimeout(c.Request().Context(), within)
		defer cancel()
		c.SetRequest(c.Request().WithContext(ctx))
		return next(c)
	}
}

// noStore keeps the books out of caches; files with a hash in their name are
// marked otherwise where they are served.
func (h handlers) noStore(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		// Devices set their clocks by it; see ui/src/frame/clock.ts.
		c.Response().Header().Set("Server-Time", h.fleet.Now().UTC().Format("2006-01-02T15:04:05.000Z07:00"))
		c.Response().Header().Set("Cache-Control", "no-store")
		return next(c)
	}
}

func knownHost(hosts []string) echo.MiddlewareFunc {
	known := map[string]bool{}
	for _, h := range hosts {
		known[h] = true
	}
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			host := c.Request().Host
			if name, _, err := net.SplitHostPort(host); err == nil {
				host = name
			}
			if !known[host] {
				return &echo.ProblemError{Status: http.StatusMisdirectedRequest, Title: "Unknown host",
					Detail: fmt.Sprintf("host %q is not served here; accepted: %v", host, hosts)}
			}
			return next(c)
		}
	}
}
