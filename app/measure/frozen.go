package measure

import (
	"encoding/json"
	"fmt"
	"strings"

	"visator/store"
)

// Frozen is a set with all that it needs to stand, as it was when it was read.
type Frozen struct {
	Set        store.Set
	Production store.Production
	Placements []store.PlacementRow
	Elements   []store.ElementRow
	Shots      []store.ShotRow
	Pieces     []store.Piece
	Looks      []store.LookLevels
}

// Freeze writes down a set as it was read, so that Thaw reads it again whatever has become of it. Pieces that do not
// stand in it are left out.
func (w *Snapshot) Freeze() ([]byte, error) {
	f := Frozen{Set: w.SetRow, Production: w.Production, Placements: w.PlacementRows, Elements: w.ElementRows,
		Shots: w.ShotRows, Looks: []store.LookLevels{}}
	used := map[string]bool{}
	for i := range w.PlacementRows {
		used[w.PlacementRows[i].Piece] = true
	}
	var said strings.Builder // elements name the pieces that they lay
	for i := range w.ElementRows {
		said.Write(w.ElementRows[i].Spec)
	}
	for i := range w.PieceList {
		if p := w.PieceList[i]; used[p.ID] || strings.Contains(said.String(), p.ID) {
			used[p.ID] = true
			p.News = nil // of its download
			f.Pieces = append(f.Pieces, p)
		}
	}
	for _, l := range w.LookList {
		if used[l.PieceID] {
			f.Looks = append(f.Looks, l)
		}
	}
	return json.Marshal(&f)
}

// ReadFrozen reads what Freeze wrote down.
func ReadFrozen(raw []byte) (*Frozen, error) {
	var f Frozen
	if err := json.Unmarshal(raw, &f); err != nil {
		return nil, fmt.Errorf("the set as it was: %w", err)
	}
	return &f, nil
}

// Thaw reads a set that was frozen; it is not laid out yet.
func (a *Sets) Thaw(raw []byte) (*Snapshot, error) {
	f, err := ReadFrozen(raw)
	if err != nil {
		return nil, err
	}
	l, err := a.NewLibrary(f.Pieces, f.Looks)
	if err != nil {
		return nil, err
	}
	w := newSnapshot(l, f.Set, f.Production, f.Placements, f.Elements, f.Shots)
	w.PieceList, w.LookList = f.Pieces, f.Looks
	return w, nil
}
