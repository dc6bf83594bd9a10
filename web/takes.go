package web

import (
	"cmp"
	"mime"
	"net/http"
	"os"
	"strconv"

	"github.com/labstack/echo/v5"

	"visator/app/act"
	"visator/app/deliver"
	"visator/app/judge"
	"visator/app/takes"
)

// goOn has a still made better, from where it ended.
func (s *Server) goOn(c *echo.Context) error {
	var ask takes.More
	if err := decode(c, &ask); err != nil {
		return err
	}
	return answer(c, map[string]string{}, s.app.GoOn(c.Request().Context(), c.Param("take"), ask))
}

// ownSet makes the set of a take one of its own.
func (s *Server) ownSet(c *echo.Context) error {
	var ask struct {
		Name string `json:"name"`
	}
	if err := decode(c, &ask); err != nil {
		return err
	}
	set, err := s.app.SetAsIn(c.Request().Context(), c.Param("take"), ask.Name)
	return answer(c, map[string]string{"set": set}, err)
}

// mark is what is thought of a take.
func (s *Server) mark(c *echo.Context) error {
	var ask judge.Marks
	if err := decode(c, &ask); err != nil {
		return err
	}
	return answer(c, map[string]string{}, s.app.Mark(c.Request().Context(), c.Param("take"), ask))
}

// against is how two takes differ.
func (s *Server) against(c *echo.Context) error {
	d, err := s.app.Against(c.Request().Context(), c.Param("take"), c.Param("other"))
	return answer(c, d, err)
}

// heat draws where two takes differ.
func (s *Server) heat(c *echo.Context) error {
	data, err := s.app.Heat(c.Request().Context(), c.Param("take"), c.Param("other"))
	return drawn(c, data, err)
}

// noise draws where noise was left in a take.
func (s *Server) noise(c *echo.Context) error {
	data, err := s.app.Noise(c.Request().Context(), c.Param("take"))
	return drawn(c, data, err)
}

// drawn answers with a PNG that may be another one the next time.
func drawn(c *echo.Context, png []byte, err error) error {
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "image/png", png)
}

// queue is what waits and is made, of all productions.
func (s *Server) queue(c *echo.Context) error {
	list, err := s.app.Waiting(c.Request().Context())
	return answer(c, list, err)
}

// arrange changes when a take is made.
func (s *Server) arrange(c *echo.Context) error {
	var ask takes.Order
	if err := decode(c, &ask); err != nil {
		return err
	}
	return answer(c, map[string]string{}, s.app.Arrange(c.Request().Context(), c.Param("take"), ask))
}

// shootAll asks for stills of all kept shots.
func (s *Server) shootAll(c *echo.Context) error {
	var ask struct {
		Settings takes.Settings `json:"settings"`
		Widths   []int          `json:"widths"`
	}
	if err := decode(c, &ask); err != nil {
		return err
	}
	n, err := s.app.ShootAll(c.Request().Context(), c.Param("set"), ask.Settings, ask.Widths)
	return answer(c, map[string]int{"takes": n}, err)
}

// parcels are those of a production, with what they may hold.
func (s *Server) parcels(c *echo.Context) error {
	list, err := s.app.Parcels(c.Request().Context(), c.Param("production"))
	return answer(c, map[string]any{"parcels": list, "parts": deliver.Parts}, err)
}

// deliver asks for a parcel.
func (s *Server) deliver(c *echo.Context) error {
	var ask deliver.Settings
	if err := decode(c, &ask); err != nil {
		return err
	}
	p, err := s.app.Deliver(c.Request().Context(), c.Param("production"), ask)
	return answer(c, p, err)
}

func (s *Server) cancelParcel(c *echo.Context) error {
	return answer(c, map[string]string{}, s.app.CancelParcel(c.Request().Context(), c.Param("parcel")))
}

// contact is a page of the contact sheets of a set.
func (s *Server) contact(c *echo.Context) error {
	list, err := s.app.ContactSheets(c.Request().Context(), c.Param("set"), c.QueryParam("as"))
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(cmp.Or(c.QueryParam("page"), "1"))
	if err != nil || n < 1 || n > len(list) {
		return act.Wrong("There are %d pages of contact sheets.", len(list))
	}
	p := list[n-1]
	c.Response().Header().Set("Content-Disposition",
		mime.FormatMediaType("inline", map[string]string{"filename": p.Name}))
	return c.Blob(http.StatusOK, p.Mime, p.Data)
}

// framesAgain has frames of a move made again.
func (s *Server) framesAgain(c *echo.Context) error {
	var ask struct {
		From int `json:"from"`
		To   int `json:"to"`
	}
	if err := decode(c, &ask); err != nil {
		return err
	}
	return answer(c, map[string]string{}, s.app.FramesAgain(c.Request().Context(), c.Param("take"), ask.From, ask.To))
}

// lookAt is a quick look at a move while it is made.
func (s *Server) lookAt(c *echo.Context) error {
	path, done, err := s.app.Look(c.Request().Context(), c.Param("take"))
	if err != nil {
		return err
	}
	defer done()
	data, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "video/mp4", data)
}

// takeLook takes in a .cube file.
func (s *Server) takeLook(c *echo.Context) error {
	name, title, err := s.app.TakeLook(c.Request().Context(), c.Request().Body)
	return answer(c, map[string]string{"table": name, "title": title}, err)
}

// changed is where a shot's picture is another since its newest still.
func (s *Server) changed(c *echo.Context) error {
	d, err := s.app.ChangedSince(c.Request().Context(), c.Param("set"), c.QueryParam("shot"))
	return answer(c, d, err)
}
