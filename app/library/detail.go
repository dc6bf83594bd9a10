package library

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/core/intake"
	"visator/core/intake/maps"
	"visator/core/intake/mend"
	"visator/core/intake/recipe"
	"visator/core/subdivide"
	"visator/store"
)

// PieceDetail is a piece as Intake shows it: what is in it as it came, and
// what was decided.
type PieceDetail struct {
	ID       string          `json:"id"`
	Source   string          `json:"source"`
	Arrival  string          `json:"arrival"`
	Came     string          `json:"came"` // name of the arrival
	Facts    intake.Report   `json:"facts"`
	Picture  string          `json:"picture"`
	Weight   recipe.Weight   `json:"weight"`
	Parts    []PartRow       `json:"parts"`
	Columns  []maps.Role     `json:"columns"`
	Surfaces []SurfaceRow    `json:"surfaces"`
	Tray     []string        `json:"tray"`
	Faults   []FaultRow      `json:"faults"`
	Crease   float64         `json:"crease"` // degrees
	Before   string          `json:"before"`
	Joined   []recipe.Joint  `json:"joined"`
	Split    []string        `json:"split"`
	News     json.RawMessage `json:"news"`
	Lacks    int             `json:"lacks"`
	Cameras  int             `json:"cameras"`
	Lights   int             `json:"lights"`
	Suns     int             `json:"suns"`  // of its lights, those that can be the set's sun
	Lamps    bool            `json:"lamps"` // its lamps shine
	Variants []string        `json:"variants"`
	Variant  string          `json:"variant"`
	// how its faces are divided; of no times: not at all
	Smooth subdivide.Smooth `json:"smooth"`
}

// PartRow is a line of the parts list.
type PartRow struct {
	PartState
	Label string `json:"label"` // its name now
	Kept  bool   `json:"kept"`
	Depth int    `json:"depth"`
}

// SurfaceRow is a line of the map matrix.
type SurfaceRow struct {
	Key   string     `json:"key"`
	Name  string     `json:"name"`
	Uses  int        `json:"uses"`
	Cells []MapState `json:"cells"`
}

// MapState is one cell of the map matrix.
type MapState struct {
	Role  maps.Role `json:"role"`
	State string    `json:"state"` // "", "came", "missing", "unread", "chosen", "guessed", "left empty"
	Name  string    `json:"name"`
	Say   string    `json:"say"` // how it was found and what was done to it
	Thumb string    `json:"thumb"`
	Hand  bool      `json:"hand"` // decided here: it can be taken back
}

// FaultRow is something that is wrong, and what became of it.
type FaultRow struct {
	mend.Fault
	Wanted bool `json:"wanted"`
	Left   int  `json:"left"` // after the repairs
}

// Piece reads what Intake shows of a piece.
func (a *Library) Piece(ctx context.Context, id string) (d *PieceDetail, err error) {
	err = a.Store.View(ctx, func(tx pgx.Tx) error {
		p, err := store.GetPiece(ctx, tx, id)
		if err != nil {
			return act.NotThere(err, "The piece")
		}
		ar, err := store.GetArrival(ctx, tx, p.ArrivalID)
		if err != nil {
			return err
		}
		raw, err := store.Inventory(ctx, tx, id)
		if err != nil {
			return err
		}
		var inv inventory
		var rec recipe.Recipe
		d = &PieceDetail{ID: id, Source: p.Source, Arrival: ar.ID, Came: ar.Name, Picture: p.Picture, News: p.News,
			Columns: maps.Columns}
		if err := cmp.Or(json.Unmarshal(raw, &inv), json.Unmarshal(p.Recipe, &rec), json.Unmarshal(p.Facts, &d.Facts),
			json.Unmarshal(p.Weight, &d.Weight)); err != nil {
			return fmt.Errorf("piece %s: %w", id, err)
		}
		d.Lacks, d.Tray = rec.Lacks(&inv.Inventory), rec.Unused(inv.Tray)
		d.Parts, d.Surfaces, d.Faults = partRows(&inv, &rec), surfaceRows(&inv, &rec), faultRows(&inv, &rec)
		d.Before, d.Crease, d.Joined = inv.Before, rec.Crease, append([]recipe.Joint{}, rec.Join...)
		if d.Crease == 0 {
			d.Crease = mend.DefaultCrease * 180 / math.Pi
		}
		d.Split = []string{}
		for k := range rec.Split {
			d.Split = append(d.Split, k)
		}
		slices.Sort(d.Split)
		d.Cameras, d.Lights, d.Suns, d.Lamps = inv.Cameras, inv.Lights, inv.Suns, rec.Lamps
		d.Variants, d.Variant, d.Smooth = append([]string{}, inv.Variants...), rec.Variant, subdivide.Smooth{Sharp: 40}
		if rec.Smooth != nil {
			d.Smooth = *rec.Smooth
		}
		return nil
	})
	return d, err
}

func partRows(inv *inventory, rec *recipe.Recipe) []PartRow {
	out := []PartRow{}
	for _, p := range inv.Rearranged {
		row := PartRow{PartState: p, Label: p.Name, Kept: rec.Keeps(p.Key, p.Helper), Depth: strings.Count(p.Key, "/")}
		if n, ok := rec.Names[p.Key]; ok {
			row.Label = n
		}
		out = append(out, row)
	}
	return out
}

func surfaceRows(inv *inventory, rec *recipe.Recipe) []SurfaceRow {
	out := []SurfaceRow{}
	for _, s := range inv.Surfaces {
		row := SurfaceRow{Key: s.Key, Name: s.Name, Uses: s.Uses}
		for _, role := range maps.Columns {
			m := MapState{Role: role}
			if c, ok := s.Cells[role]; ok {
				m.Name, m.State = c.Name, map[string]string{"found": "came", "missing": "missing",
					"unread": "unread"}[c.State]
				if c.Thumb != "" {
					m.Thumb = "/blobs/" + c.Thumb + "?as=png"
				}
				if c.Channel > 0 {
					m.Say = "in " + channelNames[c.Channel]
				}
				if m.Say = cmp.Or(c.Say, m.Say); slices.Contains(rec.Turned, s.Key) && role == maps.Normal {
					m.Say, m.State = m.Say+"; green turned by hand", "turned"
				} else if c.Down {
					m.Say, m.State = m.Say+": turn its green", "guessed"
				}
			}
			if c, ok := rec.Maps[s.Key][role]; ok {
				m = MapState{Role: role, Name: c.Name, Hand: true, State: "chosen", Say: saysChoice(&c)}
				switch {
				case c.Blob == "":
					m.State = "left empty"
				case c.Guessed:
					m.State = "guessed"
				}
				if c.Blob != "" {
					m.Thumb = fmt.Sprintf("/api/thumbs/%s?channel=%d&invert=%t", c.Blob, c.Channel, c.Invert)
				}
			}
			row.Cells = append(row.Cells, m)
		}
		out = append(out, row)
	}
	return out
}

var channelNames = [...]string{"", "red", "green", "blue", "alpha"}

func saysChoice(c *recipe.Choice) string {
	var say []string
	if c.How != "" {
		say = append(say, map[bool]string{true: c.How, false: "found by " + c.How}[c.How == "by hand"])
	}
	if c.Channel > 0 {
		say = append(say, "in "+channelNames[c.Channel])
	}
	if c.Invert {
		say = append(say, "gloss, turned into roughness")
	}
	if c.Flip {
		say = append(say, "green flipped")
	}
	if c.Evidence != "" {
		say = append(say, c.Evidence)
	}
	return strings.Join(say, "; ")
}

func faultRows(inv *inventory, rec *recipe.Recipe) []FaultRow {
	out := []FaultRow{}
	left := map[mend.Kind]int{}
	for _, f := range inv.After {
		left[f.Kind] = f.Count
	}
	for _, f := range inv.Faults {
		out = append(out, FaultRow{f, slices.Contains(rec.Mend, f.Kind), left[f.Kind]})
	}
	return out
}
