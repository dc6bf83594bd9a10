package web

import (
	"bytes"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"visator/app/act"
	"visator/core/plain"
)

// onlyLoopback refuses requests that were sent to another name: a page of the
// web could otherwise point its own name at this machine.
func onlyLoopback(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		host := c.Request().Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		if ip := net.ParseIP(strings.Trim(host, "[]")); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
			return echo.NewHTTPError(http.StatusForbidden,
				"This server answers on loopback only: use the address that it printed.")
		}
		return next(c)
	}
}

// legible refuses addresses, of whatever page, with what is no text: it could
// neither be stored nor shown. Bodies are looked at by decode.
func legible(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		for _, p := range c.PathValues() {
			if plain.Text(p.Value) != nil || len(p.Value) > maxAddress {
				return echo.ErrNotFound
			}
		}
		for name, values := range c.QueryParams() {
			for _, v := range append(values, name) {
				if err := plain.Text(v); err != nil || len(v) > maxQuery {
					return echo.NewHTTPError(http.StatusBadRequest,
						"What was asked for cannot be read: it is no text, or too long.")
				}
			}
		}
		return next(c)
	}
}

// Limits of an address: names of rows have 30 characters, lists of them some
// thousands.
const (
	maxAddress = 300
	maxQuery   = 32 << 10
)

// decode reads a request's body, JSON, of which every number and text is one that
// can be kept.
func decode(c *echo.Context, into any) error {
	raw, err := io.ReadAll(c.Request().Body)
	if err != nil {
		var tooLarge interface{ StatusCode() int }
		if errors.As(err, &tooLarge) {
			return err
		}
		return echo.NewHTTPError(http.StatusBadRequest, "The request did not arrive whole.")
	}
	if err := plain.JSON(raw); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The request cannot be taken: "+err.Error())
	}
	if err := json.NewDecoder(bytes.NewReader(raw)).Decode(into); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The request cannot be read: "+err.Error())
	}
	return nil
}

// formText is a field of a form that is text.
func formText(c *echo.Context, name string) (string, error) {
	v := c.FormValue(name)
	if plain.Text(v) != nil || len(v) > maxQuery {
		return "", echo.NewHTTPError(http.StatusBadRequest,
			"The form cannot be taken: a field is no text, or too long.")
	}
	return v, nil
}

// personCookie is what a person's browser is known by. Its name has browsers keep
// it to this server alone and send it nowhere in the clear but on this machine.
const personCookie = "__Host-visator"

// known tells who asks, and gives pages that are opened a name to be known by.
func known(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		id := ""
		if k, err := c.Cookie(personCookie); err == nil && len(k.Value) == 26 && plain.Text(k.Value) == nil {
			id = k.Value
		} else if r.Method == http.MethodGet && strings.Contains(r.Header.Get("Accept"), "text/html") {
			id = rand.Text()
			c.SetCookie(&http.Cookie{Name: personCookie, Value: id, Path: "/", MaxAge: 10 * 365 * 86400, Secure: true,
				HttpOnly: true, SameSite: http.SameSiteStrictMode})
		}
		c.SetRequest(r.WithContext(act.WithActor(r.Context(), id)))
		return next(c)
	}
}

// deadline is how long a body that is not a file may take to come.
var deadline = 30 * time.Second

// prompt gives small bodies a deadline: who sends a byte a minute holds nothing.
func prompt(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if r := c.Request(); r.ContentLength != 0 {
			rc := http.NewResponseController(c.Response())
			_ = rc.SetReadDeadline(time.Now().Add(deadline))
			r.Body = &timed{ReadCloser: r.Body, rc: rc}
		}
		return next(c)
	}
}

// idle is how long an upload may send nothing.
var idle = 2 * time.Minute

// timed is a body with a deadline, which is lifted when all of it is here: what is
// then done may take longer. With idle the deadline moves on with what comes.
type timed struct {
	io.ReadCloser
	rc   *http.ResponseController
	idle time.Duration
}

func (b *timed) Read(p []byte) (int, error) {
	if b.idle > 0 {
		_ = b.rc.SetReadDeadline(time.Now().Add(b.idle))
	}
	n, err := b.ReadCloser.Read(p)
	if errors.Is(err, io.EOF) {
		_ = b.rc.SetReadDeadline(time.Time{})
	}
	return n, err
}

// noDeadline lets a long upload or download take its time, as long as it goes on.
func noDeadline(c *echo.Context) {
	rc := http.NewResponseController(c.Response())
	_ = rc.SetWriteDeadline(time.Time{})
	c.Request().Body = &timed{c.Request().Body, rc, idle}
}

// logged gives each request a number, which is in its answer and in the log.
func (s *Server) logged(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		start := time.Now()
		id := rand.Text()[:12]
		c.Response().Header().Set("X-Request-Id", id)
		c.Set("request", id)
		err := next(c)
		took := time.Since(start)
		r := c.Request()
		status := http.StatusOK
		if rw, ok := c.Response().(*echo.Response); ok && rw.Status != 0 {
			status = rw.Status
		}
		if err != nil {
			status, _ = s.words(c, err)
		}
		s.meters.requests.WithLabelValues(r.Method, route(c), fmt.Sprint(status)).Inc()
		s.meters.seconds.WithLabelValues(route(c)).Observe(took.Seconds())
		if strings.HasPrefix(r.URL.Path, "/static/") || strings.HasPrefix(r.URL.Path, "/blobs/") {
			return err
		}
		s.log.LogAttrs(r.Context(), slog.LevelDebug, "request", slog.String("id", id), slog.String("method", r.Method),
			slog.String("path", r.URL.Path), slog.Int("status", status), slog.Duration("took", took),
			slog.Any("error", err))
		return err
	}
}

// route is the pattern of an address, which does not grow with what is named in it.
func route(c *echo.Context) string {
	if p := c.Path(); p != "" {
		return p
	}
	return "none"
}
