// Package web is the interface: routes, handlers, templates, and the scripts,
// styles and fonts that are embedded in the binary. It holds no rules of the
// job.
package web

import (
	"context"
	"embed"
	"encoding/json"
	"errors"
	"html/template"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"visator/app"
)

//go:embed dist templates
var files embed.FS

// Server answers requests for one App.
type Server struct {
	app  *app.App
	log  *slog.Logger
	page *template.Template
	hub  hub
	dsn  string
}

// maxJSON bounds the body of an edit: a drag of five thousand placements.
const maxJSON = 4 << 20

// New returns the interface of a. dsn is where changes are listened for.
func New(a *app.App, dsn string, log *slog.Logger) (*Server, error) {
	page, err := template.ParseFS(files, "templates/*.html")
	if err != nil {
		return nil, err
	}
	return &Server{app: a, log: log, page: page, dsn: dsn, hub: hub{listeners: map[chan string]string{}}}, nil
}

// Handler is the whole interface as an http.Handler.
func (s *Server) Handler() http.Handler {
	e := echo.New()
	e.Logger = s.log
	e.HTTPErrorHandler = s.fail
	e.Use(middleware.Recover(), s.logged, onlyLoopback, middleware.SecureWithConfig(middleware.SecureConfig{
		XFrameOptions: "DENY", ContentTypeNosniff: "nosniff", ReferrerPolicy: "same-origin",
		// Alpine evaluates the expressions in the page's own attributes.
		ContentSecurityPolicy: "default-src 'self'; script-src 'self' 'unsafe-eval'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:; connect-src 'self' blob:; object-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
	}))
	e.Use(middleware.CSRFWithConfig(middleware.CSRFConfig{TokenLookup: "header:X-CSRF-Token,form:csrf", CookieSameSite: http.SameSiteStrictMode, CookiePath: "/"}))
	dist, _ := fs.Sub(files, "dist")
	static := http.StripPrefix("/static/", http.FileServerFS(dist))
	e.GET("/static/*", func(c *echo.Context) error {
		c.Response().Header().Set("Cache-Control", "no-cache")
		static.ServeHTTP(c.Response(), c.Request())
		return nil
	})
	e.GET("/favicon.ico", func(c *echo.Context) error { return c.NoContent(http.StatusNoContent) })
	e.GET("/healthz", s.health)
	e.GET("/", s.home)
	e.POST("/productions", s.newProduction)
	e.POST("/productions/:production/sets", s.newSet)
	e.GET("/sets/:set/:step", s.sheet)
	e.GET("/api/length", s.length)
	e.GET("/api/standins/:kind", s.standIn)
	e.GET("/blobs/:hash", s.blob)
	small := middleware.BodyLimit(maxJSON)
	e.GET("/api/sets/:set/state", s.state)
	e.GET("/api/sets/:set/outlines", s.outlines)
	e.GET("/api/sets/:set/sky", s.sky)
	e.GET("/api/sets/:set/export", s.export)
	e.GET("/api/sets/:set/frame", s.frame)
	e.GET("/api/sets/:set/track", s.track)
	e.GET("/api/sets/:set/sheet", s.shotSheet)
	e.GET("/api/sets/:set/cutouts", s.cutOuts)
	e.GET("/api/sets/:set/lenses", s.lenses)
	e.POST("/api/sets/:set/edit", s.edit, small)
	e.POST("/api/sets/:set/keep", s.keepPiece, small)
	e.GET("/api/sets/:set/elements/:element/model", s.elementModel)
	e.GET("/api/sets/:set/elements/:element/instances", s.elementInstances)
	e.POST("/api/sets/:set/takes", s.shoot, small)
	e.POST("/api/takes/:take/cancel", s.cancelTake, small)
	e.POST("/api/takes/:take/delete", s.deleteTake, small)
	e.POST("/api/productions/:production/undo", s.undo, small)
	e.POST("/api/productions/:production/redo", s.redo, small)
	e.POST("/api/productions/:production/options", s.options, small)
	e.POST("/api/productions/:production/arrivals", s.arrive, middleware.BodyLimit(app.MaxUpload))
	e.POST("/api/productions/:production/folders", s.arriveFolder)
	e.GET("/api/arrivals/:arrival/tray", s.tray)
	e.POST("/api/arrivals/:arrival/take", s.take, small)
	e.POST("/api/arrivals/:arrival/cancel", s.cancelArrival, small)
	e.POST("/api/arrivals/:arrival/resume", s.resumeArrival, small)
	e.POST("/api/arrivals/:arrival/maps", s.findMaps, small)
	e.GET("/api/pieces/:piece", s.piece)
	e.GET("/api/pieces/:piece/size", s.proposal)
	e.POST("/api/pieces/:piece/map", s.assignMap, small)
	e.GET("/api/sets/:set/shelf", s.shelf)
	e.GET("/api/supplier", s.catalogue)
	e.POST("/api/productions/:production/order", s.order, small)
	e.POST("/api/productions/:production/bring", s.bring, small)
	e.POST("/api/sets/:set/cameras", s.takeCameras, small)
	e.GET("/api/thumbs/:hash", s.thumb)
	e.GET("/api/sets/:set/credits", s.credits)
	e.POST("/api/productions/:production/panorama", s.panorama, middleware.BodyLimit(512<<20))
	e.POST("/api/productions/:production/picture", s.cardPicture, middleware.BodyLimit(65<<20))
	e.GET("/api/productions/:production/events", s.events)
	return e
}

// Listen keeps listening for changes until ctx ends, through restarts of the
// database too.
func (s *Server) Listen(ctx context.Context) {
	for ctx.Err() == nil {
		err := s.listenOnce(ctx)
		if ctx.Err() != nil {
			return
		}
		s.log.Warn("listening for changes was interrupted", "error", err)
		// Whoever looks may have missed something meanwhile.
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

func (s *Server) listenOnce(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, s.dsn)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "listen "+app.Channel); err != nil {
		return err
	}
	s.hub.tell("", `{"what":"again"}`)
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		var a app.Announcement
		if json.Unmarshal([]byte(n.Payload), &a) == nil {
			s.hub.tell(a.Production, n.Payload)
		}
	}
}

// onlyLoopback refuses requests that were sent to another name: a page of the
// web could otherwise point its own name at this machine.
func onlyLoopback(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		host := c.Request().Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		if ip := net.ParseIP(strings.Trim(host, "[]")); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
			return echo.NewHTTPError(http.StatusForbidden, "This server answers on loopback only: use the address that it printed.")
		}
		return next(c)
	}
}

func (s *Server) logged(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		start := time.Now()
		err := next(c)
		r := c.Request()
		if strings.HasPrefix(r.URL.Path, "/static/") || strings.HasPrefix(r.URL.Path, "/blobs/") {
			return err
		}
		s.log.Debug("request", "method", r.Method, "path", r.URL.Path, "took", time.Since(start), "error", err)
		return err
	}
}

// fail tells an error once: in words that the artist can act on, or as
// something of the server's own that is in its log.
func (s *Server) fail(c *echo.Context, err error) {
	if rw, ok := c.Response().(*echo.Response); ok && rw.Committed {
		return
	}
	status, say := http.StatusInternalServerError, "The server could not do this. It is written in its log; try again."
	var p *app.Problem
	var h *echo.HTTPError
	switch {
	case errors.As(err, &p):
		say = p.Say
		switch {
		case errors.Is(err, app.ErrStale):
			status = http.StatusConflict
		case errors.Is(err, app.ErrNone):
			status = http.StatusNotFound
		default:
			status = http.StatusUnprocessableEntity
		}
	case errors.As(err, &h):
		status, say = h.Code, h.Message
	case errors.Is(err, echo.ErrNotFound):
		status, say = http.StatusNotFound, "There is no such page."
	case c.Request().Context().Err() != nil:
		return // whoever asked is gone
	default:
		var coder interface{ StatusCode() int }
		if errors.As(err, &coder) && coder.StatusCode() < 500 {
			status, say = coder.StatusCode(), http.StatusText(coder.StatusCode())
		} else {
			if lost(err) {
				status, say = http.StatusServiceUnavailable, "The database does not answer. Nothing was changed; what was confirmed before is safe. Try again in a moment."
			}
			s.log.Error("request failed", "path", c.Request().URL.Path, "error", err)
		}
	}
	if strings.HasPrefix(c.Request().URL.Path, "/api/") {
		_ = c.JSON(status, map[string]string{"error": say})
		return
	}
	_ = c.String(status, say)
}

// lost reports whether the database is away.
func lost(err error) bool {
	var connect *pgconn.ConnectError
	var op net.Error
	return errors.As(err, &connect) || errors.As(err, &op) || strings.Contains(err.Error(), "terminating connection") || strings.Contains(err.Error(), "unexpected EOF")
}

func (s *Server) render(c *echo.Context, name string, data any) error {
	c.Response().Header().Set("Content-Type", "text/html; charset=utf-8")
	c.Response().Header().Set("Cache-Control", "no-store")
	return s.page.ExecuteTemplate(c.Response(), name, data)
}

func (s *Server) health(c *echo.Context) error {
	ctx, cancel := context.WithTimeout(c.Request().Context(), 2*time.Second)
	defer cancel()
	if err := s.app.Store.Pool.Ping(ctx); err != nil {
		return c.String(http.StatusServiceUnavailable, "the database does not answer\n")
	}
	return c.String(http.StatusOK, "ok\n")
}
