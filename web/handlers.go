package web

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"log/slog"
	"math"
	"mime"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"visator/app/develop"

	"github.com/labstack/echo/v5"

	"visator/app"
	"visator/app/act"
	"visator/app/desk"
	"visator/app/query"
	"visator/app/takes"
	"visator/core/exchange"
	"visator/core/intake/credit"
	"visator/core/plain"
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
	counts, err := s.app.Store.CountsOf(ctx)
	if err != nil {
		return err
	}
	var out []homeProduction
	for _, p := range list {
		h := homeProduction{Production: p, Pieces: counts[p.ID].Pieces, Shots: counts[p.ID].Shots}
		if h.Sets, err = s.app.Store.Sets(ctx, p.ID); err != nil {
			return err
		}
		pictured, err := s.app.Store.Pictures(ctx, p.ID, 4)
		if err != nil {
			return err
		}
		for _, t := range pictured {
			var r takes.Result
			if json.Unmarshal(t.Result, &r) != nil {
				continue
			}
			pic := r.PNG
			if pic == "" && len(r.Frames) > 0 {
				pic = cmp.Or(r.Frames[len(r.Frames)/2], r.Frames[0])
			}
			if pic != "" {
				h.Takes = append(h.Takes, homeTake{t.Name, pic})
			}
		}
		out = append(out, h)
	}
	if len(out) > 0 && len(out[0].Sets) > 0 { // it is most often opened next
		set := out[0].Sets[0].ID
		if measured, _ := s.app.Measured(set); measured != out[0].Revision {
			s.app.Watch(set)
		}
	}
	bin, err := s.app.Bin(ctx)
	if err != nil {
		return err
	}
	return s.render(c, "home.html", map[string]any{"Productions": out, "Bin": bin, "Days": app.BinDays,
		"Token": c.Get("csrf"), "Short": shortOf(s.app.Store.Room())})
}

func (s *Server) newProduction(c *echo.Context) error {
	name, err := formText(c, "name")
	if err != nil {
		return err
	}
	unit, err := formText(c, "unit")
	if err != nil {
		return err
	}
	_, set, err := s.app.NewProduction(c.Request().Context(), name, unit)
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/sets/"+set+"/intake")
}

func (s *Server) newSet(c *echo.Context) error {
	name, err := formText(c, "set")
	if err != nil {
		return err
	}
	set, err := s.app.NewSet(c.Request().Context(), c.Param("production"), name)
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/sets/"+set+"/dress")
}

// putInBin and takeFromBin answer the forms of the first page.
func (s *Server) putInBin(c *echo.Context) error {
	if err := s.app.PutInBin(c.Request().Context(), c.Param("kind"), c.Param("id")); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/#bin")
}

func (s *Server) takeFromBin(c *echo.Context) error {
	if err := s.app.TakeFromBin(c.Request().Context(), c.Param("kind"), c.Param("id")); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/")
}

// steps are the sheets in working order.
var steps = []string{"intake", "size", "dress", "surface", "light", "frame", "shoot"}

func (s *Server) sheet(c *echo.Context) error {
	set, production, err := s.app.Set(c.Request().Context(), c.Param("set"))
	if err != nil {
		return err
	}
	if !slices.Contains(steps, c.Param("step")) {
		return echo.ErrNotFound
	}
	return s.render(c, "sheet.html", map[string]any{"Set": set, "Production": production, "Step": c.Param("step"),
		"Steps": steps, "Licences": credit.Licences(), "Short": shortOf(s.app.Store.Room())})
}

func (s *Server) state(c *echo.Context) error {
	st, err := s.app.State(c.Request().Context(), c.Param("set"))
	return answer(c, st, err)
}

// topics are what a page knows of a set, without what it has already.
func (s *Server) topics(c *echo.Context) error {
	t, err := s.app.TopicsHad(c.Request().Context(), c.Param("set"), c.QueryParam("have"))
	if err != nil {
		return err
	}
	raw, err := t.JSON()
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "application/json; charset=utf-8", raw)
}

// topic is one of them, with its tag.
func (s *Server) topic(c *echo.Context) error {
	name := c.Param("topic")
	t, err := s.app.Topics(c.Request().Context(), c.Param("set"), []string{name}, nil)
	if err != nil {
		return err
	}
	return tagged(c, t.Tags[name], t.Topics[name])
}

// tagged sends what has a tag, unless it is had already.
func tagged(c *echo.Context, tag string, body []byte) error {
	tag = `"` + tag + `"`
	c.Response().Header().Set("ETag", tag)
	c.Response().Header().Set("Cache-Control", "no-cache")
	if c.Request().Header.Get("If-None-Match") == tag {
		return c.NoContent(http.StatusNotModified)
	}
	return c.Blob(http.StatusOK, "application/json; charset=utf-8", body)
}

// schema is what documents are made of: panels are drawn from it.
func (s *Server) schema(c *echo.Context) error {
	raw, err := json.Marshal(query.SchemaOf())
	if err != nil {
		return err
	}
	return tagged(c, plain.Name(raw), raw)
}

// outlines are the silhouettes of the pieces that are asked for, their names
// parted by commas.
func (s *Server) outlines(c *echo.Context) error {
	out, err := s.app.Outlines(c.Request().Context(), c.Param("set"), strings.Split(c.QueryParam("of"), ","))
	return answer(c, out, err)
}

// answer sends what was asked for, as it is now. A figure that is no number is
// sent as none, and told to those who can mend it.
func answer(c *echo.Context, what any, err error) error {
	if err != nil {
		return err
	}
	raw, err := plain.Answer(what, func(err error) {
		slog.Error("a figure is not finite", "request", c.Get("request"), "path", c.Request().URL.Path, "error", err)
	})
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "application/json; charset=utf-8", raw)
}

func (s *Server) edit(c *echo.Context) error {
	req := desk.Request{Revision: -1}
	if err := decode(c, &req); err != nil {
		return err
	}
	res, err := s.app.Edit(c.Request().Context(), c.Param("set"), req)
	return answer(c, res, err)
}

// request says whether an edit was kept whose answer was lost.
func (s *Server) request(c *echo.Context) error {
	kept, err := s.app.Kept(c.Request().Context(), c.Param("set"), c.Param("request"))
	return answer(c, map[string]bool{"kept": kept}, err)
}

func (s *Server) undo(c *echo.Context) error { return s.step(c, s.app.Undo) }

func (s *Server) redo(c *echo.Context) error { return s.step(c, s.app.Redo) }

func (s *Server) step(c *echo.Context, do func(ctx context.Context, set, request string) (string, error)) error {
	var req struct{ Request string }
	if c.Request().ContentLength != 0 {
		if err := decode(c, &req); err != nil {
			return err
		}
	}
	label, err := do(c.Request().Context(), c.Param("set"), req.Request)
	return answer(c, map[string]string{"label": label}, err)
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

func (s *Server) arrive(c *echo.Context) error {
	noDeadline(c)
	ar, twice, err := s.app.Arrive(c.Request().Context(), c.Param("production"), c.QueryParam("name"), c.Request().Body)
	return answer(c, map[string]any{"arrival": ar, "twice": twice}, err)
}

// rig is the light of a shot as a file.
func (s *Server) rig(c *echo.Context) error {
	var b bytes.Buffer
	if err := s.app.WriteRig(c.Request().Context(), c.Param("set"), c.QueryParam("shot"), &b); err != nil {
		return answer(c, nil, err)
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="light.json"`)
	return c.Blob(http.StatusOK, "application/json", b.Bytes())
}

// gains reads what is done to each kind of light: by=1,0.5 and tint=,#ffcc00.
func gains(c *echo.Context) (list []develop.Gain, err error) {
	tints := strings.Split(c.QueryParam("tint"), ",")
	for i, t := range strings.Split(c.QueryParam("by"), ",") {
		by, err := strconv.ParseFloat(t, 64)
		if err != nil {
			return nil, act.Wrong("%.20q is not how strong a light is.", t)
		}
		g := develop.Gain{By: by}
		if i < len(tints) {
			g.Tint = tints[i]
		}
		list = append(list, g)
	}
	return list, nil
}

func (s *Server) mix(c *echo.Context) error {
	list, err := gains(c)
	if err != nil {
		return answer(c, nil, err)
	}
	data, err := s.app.Mix(c.Request().Context(), c.Param("take"), list)
	if err != nil {
		return answer(c, nil, err)
	}
	return c.Blob(http.StatusOK, "image/png", data)
}

func (s *Server) writeBack(c *echo.Context) error {
	list, err := gains(c)
	if err != nil {
		return answer(c, nil, err)
	}
	label, err := s.app.WriteBack(c.Request().Context(), c.Param("take"), list)
	return answer(c, map[string]string{"label": label}, err)
}

func (s *Server) fixtures(c *echo.Context) error {
	list, err := s.app.Fixtures(c.Request().Context(), c.Param("set"))
	return answer(c, list, err)
}

func (s *Server) readRig(c *echo.Context) error {
	said, err := s.app.ReadRig(c.Request().Context(), c.Param("set"), c.Request().Body)
	return answer(c, map[string]string{"label": said}, err)
}

func (s *Server) photometry(c *echo.Context) error {
	noDeadline(c)
	p, err := s.app.Photometry(c.Request().Context(), c.QueryParam("name"), c.Request().Body)
	return answer(c, p, err)
}

func (s *Server) cardPicture(c *echo.Context) error {
	noDeadline(c)
	hash, err := s.app.CardPicture(c.Request().Context(), c.Request().Body)
	return answer(c, map[string]string{"blob": hash}, err)
}

func (s *Server) shoot(c *echo.Context) error {
	var req struct {
		Shot, Kind string
		Settings   takes.Settings
	}
	if err := decode(c, &req); err != nil {
		return err
	}
	t, err := s.app.Shoot(c.Request().Context(), c.Param("set"), req.Shot, req.Kind, req.Settings)
	return answer(c, t, err)
}

func (s *Server) fits(c *echo.Context) error {
	var req struct {
		Piece string
		Fill  bool
		IDs   []string
	}
	if err := decode(c, &req); err != nil {
		return err
	}
	out, err := s.app.Fits(c.Request().Context(), c.Param("set"), req.Piece, req.IDs, req.Fill)
	return answer(c, out, err)
}

func (s *Server) settle(c *echo.Context) error {
	var req struct {
		IDs  []string
		Seed uint64
	}
	if err := decode(c, &req); err != nil {
		return err
	}
	r, err := s.app.Settle(c.Request().Context(), c.Param("set"), req.IDs, req.Seed)
	return answer(c, r, err)
}

func (s *Server) stopSettle(c *echo.Context) error {
	if err := s.app.StopSettle(c.Request().Context(), c.Param("set"), c.Param("settling")); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *Server) cancelTake(c *echo.Context) error {
	if err := s.app.CancelTake(c.Request().Context(), c.Param("take")); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// bin answers pages that put a thing of a kind, named in their address, into the bin.
func (s *Server) bin(kind string) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if err := s.app.PutInBin(c.Request().Context(), kind, c.Param(kind)); err != nil {
			return err
		}
		return c.NoContent(http.StatusNoContent)
	}
}

// uses tells what goes with an arrival.
func (s *Server) uses(c *echo.Context) error {
	u, err := s.app.Uses(c.Request().Context(), c.Param("arrival"))
	return answer(c, u, err)
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
		return &act.Problem{Say: err.Error(), Kind: act.ErrWrong}
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
	return answer(c, ar, err)
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
var served = map[string]string{"png": "image/png", "exr": "image/x-exr", "zip": "application/zip", "mp4": "video/mp4",
	"mov": "video/quicktime",
	"glb": "model/gltf-binary"}

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
	if err := s.app.Export(c.Request().Context(), c.Param("set"), c.QueryParam("baked") != "", &buf); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="set.glb"`)
	return c.Blob(http.StatusOK, "model/gltf-binary", buf.Bytes())
}

// sky is the light of the working view as the lens view draws it: width and
// height as two 32-bit numbers, then RGB floats, latitude-longitude.
func (s *Server) sky(c *echo.Context) error {
	pix, w, h, err := s.app.Sky(c.Request().Context(), c.Param("set"), c.QueryParam("behind") != "",
		c.QueryParam("shining") != "")
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

// sun is the sun over the set's place.
func (s *Server) sun(c *echo.Context) error {
	st, err := s.app.Sun(c.Request().Context(), c.Param("set"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, st)
}

// sketch is what the working view sees, before scripts and models are there.
func (s *Server) sketch(c *echo.Context) error {
	data, err := s.app.Sketch(c.Request().Context(), c.Param("set"))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "image/png", data)
}

// productionFile is a production in one file, to be taken in elsewhere.
func (s *Server) productionFile(c *echo.Context) error {
	noDeadline(c)
	p, err := store.GetProduction(c.Request().Context(), s.app.Store.Pool, c.Param("production"))
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "application/zip")
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": p.Name + ".visator"}))
	// What breaks off on the way has no end, and is refused where it is taken in.
	return s.app.ExportProduction(c.Request().Context(), p.ID, c.Response())
}

// takeIn takes in a production from such a file.
func (s *Server) takeIn(c *echo.Context) error {
	noDeadline(c)
	r, err := c.Request().MultipartReader()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The upload is not a form with a file.")
	}
	for {
		part, err := r.NextPart()
		if err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "Choose the file of a production first.")
		}
		if part.FormName() != "file" {
			continue
		}
		set, err := s.app.TakeInFrom(c.Request().Context(), part)
		if err != nil {
			return err
		}
		return c.Redirect(http.StatusSeeOther, "/sets/"+set+"/dress")
	}
}
