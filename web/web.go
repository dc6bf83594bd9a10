// Package web is the interface: routes, handlers, templates, and the scripts,
// styles and fonts that are embedded in the binary. It holds no rules of the
// job.
package web

import (
	"compress/gzip"
	"context"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"visator/app"
	"visator/app/act"
	"visator/app/library"
	"visator/core/cube"
	"visator/store"
)

//go:embed dist templates
var files embed.FS

// Server answers requests for one App.
type Server struct {
	app    *app.App
	log    *slog.Logger
	page   *template.Template
	hub    hub
	dsn    string
	meters *meters
}

// maxFolderBody bounds a folder's upload: its files, and what is between them.
const maxFolderBody = 17 << 30

// maxJSON bounds the body of an edit: a drag of five thousand placements.
const maxJSON = 4 << 20

// New returns the interface of a. dsn is where changes are listened for.
func New(a *app.App, dsn string, log *slog.Logger) (*Server, error) {
	page, err := template.ParseFS(files, "templates/*.html")
	if err != nil {
		return nil, err
	}
	s := &Server{app: a, log: log, page: page, dsn: dsn, hub: hub{listeners: map[chan string]bool{}}}
	s.meters = s.newMeters()
	return s, nil
}

// isText says which answers are compressed: what is written for scripts, and scripts. Pages
// are not, which carry a secret beside what others may have written (BREACH: Gluck,
// Harris and Prado, 2013), nor are meshes and pictures, which gain less than they cost.
func isText(path string) bool {
	if strings.HasPrefix(path, "/static/") {
		return strings.HasSuffix(path, ".js") || strings.HasSuffix(path, ".css")
	}
	last := path[strings.LastIndexByte(path, '/')+1:]
	return strings.HasPrefix(path, "/api/") && !strings.HasPrefix(path, "/api/thumbs/") &&
		!slices.Contains([]string{"events", "model", "instances", "export", "sheet", "cutouts", "sky", "sketch",
			"true"}, last)
}

// atWork notes that a person does something: opens a page, changes something. What pages
// ask for by themselves does not count.
func (s *Server) atWork(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if r := c.Request(); r.Method != http.MethodGet || r.URL.Path == "/" || strings.HasPrefix(r.URL.Path,
			"/sets/") {
			s.app.Touch()
		}
		return next(c)
	}
}

// Handler is the whole interface as an http.Handler.
func (s *Server) Handler() http.Handler {
	e := echo.New()
	e.Logger = s.log
	e.HTTPErrorHandler = s.fail
	e.Use(s.logged, middleware.Recover(), onlyLoopback, isolated, middleware.SecureWithConfig(middleware.SecureConfig{
		XFrameOptions: "DENY", ContentTypeNosniff: "nosniff", ReferrerPolicy: "same-origin",
		ContentSecurityPolicy: "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' " +
			"blob: data:; connect-src 'self' blob:; worker-src 'self'; object-src 'none'; frame-ancestors 'none'; " +
			"base-uri 'none'; form-action 'self'",
	}))
	e.Use(middleware.GzipWithConfig(middleware.GzipConfig{Level: gzip.BestSpeed, MinLength: 1400,
		Skipper: func(c *echo.Context) bool { return !isText(c.Request().URL.Path) }}))
	e.Use(legible, prompt, known, s.atWork,
		middleware.CSRFWithConfig(middleware.CSRFConfig{TokenLookup: "header:X-CSRF-Token,form:csrf",
			CookieName: "__Host-visator-form", CookieSecure: true, CookieHTTPOnly: true,
			CookieSameSite: http.SameSiteStrictMode,
			CookiePath:     "/"}))
	dist, _ := fs.Sub(files, "dist")
	static := http.StripPrefix("/static/", http.FileServerFS(dist))
	e.GET("/static/*", func(c *echo.Context) error {
		c.Response().Header().Set("Cache-Control", "no-cache")
		static.ServeHTTP(c.Response(), c.Request())
		return nil
	})
	e.GET("/favicon.ico", func(c *echo.Context) error { return c.NoContent(http.StatusNoContent) })
	e.GET("/healthz", s.health)
	e.GET("/readyz", s.ready)
	e.GET("/metrics", s.metrics())
	e.GET("/", s.home)
	e.POST("/productions", s.newProduction)
	e.POST("/productions/:production/sets", s.newSet)
	e.POST("/bin/:kind/:id", s.putInBin)
	e.POST("/bin/:kind/:id/back", s.takeFromBin)
	e.POST("/productions/take-in", s.takeIn, middleware.BodyLimit(65<<30))
	e.GET("/productions/:production/file", s.productionFile)
	e.GET("/sets/:set/:step", s.sheet)
	e.GET("/api/length", s.length)
	e.GET("/api/standins/:kind", s.standIn)
	e.GET("/blobs/:hash", s.blob)
	small := middleware.BodyLimit(maxJSON)
	e.GET("/api/sets/:set/state", s.state)
	e.GET("/api/schema", s.schema)
	e.GET("/api/sets/:set/topics", s.topics)
	e.GET("/api/sets/:set/topics/:topic", s.topic)
	e.GET("/api/sets/:set/outlines", s.outlines)
	e.GET("/api/sets/:set/sky", s.sky)
	e.GET("/api/sets/:set/ambient", s.ambient)
	e.GET("/api/sets/:set/sketch", s.sketch)
	e.GET("/api/sets/:set/sun", s.sun)
	e.GET("/api/sets/:set/true", s.trueView)
	e.GET("/api/sets/:set/meter", s.meter)
	e.GET("/api/sets/:set/false", s.falseColours)
	e.GET("/api/sets/:set/ownsun", s.ownSun)
	e.GET("/api/sets/:set/year", s.sunYear)
	e.GET("/api/sets/:set/export", s.export)
	e.GET("/api/sets/:set/rig", s.rig)
	e.GET("/api/sets/:set/fixtures", s.fixtures)
	e.GET("/api/sets/:set/surfaces", s.surfaces)
	e.POST("/api/sets/:set/takeoff", s.takeOff, small)
	e.GET("/api/sets/:set/sample", s.surfaceSample)
	e.GET("/api/sets/:set/alone", s.alone)
	e.GET("/api/sets/:set/faces", s.faces)
	e.GET("/api/sample", s.sample)
	e.GET("/api/color", s.color)
	e.GET("/api/finishes", s.finishes)
	e.GET("/api/finishes/:finish", s.finish)
	e.GET("/api/finishes/:finish/sample", s.finishSample)
	e.GET("/api/palette", s.palette)
	e.GET("/api/materials", s.materials)
	e.POST("/api/productions/:production/materials", s.shelveMaterial, small)
	e.POST("/api/productions/:production/materials/gathered", s.gatherMaterials, small)
	e.POST("/api/productions/:production/materials/:id/away", s.unshelve, small)
	e.GET("/api/sets/:set/held", s.held)
	e.POST("/api/sets/:set/pulled", s.pulled, small)
	e.POST("/api/sets/:set/rig", s.readRig, middleware.BodyLimit(64<<20))
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
	e.GET("/api/queue", s.queue)
	e.GET("/api/sets/:set/changed", s.changed)
	e.POST("/api/productions/:production/look", s.takeLook, middleware.BodyLimit(cube.MaxBytes))
	e.GET("/api/productions/:production/parcels", s.parcels)
	e.POST("/api/productions/:production/parcels", s.deliver, small)
	e.POST("/api/parcels/:parcel/cancel", s.cancelParcel, small)
	e.GET("/api/sets/:set/contact", s.contact)
	e.POST("/api/sets/:set/takes/all", s.shootAll, small)
	e.POST("/api/takes/:take/queue", s.arrange, small)
	e.POST("/api/takes/:take/frames", s.framesAgain, small)
	e.GET("/api/takes/:take/look", s.lookAt)
	e.POST("/api/takes/:take/more", s.goOn, small)
	e.POST("/api/takes/:take/marks", s.mark, small)
	e.GET("/api/takes/:take/noise", s.noise)
	e.GET("/api/takes/:take/against/:other", s.against)
	e.GET("/api/takes/:take/heat/:other", s.heat)
	e.GET("/api/takes/:take/mix", s.mix)
	e.GET("/api/takes/:take/developed", s.developed)
	e.GET("/api/takes/:take/white", s.whiteAt)
	e.GET("/api/takes/:take/raw", s.raw)
	e.POST("/api/takes/:take/set", s.ownSet, small)
	e.GET("/api/takes/:take/written", s.written)
	e.GET("/api/kept/finishes", s.keptFinishes)
	e.POST("/api/productions/:production/finishes", s.keepFinish, small)
	e.POST("/api/productions/:production/finishes/:id/away", s.unshelve, small)
	e.POST("/api/takes/:take/develop", s.redevelop, small)
	e.POST("/api/takes/:take/mix", s.writeBack, small)
	e.POST("/api/sets/:set/fits", s.fits, small)
	e.POST("/api/sets/:set/settle", s.settle, small)
	e.POST("/api/sets/:set/settle/:settling/stop", s.stopSettle, small)
	e.POST("/api/takes/:take/bin", s.bin("take"), small)
	e.GET("/api/sets/:set/requests/:request", s.request)
	e.POST("/api/sets/:set/undo", s.undo, small)
	e.POST("/api/sets/:set/redo", s.redo, small)
	e.POST("/api/productions/:production/options", s.options, small)
	e.POST("/api/productions/:production/arrivals", s.arrive, middleware.BodyLimit(library.MaxUpload))
	e.POST("/api/productions/:production/folders", s.arriveFolder, middleware.BodyLimit(maxFolderBody))
	e.GET("/api/arrivals/:arrival/tray", s.tray)
	e.POST("/api/arrivals/:arrival/take", s.take, small)
	e.POST("/api/arrivals/:arrival/cancel", s.cancelArrival, small)
	e.POST("/api/arrivals/:arrival/resume", s.resumeArrival, small)
	e.POST("/api/arrivals/:arrival/maps", s.findMaps, small)
	e.GET("/api/arrivals/:arrival/uses", s.uses)
	e.POST("/api/arrivals/:arrival/bin", s.bin("arrival"), small)
	e.GET("/api/pieces/:piece", s.piece)
	e.GET("/api/pieces/:piece/size", s.proposal)
	e.POST("/api/pieces/:piece/map", s.assignMap, small)
	e.GET("/api/sets/:set/shelf", s.shelf)
	e.GET("/api/supplier", s.catalogue)
	e.POST("/api/productions/:production/order", s.order, small)
	e.POST("/api/productions/:production/bring", s.bring, small)
	e.POST("/api/sets/:set/cameras", s.takeCameras, small)
	e.POST("/api/sets/:set/sun", s.takeSun, small)
	e.GET("/api/thumbs/:hash", s.thumb)
	e.GET("/api/sets/:set/credits", s.credits)
	e.POST("/api/productions/:production/panorama", s.panorama, middleware.BodyLimit(512<<20))
	e.GET("/api/productions/:production/light", s.lightShelf)
	e.GET("/api/productions/:production/light/lamps/:lamp", s.lampPicture)
	e.POST("/api/productions/:production/light/lamps", s.shelveLamp, small)
	e.POST("/api/productions/:production/light/:id/away", s.unshelve, small)
	e.POST("/api/productions/:production/photometry", s.photometry, middleware.BodyLimit(8<<20))
	e.POST("/api/productions/:production/picture", s.cardPicture, middleware.BodyLimit(65<<20))
	e.GET("/api/events", s.events)
	return e
}

// isolated keeps what is served here to pages of this server.
func isolated(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		return next(c)
	}
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
	if _, err := conn.Exec(ctx, "listen "+act.Channel); err != nil {
		return err
	}
	s.hub.tell(`{"what":"again"}`)
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		var a act.Announcement
		if json.Unmarshal([]byte(n.Payload), &a) == nil {
			s.hub.tell(n.Payload)
		}
	}
}

// fail tells an error once: in words that the artist can act on, or as
// something of the server's own that is in its log.
func (s *Server) fail(c *echo.Context, err error) {
	if rw, ok := c.Response().(*echo.Response); ok && rw.Committed {
		return
	}
	// Also when whoever asked seems to be gone: an answer that is not written is a 200.
	status, say := s.words(c, err)
	if status >= 500 && status != http.StatusInsufficientStorage && c.Request().Context().Err() == nil {
		s.log.Error("request failed", "id", c.Get("request"), "path", c.Request().URL.Path, "error", err)
	}
	if strings.HasPrefix(c.Request().URL.Path, "/api/") {
		_ = c.JSON(status, map[string]string{"error": say})
		return
	}
	_ = c.String(status, say)
}

// words are what is told of an error, and as which status.
func (s *Server) words(c *echo.Context, err error) (status int, say string) {
	var p *act.Problem
	var h *echo.HTTPError
	var pg *pgconn.PgError
	var coder interface{ StatusCode() int }
	switch {
	case errors.As(err, &p):
		switch {
		case errors.Is(err, act.ErrStale):
			return http.StatusConflict, p.Say
		case errors.Is(err, act.ErrNone):
			return http.StatusNotFound, p.Say
		case errors.Is(err, act.ErrFull):
			return http.StatusInsufficientStorage, p.Say
		}
		return http.StatusUnprocessableEntity, p.Say
	case errors.As(err, &h):
		return h.Code, h.Message
	case errors.Is(err, os.ErrDeadlineExceeded):
		return http.StatusRequestTimeout, "What was sent did not arrive in time. Nothing was changed."
	case errors.Is(err, context.Canceled):
		return http.StatusServiceUnavailable,
			"The server ended before this was done. Nothing was changed; try again in a " + "moment."
	case errors.Is(err, echo.ErrNotFound):
		return http.StatusNotFound, "There is no such page."
	case errors.Is(err, store.ErrNotFound):
		return http.StatusNotFound, "It is not there any more; reload the page."
	case store.Full(err):
		return http.StatusInsufficientStorage, act.DiskFull.Say
	case errors.Is(err, store.ErrDamaged):
		return http.StatusUnprocessableEntity, err.Error()
	case store.Away(err):
		return http.StatusServiceUnavailable, "The database does not answer. Nothing was changed; what was confirmed " +
			"before is safe. Try again in a moment."
	case errors.As(err, &pg) && (strings.HasPrefix(pg.Code, "22") || strings.HasPrefix(pg.Code, "23")):
		// A value that the database cannot hold, or that names what is not there.
		return http.StatusUnprocessableEntity,
			"A value of this cannot be kept: a number beyond its limits, or something that is not there any more. " +
				"Nothing was changed."
	case errors.As(err, &coder) && coder.StatusCode() < 500:
		return coder.StatusCode(), http.StatusText(coder.StatusCode())
	}
	return http.StatusInternalServerError, fmt.Sprintf("The server could not do this. It is written in its log, under "+
		"%v; try again.", c.Get("request"))
}

func (s *Server) render(c *echo.Context, name string, data any) error {
	c.Response().Header().Set("Content-Type", "text/html; charset=utf-8")
	c.Response().Header().Set("Cache-Control", "no-store")
	return s.page.ExecuteTemplate(c.Response(), name, data)
}
