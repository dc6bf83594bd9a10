package shoot

import (
	"context"
	"io"

	"visator/app/act"
	"visator/core/exchange"
	"visator/core/geom"
	"visator/core/intake/credit"
	"visator/core/model"
	"visator/store"
)

// maxExported is how many things a file holds: each is a node of some 300 bytes
// that the program which opens it must hold too.
const maxExported = 200_000

// Export writes a set as GLB: every visible placement, linked copies sharing
// their meshes, the shots as cameras and the sun as a light. The file says who
// made the pieces and under which licence.
func (a *Studio) Export(ctx context.Context, setID string, w io.Writer) error {
	set, err := store.GetSet(ctx, a.Store.Pool, setID)
	if err != nil {
		return act.NotThere(err, "The set")
	}
	s, err := a.loadScene(ctx, &set)
	if err != nil {
		return err
	}
	if len(s.stands) > maxExported {
		return act.Wrong("The set has %d things; a file holds at most %d. Hide its largest drift first.", len(s.stands),
			maxExported)
	}
	shots, err := store.Shots(ctx, a.Store.Pool, setID)
	if err != nil {
		return err
	}
	lines, err := a.creditLines(ctx, &set)
	if err != nil {
		return err
	}
	m := s.merge(set.Name, shots, &set.Light)
	m.Copyright = credit.Message(lines)
	return exchange.WriteGLB(w, m)
}

func node(name string, local geom.M) model.Node {
	n := model.NewNode(name)
	n.Local = local
	return n
}
