package web

import (
	"encoding/json"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"visator/app/act"
	"visator/app/outfit"
	"visator/core/light"
	"visator/core/plain"
	"visator/core/surface"
)

// surfaces is what a thing is made of.
func (s *Server) surfaces(c *echo.Context) error {
	list, err := s.app.Surfaces(c.Request().Context(), c.Param("set"), c.QueryParam("thing"), c.QueryParam("piece"))
	return answer(c, list, err)
}

// takeOff is the material of a surface, ready to be put on another.
func (s *Server) takeOff(c *echo.Context) error {
	var at struct{ Thing, Piece, Surface string }
	if err := decode(c, &at); err != nil {
		return err
	}
	m, err := s.app.TakeOff(c.Request().Context(), c.Param("set"), at.Thing, at.Piece, at.Surface)
	return answer(c, m, err)
}

// surfaceSample is a picture of what a surface is made of, with its own pictures.
func (s *Server) surfaceSample(c *echo.Context) error {
	m, err := s.app.TakeOff(c.Request().Context(), c.Param("set"), c.QueryParam("thing"), c.QueryParam("piece"),
		c.QueryParam("surface"))
	if err != nil {
		return err
	}
	return s.drawn(c, m, "no-store")
}

// sample is a picture of a material.
func (s *Server) sample(c *echo.Context) error {
	m := surface.New()
	if err := fromQuery(c, "m", "material", &m); err != nil {
		return err
	}
	return s.drawn(c, &m, "private, max-age=86400")
}

// fromQuery reads JSON that an address has, over what is there; what is what that is called.
func fromQuery(c *echo.Context, name, what string, over any) error {
	raw := json.RawMessage(c.QueryParam(name))
	err := plain.JSON(raw)
	if err == nil {
		err = plain.Read(raw, over)
	}
	if err != nil {
		return act.Wrong("The %s cannot be read: %v", what, err)
	}
	return nil
}

// drawn sends a picture of a material, for as long as it may be kept.
func (s *Server) drawn(c *echo.Context, m *surface.Material, kept string) error {
	data, err := s.app.Sample(c.Request().Context(), m, c.QueryParam("flat") != "", c.QueryParam("quick") != "")
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", kept)
	return c.Blob(http.StatusOK, "image/png", data)
}

// alone is a picture of a thing by itself.
func (s *Server) alone(c *echo.Context) error {
	o := outfit.Alone{Thing: c.QueryParam("thing"), Piece: c.QueryParam("piece"), Light: c.QueryParam("light"),
		Person: c.QueryParam("person") != ""}
	var err error
	if o.Turn, err = strconv.ParseFloat(c.QueryParam("turn"), 64); err != nil {
		return act.Wrong("By how much it is turned is a number of radians.")
	}
	if o.Wide, err = strconv.Atoi(c.QueryParam("wide")); err != nil {
		return act.Wrong("How wide it is drawn is a number of pixels.")
	}
	data, err := s.app.Alone(c.Request().Context(), c.Param("set"), o)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-cache")
	return c.Blob(http.StatusOK, "image/png", data)
}

// faces are those that belong to a place on a thing.
func (s *Server) faces(c *echo.Context) error {
	f := surface.Faces{By: c.QueryParam("by")}
	for name, to := range map[string]*float64{"x": &f.At.X, "y": &f.At.Y, "z": &f.At.Z, "angle": &f.Angle} {
		var err error
		if *to, err = strconv.ParseFloat(c.QueryParam(name), 64); err != nil {
			return act.Wrong("A face is picked by a place x, y, z in metres and an angle in degrees.")
		}
	}
	told, err := s.app.Pick(c.Request().Context(), c.Param("set"), c.QueryParam("thing"), &f)
	return answer(c, told, err)
}

// color is a colour as it is kept, of one as people write it.
func (s *Server) color(c *echo.Context) error {
	v, err := surface.ParseColor(c.QueryParam("text"))
	if err != nil {
		return act.Wrong("%v.", err)
	}
	return c.JSON(http.StatusOK, map[string]string{"color": light.HexOf(v)})
}

// palette is the colours of pictures by their content.
func (s *Server) palette(c *echo.Context) error {
	colors, err := strconv.Atoi(c.QueryParam("colors"))
	if err != nil {
		return act.Wrong("A palette has %d to %d colours.", surface.LeastColors, surface.MostColors)
	}
	list, err := s.app.Palette(c.Request().Context(), strings.Split(c.QueryParam("of"), ","), colors)
	return answer(c, list, err)
}

// held is the picture held against the palette of a board.
func (s *Server) held(c *echo.Context) error {
	h, err := s.app.Held(c.Request().Context(), c.Param("set"), c.QueryParam("board"))
	return answer(c, h, err)
}

// pulled is a material brought towards a palette.
func (s *Server) pulled(c *echo.Context) error {
	var ask struct {
		Stray outfit.Stray `json:"stray"`
		Share float64      `json:"share"`
	}
	if err := decode(c, &ask); err != nil {
		return err
	}
	m, err := s.app.Pulled(c.Request().Context(), c.Param("set"), &ask.Stray, ask.Share)
	return answer(c, m, err)
}

// finishes are materials that everybody has at hand.
func (s *Server) finishes(c *echo.Context) error { return answer(c, s.app.Finishes(), nil) }

// finish is one of them, with its pictures.
func (s *Server) finish(c *echo.Context) error {
	m, err := s.app.Finish(c.Request().Context(), c.Param("finish"))
	return answer(c, m, err)
}

// finishSample is a picture of it.
func (s *Server) finishSample(c *echo.Context) error {
	m, err := s.app.Finish(c.Request().Context(), c.Param("finish"))
	if err != nil {
		return err
	}
	return s.drawn(c, m, "private, max-age=86400")
}

// materials are what all productions keep at hand.
func (s *Server) materials(c *echo.Context) error {
	list, err := s.app.Materials(c.Request().Context())
	return answer(c, list, err)
}

// shelveMaterial keeps a material at hand, or changes what is said of one that is.
func (s *Server) shelveMaterial(c *echo.Context) error {
	in := outfit.Shelved{Material: surface.New()}
	if err := decode(c, &in); err != nil {
		return err
	}
	in.Home = c.Param("production")
	return answer(c, &in, s.app.Shelve(c.Request().Context(), &in))
}

// gatherMaterials makes materials of pictures that were handed in, by their names.
func (s *Server) gatherMaterials(c *echo.Context) error {
	var in struct{ Files []outfit.Handed }
	if err := decode(c, &in); err != nil {
		return err
	}
	made, notes, err := s.app.Gather(c.Request().Context(), c.Param("production"), in.Files)
	return answer(c, map[string]any{"made": made, "notes": notes}, err)
}
