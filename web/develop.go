package web

import (
	"cmp"
	"encoding/binary"
	"encoding/json"
	"math"
	"mime"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"visator/app/act"
	"visator/core/finish"
)

// developed is a finished take with another finish, as it would be.
func (s *Server) developed(c *echo.Context) error {
	var chain finish.Chain
	if err := fromQuery(c, "finish", "finish", &chain); err != nil {
		return err
	}
	data, err := s.app.Developed(c.Request().Context(), c.Param("take"), chain)
	return drawn(c, data, err)
}

// raw is a finished take as it was rendered: what it is in the head Visator-Told, then its values of 32 bits from the
// top, 3 a pixel, then its occlusion, if it is there, 1 a pixel.
func (s *Server) raw(c *echo.Context) error {
	wide, err := strconv.Atoi(cmp.Or(c.QueryParam("wide"), "960"))
	if err != nil {
		return act.Wrong("%.20q is no width in pixels.", c.QueryParam("wide"))
	}
	r, err := s.app.Raw(c.Request().Context(), c.Param("take"), wide)
	if err != nil {
		return err
	}
	told, err := json.Marshal(r)
	if err != nil {
		return err
	}
	out := make([]byte, 0, 4*(len(r.Color)+len(r.Unhidden)))
	for _, list := range [][]float32{r.Color, r.Unhidden} {
		for _, x := range list {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(x))
		}
	}
	c.Response().Header().Set("Visator-Told", string(told))
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "application/octet-stream", out)
}

// redevelop gives a finished take another finish.
func (s *Server) redevelop(c *echo.Context) error {
	var ask struct {
		Finish finish.Chain `json:"finish"`
	}
	if err := decode(c, &ask); err != nil {
		return err
	}
	return answer(c, map[string]string{}, s.app.Redevelop(c.Request().Context(), c.Param("take"), ask.Finish))
}

// whiteAt is the balance in which a take is grey at a place.
func (s *Server) whiteAt(c *echo.Context) error {
	x, err1 := strconv.ParseFloat(c.QueryParam("x"), 64)
	y, err2 := strconv.ParseFloat(c.QueryParam("y"), 64)
	if err1 != nil || err2 != nil {
		return act.Wrong("A place of a picture is told by x and y, from 0 to 1.")
	}
	w, err := s.app.WhiteAt(c.Request().Context(), c.Param("take"), x, y)
	return answer(c, w, err)
}

// written is a finished take in an encoding, to be downloaded.
func (s *Server) written(c *echo.Context) error {
	bits, err := strconv.Atoi(cmp.Or(c.QueryParam("bits"), "8"))
	if err != nil {
		return act.Wrong("%.20q is no number of bits.", c.QueryParam("bits"))
	}
	name, png, err := s.app.Written(c.Request().Context(), c.Param("take"), cmp.Or(c.QueryParam("encoding"), "sRGB"),
		bits)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition",
		mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	return drawn(c, png, nil)
}

// keptFinishes are those that are kept by name.
func (s *Server) keptFinishes(c *echo.Context) error {
	list, err := s.app.KeptFinishes(c.Request().Context())
	return answer(c, list, err)
}

// keepFinish keeps one by a name.
func (s *Server) keepFinish(c *echo.Context) error {
	var ask struct {
		Name   string       `json:"name"`
		Finish finish.Chain `json:"finish"`
	}
	if err := decode(c, &ask); err != nil {
		return err
	}
	return answer(c, map[string]bool{"kept": true}, s.app.KeepFinish(c.Request().Context(), c.Param("production"),
		ask.Name, ask.Finish))
}
