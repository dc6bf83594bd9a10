package query

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/measure"
	"visator/core/assembly"
	"visator/core/geom"
	"visator/core/intake"
	"visator/core/intake/credit"
	"visator/core/intake/recipe"
	"visator/core/lay"
	"visator/core/light"
	"visator/core/model"
	"visator/core/optics"
	"visator/core/plain"
	"visator/core/sizing"
	"visator/core/snag"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
)

// State is everything that the sheets of one set draw. All that can be
// computed is computed here; the browser only draws.
type State struct {
	Revision   int64            `json:"revision"`
	Production store.Production `json:"production"`
	Set        stage.Scene      `json:"set"`
	Pieces     []PieceState     `json:"pieces"`
	Placements []PlacementState `json:"placements"`
	Shots      []ShotState      `json:"shots"`
	Changed    bool             `json:"changed"` // the view differs from its shot
	Lens       measure.Lens     `json:"lens"`
	Light      LightState       `json:"lightNow"`
	Snags      []snag.Snag      `json:"snags"`
	Arrivals   []store.Arrival  `json:"arrivals"`
	Takes      []store.Take     `json:"takes"`
	Undo       string           `json:"undo"` // what undo would take back; "" nothing
	Redo       string           `json:"redo"`
	Drawn      int              `json:"drawn"` // triangles in the lens view
	StandIns   map[string]Paths `json:"standIns"`
	Elements   []ElementState   `json:"elements"`
	Meant      []snag.Snag      `json:"meant"` // snags that were said to be as they should
	// how the set stands, of an earlier revision perhaps; null before the first
	Measured *measure.Result     `json:"measured"`
	Budget   measure.BudgetState `json:"budgetNow"`
	Settling []store.Settling    `json:"settling"` // things that are being let fall

	placed string       // names the placements as they are: store.Placed
	stamps store.Stamps // of the production
	id     string       // of the set
}

// ElementState is an element with what became of it.
type ElementState struct {
	lay.Element
	Said   string       `json:"said"`
	Error  string       `json:"error"`  // why it cannot be laid out
	Laying bool         `json:"laying"` // it takes long, and is being laid out
	Key    string       `json:"key"`    // names what it was laid out to; "": nothing
	Model  bool         `json:"model"`  // it has a model of its own
	Box    *geom.Box    `json:"box"`    // of that model
	Count  int          `json:"count"`  // instances
	Pieces []string     `json:"pieces"` // that its instances are of, in the order in which they are numbered
	Swings []lay.Swing  `json:"swings"`
	Strips [][]lay.P    `json:"strips"`
	Pools  []light.Pool `json:"pools"`
	Lit    []LitLamp    `json:"lit,omitempty"` // the lamps that it is, or hangs, as far as they burn
	// metres from which on a card passes for what it shows, for the working view's move
	Safe    *float64 `json:"safe"`
	Distant float64  `json:"distant"` // metres from the camera
}

// Outline is how a piece is drawn: what names its silhouettes, which are asked
// for apart because they are long and seldom change, and their transforms to
// metres.
type Outline struct {
	Key   string `json:"key"` // "": there are none yet
	Front string `json:"front"`
	Top   string `json:"top"`
	Right string `json:"right"`
}

// Paths are silhouettes as SVG paths.
type Paths struct {
	Front string `json:"front"`
	Top   string `json:"top"`
	Right string `json:"right"`
}

// outlineOf is how a piece is drawn with its sizing; world is from the file to
// metres.
func outlineOf(made string, s *sizing.Sizing, world *geom.M) Outline {
	k := s.Scale()
	draw := func(x, y float64, how string, kx, ky float64) string {
		return fmt.Sprintf("translate(%g %g) %sscale(%g %g)", x, y, how, kx, ky)
	}
	// Four sides from two: the others are their mirror images.
	front, right := [4]float64{k.X, -k.Z, -k.X, k.Z}[s.Turn], [4]float64{k.Z, k.X, -k.Z, -k.X}[s.Turn]
	return Outline{fmt.Sprintf("%.16s%s%d", made, s.Up, s.Turn), draw(world[12], -world[13], "", front, k.Y),
		draw(world[12], world[14], fmt.Sprintf("rotate(%d) ", -90*s.Turn), k.X, k.Z),
		draw(-world[14], -world[13], "", right, k.Y)}
}

// Outlines are the silhouettes of some pieces, by piece; those of pieces that
// were not made yet are not among them.
func (a *Pages) Outlines(ctx context.Context, setID string, pieces []string) (map[string]Paths, error) {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return nil, act.NotThere(err, "The set")
	}
	list, err := store.Outlines(ctx, a.Store.Pool, set.ProductionID, pieces)
	if err != nil {
		return nil, err
	}
	out := map[string]Paths{}
	for _, l := range list {
		var s sizing.Sizing
		if err := json.Unmarshal(l.Sizing, &s); err != nil {
			return nil, fmt.Errorf("piece %s: %w", l.PieceID, err)
		}
		p := Paths{l.Front, l.Top, l.Right}
		if s.Turn%2 == 1 { // a quarter: front and right change places
			p.Front, p.Right = p.Right, p.Front
		}
		out[l.PieceID] = p
	}
	return out, nil
}

// PieceState is a piece as the library shows it.
type PieceState struct {
	ID      string        `json:"id"`
	Name    string        `json:"name"`
	Arrival string        `json:"arrival"`
	Size    geom.V        `json:"size"`   // metres
	AsRead  geom.V        `json:"asRead"` // the file's own units and axes
	Unit    model.Unit    `json:"unit"`   // as the file says
	Sizing  sizing.Sizing `json:"sizing"`
	// Stretched is how many times longer than in proportion its width, height
	// and depth are.
	Stretched geom.V          `json:"stretched"`
	Choices   []UnitChoice    `json:"choices"`
	World     geom.M          `json:"world"` // file to metres
	Levels    []measure.Level `json:"levels"`
	Level     int             `json:"level"` // drawn in the lens view
	Outline   Outline         `json:"outline"`
	Facts     intake.Report   `json:"facts"`
	Copies    int             `json:"copies"`    // placements in this set
	Elsewhere int             `json:"elsewhere"` // placements in other sets of the production
	OtherSets int             `json:"otherSets"` // in so many
	Making    string          `json:"making"`    // what is being done to it; "" ready
	Picture   string          `json:"picture"`
	Lacks     int             `json:"lacks"` // maps that are not there
	Tags      []string        `json:"tags"`
	Marked    bool            `json:"marked"` // a favourite
	Credit    credit.Credit   `json:"credit"`
	Terms     credit.Terms    `json:"terms"`
	Unknown   []string        `json:"unknown"` // what of its credit is not known
	Weight    recipe.Weight   `json:"weight"`
	News      bool            `json:"news"` // a newer version came, with a report
	Box       geom.Box        `json:"box"`  // metres about the pivot
	// Proposal is what its size may be; null where nothing can be told.
	Proposal *ProposalBrief `json:"proposal"`
}

// UnitChoice is a unit with the size that a piece would have in it.
type UnitChoice struct {
	Name   string  `json:"name"`
	Metres float64 `json:"metres"`
	Size   geom.V  `json:"size"`
	Chosen bool    `json:"chosen"`
}

// PlacementState is a placement with its true size as placed.
type PlacementState struct {
	stage.Placement
	Dims   geom.V   `json:"dims"` // metres along its own axes
	Box    geom.Box `json:"box"`  // about its pivot, unscaled
	World  geom.M   `json:"world"`
	Shared int      `json:"shared"` // placements of the same piece
}

// ShotState is a kept shot as it is drawn small.
type ShotState struct {
	stage.Shot
	World  geom.M        `json:"world"`
	Window optics.Window `json:"window"`
	Scale  float64       `json:"scale"` // exposure
}

// LightState is the light in the form that the browser draws.
type LightState struct {
	ToSun   geom.V `json:"toSun"`
	Sun     geom.V `json:"sun"`    // lux per channel
	Zenith  geom.V `json:"zenith"` // cd/m² per channel
	Horizon geom.V `json:"horizon"`

	Air     AirState `json:"air"`
	SkySaid string   `json:"skySaid"`

	Behind   bool `json:"behind"`   // what is seen behind is not the sky that lights
	Standing bool `json:"standing"` // it is another from every place
}

// Placed is a placement with its true size; shared is how many are of its piece.
func Placed(p *stage.Placement, l *measure.Library, shared int) PlacementState {
	box := p.Box(l.Box)
	return PlacementState{*p, box.Size().Times(p.Scale), box, p.World(), shared}
}

// ThingsOf are the placements that are seen, as they are measured.
func ThingsOf(s *assembly.Set) (things []snag.Thing) {
	for t := range s.Seen {
		if p := t.Placement; p != nil {
			things = append(things, snag.Thing{ID: t.ID, Name: t.Name, Box: t.Box, World: t.World, Size: t.Span(),
				Ground: t.Land})
		}
	}
	return things
}

// Set reads a set and its production.
func (a *Pages) Set(ctx context.Context, id string) (set store.Set, p store.Production, err error) {
	if set, err = store.GetSet(ctx, a.Store.Pool, id); err != nil {
		return set, p, act.NotThere(err, "The set")
	}
	p, err = store.GetProduction(ctx, a.Store.Pool, set.ProductionID)
	return set, p, err
}

// State reads and computes everything about a set.
// It is of one moment: no edit lies between one part and another.
func (a *Pages) State(ctx context.Context, setID string) (st *State, err error) {
	err = a.Store.View(ctx, func(tx pgx.Tx) error {
		st, err = a.stateIn(ctx, tx, setID)
		return err
	})
	return st, err
}

func (a *Pages) stateIn(ctx context.Context, q store.Querier, setID string) (*State, error) {
	st := &State{Placements: []PlacementState{}, Pieces: []PieceState{}, Snags: []snag.Snag{}}
	w, err := a.Snapshot(ctx, q, setID)
	if err != nil {
		return nil, err
	}
	set, rows, pieces, looks := &w.SetRow, w.PlacementRows, w.PieceList, w.LookList
	st.Describe(a.Domes(ctx), set, w.Production, w.ShotRows)
	newest := int64(0)
	for i := range rows {
		newest = max(newest, rows[i].Rev)
	}
	st.placed, st.stamps, st.id = store.Placed(newest, len(rows)), w.Stamps, setID
	in := unit.RulerOf(st.Production.Unit)
	if st.Arrivals, err = a.arrivals(ctx, q, w); err != nil {
		return nil, err
	}
	if st.Settling, err = store.Settlings(ctx, q, setID); err != nil {
		return nil, err
	}
	if st.Takes, err = store.Takes(ctx, q, setID); err != nil {
		return nil, err
	}
	elsewhere, err := store.StandElsewhere(ctx, q, set.ProductionID, setID)
	if err != nil {
		return nil, err
	}
	things := ThingsOf(w.Set)
	spans, err := a.Spans(ctx, &set.View, pieces, looks, rows, things)
	if err != nil {
		return nil, err
	}
	st.Snags = append(st.Snags, snag.Beside(in, things)...)
	st.Snags = append(st.Snags, snag.Stretched(things)...)
	if err := a.dressed(ctx, st, w); err != nil {
		return nil, err
	}
	bare, err := piecesOf(w)
	if err != nil {
		return nil, err
	}
	st.fillPieces(bare, rows, things, spans, elsewhere)
	proposals, err := a.proposalsOf(ctx, in, q, w, st.Arrivals)
	if err != nil {
		return nil, err
	}
	st.propose(in, proposals)
	of := map[string]*store.PlacementRow{} // by the thing that each is
	for i := range rows {
		of[rows[i].ID] = &rows[i]
	}
	st.Snags = append(st.Snags, textureSnags(in, &set.View, things, spans, of, proposals)...)
	ofSurfaces, err := surfaceSnags(in, w, things, spans, of)
	if err != nil {
		return nil, err
	}
	st.tell(ofSurfaces, w.ElementRows)
	shared := map[string]int{}
	for i := range rows {
		shared[rows[i].Piece]++
	}
	for i := range rows {
		p := &rows[i].Placement
		st.Placements = append(st.Placements, Placed(p, w.Library, shared[p.Piece]))
	}
	st.Snags = append(st.Snags, differs(&set.Scene, st.Shots)...)
	for i := range st.Arrivals {
		if ar := &st.Arrivals[i]; ar.State == "failed" {
			st.Snags = append(st.Snags, snag.Snag{Step: "intake", What: ar.Name + ": " + ar.Note, ID: ar.ID})
		}
	}
	if e, err := store.NextUndo(ctx, q, set.ProductionID, setID, act.ActorOf(ctx)); err == nil {
		st.Undo = e.Label
	}
	if e, err := store.NextRedo(ctx, q, set.ProductionID, setID, act.ActorOf(ctx)); err == nil {
		st.Redo = e.Label
	}
	st.StandIns = standInOutlines
	return st, nil
}

// Describe fills in the set itself, its production and its shots; dome is the luminance of the sky of
// a light.
func (st *State) Describe(dome domes, set *store.Set, production store.Production, shots []store.ShotRow) {
	st.Production = production
	st.Revision, st.Set, st.Shots = st.Production.Revision, set.Scene, []ShotState{}
	st.Lens, st.Light = measure.LensOf(&set.View), lightState(&set.Light)
	st.Light.Air = airState(&set.Light, dome, &set.View)
	for _, s := range shots {
		st.Shots = append(st.Shots, ShotState{s.Shot, s.View.World(), s.View.Window(),
			1 / optics.Saturation(s.View.EV)})
		if s.ID == set.Shot {
			st.Changed = set.Changed(&s.Shot)
		}
	}
}

func (st *State) fillPieces(bare *bareList, rows []store.PlacementRow, things []snag.Thing, spans []optics.Span,
	elsewhere []store.Stands) {
	pieceOf := map[string]string{}
	copies := map[string]int{}
	for i := range rows {
		pieceOf[rows[i].ID] = rows[i].Piece
		if !rows[i].Hidden {
			copies[rows[i].Piece]++
		}
	}
	others := map[string]store.Stands{}
	for _, o := range elsewhere {
		others[o.Piece] = o
	}
	tall := map[string]float64{}
	for i := range things {
		id := pieceOf[things[i].ID]
		tall[id] = max(tall[id], spans[i].Height)
	}
	st.Pieces = append(st.Pieces, bare.states...)
	st.Snags = append(st.Snags, bare.snags...)
	counts, heights := make([]int, len(st.Pieces)), make([]float64, len(st.Pieces))
	for i := range st.Pieces {
		ps := &st.Pieces[i]
		ps.Copies, ps.Elsewhere, ps.OtherSets = copies[ps.ID], others[ps.ID].Things, others[ps.ID].Sets
		counts[i], heights[i] = ps.Copies, tall[ps.ID]
	}
	for i, l := range stage.ChooseLevels(bare.triangles, counts, heights, st.Production.Budget) {
		st.Pieces[i].Level = l
		if len(bare.triangles[i]) > 0 {
			st.Drawn += bare.triangles[i][l] * counts[i]
		}
	}
}

// propose gives the pieces their proposals, and finds the sizes that cannot be
// right.
func (st *State) propose(in unit.Ruler, all map[string]*ProposalState) {
	for i := range st.Pieces {
		p := &st.Pieces[i]
		p.Proposal = all[p.ID].brief()
		st.Snags = append(st.Snags, sizeSnags(in, p)...)
		st.Snags = append(st.Snags, all[p.ID].wrongPatterns(p.ID, p.Name)...)
	}
}

func lightState(s *light.State) LightState {
	return LightState{ToSun: light.Direction(s.Azimuth, s.Elevation), Zenith: light.Hex(s.Zenith).Mul(s.Level),
		Horizon: light.Hex(s.Horizon).Mul(s.Level), Sun: s.Sunlight(), SkySaid: s.SkySaid(),
		Behind: s.Own(), Standing: s.Own() && s.TakenAt > 0}
}

// standInOutlines are drawn once: stand-ins never change.
var standInOutlines = func() map[string]Paths {
	out := map[string]Paths{}
	for kind, size := range stage.StandIns {
		p := stage.Placement{StandIn: kind, Size: size}
		m := stage.ShapeModel(p.Shape())
		draw := func(side sizing.Side) string { return sizing.Silhouette(m, geom.Identity, side) }
		out[kind] = Paths{draw(sizing.Front), draw(sizing.Top), draw(sizing.Right)}
	}
	return out
}()

// differs is the snag that the lens view is not what its shot keeps.
func differs(set *stage.Scene, shots []ShotState) []snag.Snag {
	for i := range shots {
		if s := &shots[i].Shot; s.ID == set.Shot && set.Changed(s) {
			raw, _ := json.Marshal(set.ShotSettings)
			return []snag.Snag{{Step: "frame", Kind: "changed", IDs: []string{},
				Key: "changed:" + s.ID + ":" + plain.Name(string(raw)), Fix: "keep", Label: "keep it",
				What: "the lens view differs from " + s.Name + " as it is kept"}}
		}
	}
	return nil
}
