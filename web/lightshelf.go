package web

import (
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"visator/core/light"
)

// lightShelf is what a production has at hand to light by.
func (s *Server) lightShelf(c *echo.Context) error {
	shelf, err := s.app.LightShelf(c.Request().Context(), c.Param("production"))
	return answer(c, shelf, err)
}

// lampPicture is a lamp of the shelf by its light.
func (s *Server) lampPicture(c *echo.Context) error {
	data, err := s.app.LampPicture(c.Request().Context(), c.Param("production"), c.Param("lamp"))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-cache")
	return c.Blob(http.StatusOK, "image/png", data)
}

// shelveLamp keeps a lamp at hand.
func (s *Server) shelveLamp(c *echo.Context) error {
	in := struct {
		Name string     `json:"name"`
		Lamp light.Lamp `json:"lamp"`
	}{Lamp: light.DefaultLamp()}
	if err := c.Bind(&in); err != nil {
		return err
	}
	return answer(c, map[string]bool{"kept": true}, s.app.ShelveLamp(c.Request().Context(), c.Param("production"),
		in.Name, &in.Lamp))
}

// unshelve takes a thing from the shelf.
func (s *Server) unshelve(c *echo.Context) error {
	return answer(c, map[string]bool{"away": true}, s.app.Unshelve(c.Request().Context(), c.Param("production"),
		c.Param("id")))
}

// panorama takes in a picture of a sky and keeps it at hand.
func (s *Server) panorama(c *echo.Context) error {
	noDeadline(c)
	p, note, err := s.app.ShelvePanorama(c.Request().Context(), c.Param("production"), c.QueryParam("name"),
		c.Request().Body)
	return answer(c, map[string]any{"blob": p.Blob, "note": note, "panorama": p}, err)
}

// ambient is the light that fills what the working view sees, for the lens view.
func (s *Server) ambient(c *echo.Context) error {
	g, revision, err := s.app.Ambient(c.Request().Context(), c.Param("set"), c.QueryParam("fine") != "")
	if err != nil {
		return err
	}
	c.Response().Header().Set("Visator-Revision", strconv.FormatInt(revision, 10))
	return c.Blob(http.StatusOK, "application/octet-stream", g.Packed())
}
