package desk

import (
	"context"
	"encoding/json"
	"slices"

	"visator/app/query"
	"visator/store"
)

// tellTopics adds to an edit's answer what became of the set itself and of its shots, so
// that the page needs to ask for nothing but what follows from it.
func (e *Editor) tellTopics(ctx context.Context, res *Answer) error {
	kinds := map[string]bool{}
	for _, c := range e.changes {
		kinds[c.Kind] = true
	}
	res.Touched = []string{}
	for kind, topic := range map[string]string{"set": "set", "shot": "shots", "placement": "placements",
		"element": "elements", "piece": "library"} {
		if kinds[kind] {
			res.Touched = append(res.Touched, topic)
		}
	}
	slices.Sort(res.Touched)
	if !kinds["set"] && !kinds["shot"] {
		return nil
	}
	set, err := store.GetSet(ctx, e.Tx, e.Set.ID)
	if err != nil {
		return err
	}
	production, err := store.GetProduction(ctx, e.Tx, set.ProductionID)
	if err != nil {
		return err
	}
	shots, err := store.Shots(ctx, e.Tx, set.ID)
	if err != nil {
		return err
	}
	production.Revision = e.Rev // it is written last
	st := &query.State{Undo: e.Label}
	st.Describe(e.a.Domes(ctx), &set, production, shots)
	res.Topics = map[string]json.RawMessage{}
	for _, topic := range []string{"set", "shots"} {
		if topic == "shots" && !kinds["shot"] {
			continue
		}
		if res.Topics[topic], err = query.Finite(st.Topic(topic)); err != nil {
			return err
		}
	}
	return nil
}
