package measure

import (
	"encoding/json"
	"fmt"

	"visator/app/cache"
	"visator/core/geom"
	"visator/core/intake"
	"visator/core/sizing"
	"visator/core/surface"
	"visator/store"
)

// Level is one version of a piece for the browser.
type Level struct {
	Blob      string `json:"blob"`
	Triangles int    `json:"triangles"`
	Bytes     int    `json:"bytes"`
	// how far its surface may lie from the piece's own; millimetres at true size, in the file's unit
	// before
	Off float64 `json:"off"`
}

// factsRead are facts that were read before, by their text: a set of hundreds of
// pieces is looked at after every edit. What is in them is not changed.
var factsRead = cache.Of("facts", func(r factsOf) int { return 3 * r.text })

type factsOf struct {
	*Facts
	text int // bytes
}

// Facts are what is known of a piece.
type Facts struct {
	intake.Report
	Surfaces []surface.Found `json:"surfaces"` // one repeat of their pictures is in units of the file
}

// PieceFacts reads what is known of a piece and its sizing.
func PieceFacts(p *store.Piece) (f Facts, s sizing.Sizing, err error) {
	known, err := factsRead.Make(string(p.Facts), func() (factsOf, error) {
		r := factsOf{&Facts{}, len(p.Facts)}
		return r, json.Unmarshal(p.Facts, r.Facts)
	})
	if err != nil {
		return f, s, fmt.Errorf("piece %s: %w", p.ID, err)
	}
	if err := json.Unmarshal(p.Sizing, &s); err != nil {
		return f, s, fmt.Errorf("piece %s: %w", p.ID, err)
	}
	return *known.Facts, s, nil
}

// PieceBoxes are the pieces' boxes in metres about their pivots.
func PieceBoxes(pieces []store.Piece) (map[string]geom.Box, error) {
	out := map[string]geom.Box{}
	for i := range pieces {
		f, s, err := PieceFacts(&pieces[i])
		if err != nil {
			return nil, err
		}
		out[pieces[i].ID] = f.Box().Apply(s.Transform(f.Box()))
	}
	return out, nil
}
