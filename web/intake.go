package web

import (
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"path"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"visator/app/library"
	"visator/core/intake/maps"
)

// arriveFolder takes in many files as one arrival: a multipart form in which
// each part's name is the file's path within the folder.
func (s *Server) arriveFolder(c *echo.Context) error {
	noDeadline(c)
	r, err := c.Request().MultipartReader()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The upload is not a form with files: "+err.Error())
	}
	var open *multipart.Part
	ar, twice, err := s.app.ArriveFolder(c.Request().Context(), c.Param("production"), path.Base(c.QueryParam("name")),
		c.QueryParam("piece"), func() (library.Incoming, error) {
			if open != nil {
				_ = open.Close()
			}
			p, err := r.NextPart()
			if err != nil {
				if errors.Is(err, io.EOF) {
					return library.Incoming{}, io.EOF
				}
				return library.Incoming{}, err
			}
			open = p
			name := strings.TrimLeft(strings.ReplaceAll(p.FormName(), "\\", "/"), "/")
			if name == "" {
				return library.Incoming{}, fmt.Errorf("a file without a name")
			}
			return library.Incoming{Path: name, Body: p}, nil
		})
	return answer(c, map[string]any{"arrival": ar, "twice": twice}, err)
}

func (s *Server) tray(c *echo.Context) error {
	list, err := s.app.Tray(c.Request().Context(), c.Param("arrival"))
	return answer(c, list, err)
}

func (s *Server) take(c *echo.Context) error {
	var req struct {
		Paths []string
		Renew map[string]string
	}
	if err := decode(c, &req); err != nil {
		return err
	}
	if err := s.app.Take(c.Request().Context(), c.Param("arrival"), req.Paths, req.Renew); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *Server) cancelArrival(c *echo.Context) error {
	if err := s.app.CancelArrival(c.Request().Context(), c.Param("arrival")); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *Server) resumeArrival(c *echo.Context) error {
	if err := s.app.ResumeArrival(c.Request().Context(), c.Param("arrival")); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// findMaps looks in an arrival for the maps of one piece, or of all that lack
// some.
func (s *Server) findMaps(c *echo.Context) error {
	var req struct{ Piece string }
	if err := decode(c, &req); err != nil {
		return err
	}
	list, err := s.app.FindMaps(c.Request().Context(), req.Piece, c.Param("arrival"))
	return answer(c, list, err)
}

func (s *Server) piece(c *echo.Context) error {
	d, err := s.app.Piece(c.Request().Context(), c.Param("piece"))
	return answer(c, d, err)
}

func (s *Server) proposal(c *echo.Context) error {
	p, err := s.app.Proposal(c.Request().Context(), c.Param("piece"))
	return answer(c, p, err)
}

func (s *Server) assignMap(c *echo.Context) error {
	var req struct {
		Surface, Arrival, File string
		Role                   maps.Role
		Channel                int
	}
	if err := decode(c, &req); err != nil {
		return err
	}
	if err := s.app.AssignMap(c.Request().Context(), c.Param("piece"), req.Surface, req.Role, req.Arrival, req.File,
		req.Channel); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// takeCameras makes shots of the cameras in a piece's file.
func (s *Server) takeCameras(c *echo.Context) error {
	var req struct{ Piece string }
	if err := decode(c, &req); err != nil {
		return err
	}
	n, skipped, err := s.app.TakeCameras(c.Request().Context(), c.Param("set"), req.Piece)
	return answer(c, map[string]any{"shots": n, "skipped": append([]string{}, skipped...)}, err)
}

// takeSun makes the sun of a piece's file the set's.
func (s *Server) takeSun(c *echo.Context) error {
	var req struct{ Piece string }
	if err := decode(c, &req); err != nil {
		return err
	}
	if err := s.app.TakeSun(c.Request().Context(), c.Param("set"), req.Piece); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// shelf searches the library.
func (s *Server) shelf(c *echo.Context) error {
	q := library.Shelf{Find: c.QueryParam("find"), Licence: c.QueryParam("licence"), Format: c.QueryParam("format"),
		Marked: c.QueryParam("marked") == "true", All: c.QueryParam("where") == "all"}
	q.Weight, _ = strconv.Atoi(c.QueryParam("weight"))
	q.Size, _ = strconv.ParseFloat(c.QueryParam("size"), 64)
	if v, err := strconv.ParseFloat(c.QueryParam("price"), 64); err == nil {
		q.Price = &v
	}
	list, err := s.app.Search(c.Request().Context(), c.Param("set"), q)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(http.StatusOK, list)
}

// bring makes a piece of another production one of this one.
func (s *Server) bring(c *echo.Context) error {
	var req struct{ Piece string }
	if err := decode(c, &req); err != nil {
		return err
	}
	id, err := s.app.Bring(c.Request().Context(), c.Param("production"), req.Piece)
	return answer(c, map[string]string{"piece": id}, err)
}

// catalogue asks the supplier; the browser itself never does.
func (s *Server) catalogue(c *echo.Context) error {
	list, err := s.app.Catalogue(c.Request().Context(), c.QueryParam("find"))
	return answer(c, list, err)
}

func (s *Server) order(c *echo.Context) error {
	var req struct{ Goods, File string }
	if err := decode(c, &req); err != nil {
		return err
	}
	ar, err := s.app.Order(c.Request().Context(), c.Param("production"), req.Goods, req.File)
	return answer(c, ar, err)
}

// thumb is a small picture of a map.
func (s *Server) thumb(c *echo.Context) error {
	hash := c.Param("hash")
	if !hashForm.MatchString(hash) {
		return echo.ErrNotFound
	}
	channel, _ := strconv.Atoi(c.QueryParam("channel"))
	if channel < 0 || channel > 4 {
		return echo.ErrNotFound
	}
	data, err := s.app.Thumb(c.Request().Context(), hash, channel, c.QueryParam("invert") == "true")
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	return c.Blob(http.StatusOK, "image/png", data)
}

// credits writes the list of credits of a set, as text or as a table.
func (s *Server) credits(c *echo.Context) error {
	kind := c.QueryParam("as")
	if kind != "csv" {
		kind = "txt"
	}
	data, err := s.app.Credits(c.Request().Context(), c.Param("set"), kind)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition",
		mime.FormatMediaType("attachment", map[string]string{"filename": "credits." + kind}))
	return c.Blob(http.StatusOK,
		map[string]string{"csv": "text/csv; charset=utf-8", "txt": "text/plain; charset=utf-8"}[kind], data)
}
