package web

import (
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
