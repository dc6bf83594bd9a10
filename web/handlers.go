package web

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"errors"
	"math"
	"mime"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"visator/app"
	"visator/core/exchange"
	"visator/core/intake/credit"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
)

// homeProduction is a production as the first page lists it.
type homeProduction struct {
	store.Production
	Sets   []store.Set
	Pieces int
	Shots  int
	Takes  []homeTake
}

type homeTake struct {
	Name, Picture string
}

func (s *Server) home(c *echo.Context) error {
	ctx := c.Request().Context()
	list, err := s.app.Store.Productions(ctx)
	if err != nil {
		return err
	}
	var out []homeProduction
	for _, p := range list {
		h := homeProduction{Production: p}
		if h.Sets, err = s.app.Store.Sets(ctx, p.ID); err != nil {
			return err
		}
		pieces, err := store.Pieces(ctx, s.app.Store.Pool, p.ID)
		if err != nil {
			return err
		}
		h.Pieces = len(pieces)
		for _, set := range h.Sets {
			shots, err := store.Shots(ctx, s.app.Store.Pool, set.ID)
			if err != nil {
				return err
			}
			h.Shots += len(shots)
			takes, err := store.Takes(ctx, s.app.Store.Pool, set.ID)
			if err != nil {
				return err
			}
			for _, t := range takes {
				var r app.TakeResult
				if json.Unmarshal(t.Result, &r) != nil || len(h.Takes) >= 4 {
					continue
				}
				pic := r.PNG
				if pic == "" && len(r.Frames) > 0 {
					pic = r.Frames[len(r.Frames)/2]
				}
				if pic != "" {
					h.Takes = append(h.Takes, homeTake{t.Name, pic})
				}
			}
		}
		out = append(out, h)
	}
	return s.render(c, "home.html", map[string]any{"Productions": out, "Token": c.Get("csrf")})
}

func (s *Server) newProduction(c *echo.Context) error {
	_, set, err := s.app.NewProduction(c.Request().Context(), c.FormValue("name"), c.FormValue("unit"))
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/sets/"+set+"/intake")
}

func (s *Server) newSet(c *echo.Context) error {
	set, err := s.app.NewSet(c.Request().Context(), c.Param("production"), c.FormValue("set"))
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/sets/"+set+"/dress")
}

// steps are the six sheets in working order.
var steps = []string{"intake", "size", "dress", "light", "frame", "shoot"}

func (s *Server) sheet(c *echo.Context) error {
	set, production, err := s.app.Set(c.Request().Context(), c.Param("set"))
	if err != nil {
		return err
	}
	if !slices.Contains(steps, c.Param("step")) {
		return echo.ErrNotFound
	}
	return s.render(c, "sheet.html", map[string]any{"Set": set, "Production": production, "Step": c.Param("step"), "Steps": steps, "Licences": credit.Licences()})
}

func (s *Server) state(c *echo.Context) error {
	st, err := s.app.State(c.Request().Context(), c.Param("set"))
	return answer(c, st, err)
}

// outlines are the silhouettes of the pieces that are asked for, their names
// parted by commas.
func (s *Server) outlines(c *echo.Context) error {
	out, err := s.app.Outlines(c.Request().Context(), c.Param("set"), strings.Split(c.QueryParam("of"), ","))
	return answer(c, out, err)
}

// answer sends what was asked for, as it is now.
func answer(c *echo.Context, what any, err error) error {
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(http.StatusOK, what)
}

func decode(c *echo.Context, into any) error {
	if err := json.NewDecoder(c.Request().Body).Decode(into); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The request cannot be read: "+err.Error())
	}
	return nil
}

func (s *Server) edit(c *echo.Context) error {
	req := app.EditRequest{Revision: -1}
	if err := decode(c, &req); err != nil {
		return err
	}
	res, err := s.app.Edit(c.Request().Context(), c.Param("set"), req)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, res)
}

func (s *Server) undo(c *echo.Context) error {
	label, err := s.app.Undo(c.Request().Context(), c.Param("production"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"label": label})
}

func (s *Server) redo(c *echo.Context) error {
	label, err := s.app.Redo(c.Request().Context(), c.Param("production"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"label": label})
}

func (s *Server) options(c *echo.Context) error {
	var o struct {
		Unit   string
		Budget int
	}
	if err := decode(c, &o); err != nil {
		return err
	}
	if err := s.app.SetOptions(c.Request().Context(), c.Param("production"), o.Unit, o.Budget); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// noDeadline lets a long upload or download take its time.
func noDeadline(c *echo.Context) {
	rc := http.NewResponseController(c.Response())
	_ = rc.SetReadDeadline(time.Time{})
	_ = rc.SetWriteDeadline(time.Time{})
}

func (s *Server) arrive(c *echo.Context) error {
	noDeadline(c)
	ar, twice, err := s.app.Arrive(c.Request().Context(), c.Param("production"), c.QueryParam("name"), c.Request().Body)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"arrival": ar, "twice": twice})
}

func (s *Server) panorama(c *echo.Context) error {
	noDeadline(c)
	hash, err := s.app.Panorama(c.Request().Context(), c.Request().Body)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"blob": hash})
}

func (s *Server) cardPicture(c *echo.Context) error {
	noDeadline(c)
	hash, err := s.app.CardPicture(c.Request().Context(), c.Request().Body)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"blob": hash})
}

func (s *Server) shoot(c *echo.Context) error {
	var req struct {
		Shot, Kind string
		Settings   app.TakeSettings
	}
	if err := decode(c, &req); err != nil {
		return err
	}
	t, err := s.app.Shoot(c.Request().Context(), c.Param("set"), req.Shot, req.Kind, req.Settings)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, t)
}

func (s *Server) cancelTake(c *echo.Context) error {
	if err := s.app.CancelTake(c.Request().Context(), c.Param("take")); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *Server) deleteTake(c *echo.Context) error {
	if err := s.app.DeleteTake(c.Request().Context(), c.Param("take")); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// length reads what a person typed as a length. unit is what a number
// without one is taken in.
func (s *Server) length(c *echo.Context) error {
	u, ok := unit.ByName(c.QueryParam("unit"))
	if !ok {
		u = unit.Metre
	}
	m, err := unit.ParseLength(c.QueryParam("text"), u)
	if err != nil {
		return &app.Problem{Say: err.Error(), Kind: app.ErrWrong}
	}
	return c.JSON(http.StatusOK, map[string]any{"metres": m, "text": unit.Format(m, u)})
}

func (s *Server) standIn(c *echo.Context) error {
	m := stage.ShapeModel(c.Param("kind"))
	if m == nil {
		return echo.ErrNotFound
	}
	var buf bytes.Buffer
	if err := exchange.WriteGLB(&buf, m); err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "model/gltf-binary", buf.Bytes())
}

func (s *Server) keepPiece(c *echo.Context) error {
	var req struct{ Group string }
	if err := decode(c, &req); err != nil {
		return err
	}
	ar, err := s.app.KeepPiece(c.Request().Context(), c.Param("set"), req.Group)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, ar)
}

// elementModel is an element's own model. Its address names what it was laid out
// to, so that it can be kept.
func (s *Server) elementModel(c *echo.Context) error {
	data, err := s.app.ElementModel(c.Request().Context(), c.Param("set"), c.Param("element"))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=3600")
	return c.Blob(http.StatusOK, "model/gltf-binary", data)
}

// elementInstances are the pieces that an element lays, as App.ElementInstances
// packs them.
func (s *Server) elementInstances(c *echo.Context) error {
	most, _ := strconv.Atoi(c.QueryParam("most")) // none: all
	data, err := s.app.ElementInstances(c.Request().Context(), c.Param("set"), c.Param("element"), most)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=3600")
	return c.Blob(http.StatusOK, "application/octet-stream", data)
}

var hashForm = regexp.MustCompile(`^[0-9a-f]{64}$`)

// served are the types that blobs are handed out as.
var served = map[string]string{"png": "image/png", "exr": "image/x-exr", "zip": "application/zip", "mp4": "video/mp4", "glb": "model/gltf-binary"}

func (s *Server) blob(c *echo.Context) error {
	hash := c.Param("hash")
	if !hashForm.MatchString(hash) {
		return echo.ErrNotFound
	}
	r, _, err := s.app.Store.Blob(c.Request().Context(), hash)
	if errors.Is(err, store.ErrNotFound) {
		return echo.ErrNotFound
	}
	if err != nil {
		return err
	}
	defer r.Close()
	noDeadline(c)
	h := c.Response().Header()
	kind, ok := served[c.QueryParam("as")]
	if !ok {
		kind = "application/octet-stream"
	}
	h.Set("Content-Type", kind)
	h.Set("Cache-Control", "public, max-age=31536000, immutable")
	if name := c.QueryParam("name"); name != "" {
		h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	}
	http.ServeContent(c.Response(), c.Request(), "", time.Time{}, r)
	return nil
}

func (s *Server) export(c *echo.Context) error {
	noDeadline(c)
	var buf bytes.Buffer
	if err := s.app.Export(c.Request().Context(), c.Param("set"), &buf); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="set.glb"`)
	return c.Blob(http.StatusOK, "model/gltf-binary", buf.Bytes())
}

// sky is the light of the working view as the lens view draws it: width and
// height as two 32-bit numbers, then RGB floats, latitude-longitude.
func (s *Server) sky(c *echo.Context) error {
	pix, w, h, err := s.app.Sky(c.Request().Context(), c.Param("set"))
	if err != nil {
		return err
	}
	out := binary.LittleEndian.AppendUint32(nil, uint32(w))
	out = binary.LittleEndian.AppendUint32(out, uint32(h))
	for _, v := range pix {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
	}
	return c.Blob(http.StatusOK, "application/octet-stream", out)
}
