package web

import (
	"encoding/json"
	"fmt"
	"mime"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"visator/app/sheet"
	"visator/app/shoot"
	"visator/core/ladder"
)

// frame is what the lens sees at a time of the working move.
func (s *Server) frame(c *echo.Context) error {
	t, err := strconv.ParseFloat(c.QueryParam("t"), 64)
	if err != nil || t != t {
		return echo.NewHTTPError(http.StatusBadRequest, fmt.Sprintf("%q is not a time in seconds", c.QueryParam("t")))
	}
	f, err := s.app.Frame(c.Request().Context(), c.Param("set"), t)
	return answer(c, f, err)
}

// trueView is the working view as it is rendered, once there is more of it than the page has: the picture, and what
// there is to say of it in a header.
func (s *Server) trueView(c *echo.Context) error {
	width, err1 := strconv.Atoi(c.QueryParam("width"))
	seen, err2 := strconv.Atoi(c.QueryParam("seen"))
	clean, err3 := strconv.ParseFloat(c.QueryParam("clean"), 64)
	if err1 != nil || err2 != nil || err3 != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "A true view is asked for by its width in pixels, the number "+
			"of the picture that was seen, and how clean it is to be.")
	}
	look := shoot.Look{Width: width, Clean: clean}
	if part := c.QueryParam("part"); part != "" {
		if n, err := fmt.Sscanf(part, "%g,%g,%g,%g", &look.Part[0], &look.Part[1], &look.Part[2],
			&look.Part[3]); err != nil || n != 4 {
			return echo.NewHTTPError(http.StatusBadRequest, "A part of a true view is left,top,right,bottom, 0 to 1.")
		}
	}
	t, err := s.app.TrueView(c.Request().Context(), c.Param("set"), seen, look)
	if err != nil {
		return err
	}
	told, err := json.Marshal(t)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Visator-Told", string(told))
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "image/png", t.PNG)
}

// falseColours is the true view by its brightness.
func (s *Server) falseColours(c *echo.Context) error {
	data, err := s.app.False(c.Param("set"), ladder.Way(c.QueryParam("by")))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "image/png", data)
}

// ownSun is the sun in the set's panorama.
func (s *Server) ownSun(c *echo.Context) error {
	own, err := s.app.OwnSun(c.Request().Context(), c.Param("set"))
	return answer(c, own, err)
}

// sunYear is when the sun reaches a place of the working view.
func (s *Server) sunYear(c *echo.Context) error {
	x, err1 := strconv.ParseFloat(c.QueryParam("x"), 64)
	y, err2 := strconv.ParseFloat(c.QueryParam("y"), 64)
	if err1 != nil || err2 != nil {
		return echo.NewHTTPError(http.StatusBadRequest,
			"The meter points into the picture: across and down from 0 to 1.")
	}
	year, said, err := s.app.SunYear(c.Request().Context(), c.Param("set"), x, y)
	return answer(c, map[string]any{"year": year, "said": said}, err)
}

// meter reads the light at a place of the working view.
func (s *Server) meter(c *echo.Context) error {
	x, err1 := strconv.ParseFloat(c.QueryParam("x"), 64)
	y, err2 := strconv.ParseFloat(c.QueryParam("y"), 64)
	if err1 != nil || err2 != nil {
		return echo.NewHTTPError(http.StatusBadRequest,
			"The meter points into the picture: across and down from 0 to 1.")
	}
	m, err := s.app.Meter(c.Request().Context(), c.Param("set"), x, y)
	return answer(c, m, err)
}

// track is the working move frame by frame.
func (s *Server) track(c *echo.Context) error {
	from, err1 := strconv.Atoi(c.QueryParam("from"))
	count, err2 := strconv.Atoi(c.QueryParam("count"))
	if err1 != nil || err2 != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "A track is asked for from a frame, by a count of frames.")
	}
	t, err := s.app.TrackOf(c.Request().Context(), c.Param("set"), from, count)
	return answer(c, t, err)
}

// shotSheet is a shot on paper, as pdf, svg or png.
func (s *Server) shotSheet(c *echo.Context) error {
	p, err := s.app.ShotSheet(c.Request().Context(), c.Param("set"), c.QueryParam("shot"), c.QueryParam("as"))
	return printed(c, p, err)
}

// cutOuts is the map of figures, as pdf, svg, png or csv.
func (s *Server) cutOuts(c *echo.Context) error {
	p, err := s.app.CutOuts(c.Request().Context(), c.Param("set"), c.QueryParam("shot"), c.QueryParam("as"),
		c.QueryParam("all") == "yes")
	return printed(c, p, err)
}

func printed(c *echo.Context, p sheet.Paper, err error) error {
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Disposition", mime.FormatMediaType("inline", map[string]string{"filename": p.Name}))
	return c.Blob(http.StatusOK, p.Mime, p.Data)
}

// lenses is where which lens works.
func (s *Server) lenses(c *echo.Context) error {
	share, err := strconv.ParseFloat(c.QueryParam("share"), 64)
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The subject fills a share of the picture: a number.")
	}
	var focals []float64
	for _, t := range strings.Split(c.QueryParam("focals"), ",") {
		f, err := strconv.ParseFloat(t, 64)
		if err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "Focal lengths are numbers, parted by commas.")
		}
		focals = append(focals, f)
	}
	rows, err := s.app.LensPlaces(c.Request().Context(), c.Param("set"), c.QueryParam("subject"), share, focals)
	return answer(c, map[string]any{"rows": rows}, err)
}
