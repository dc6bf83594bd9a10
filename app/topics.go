package app

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"slices"

	"github.com/jackc/pgx/v5"

	"visator/core/plain"
	"visator/store"
)

// TopicNames are the parts of what a page knows of a set. Each changes by itself, and has a
// tag that is another for every change: a page says which it has, and is told the others.
var TopicNames = []string{"set", "shots", "takes", "library", "placements", "elements", "derived", "settling"}

// Topics are those parts of a set that are asked for. All are of one moment.
type Topics struct {
	Revision int64             `json:"revision"`
	Tags     map[string]string `json:"tags"`
	// Topics are the fields of State that belong to each.
	Topics map[string]json.RawMessage `json:"topics"`
}

// topic is what of a state belongs to a topic. What the view alone decides about pieces
// and elements is derived: turning a camera tells neither again.
func (st *State) topic(name string) map[string]any {
	switch name {
	case "set":
		return map[string]any{"production": st.Production, "set": st.Set, "changed": st.Changed, "lens": st.Lens,
			"lightNow": st.Light, "undo": st.Undo, "redo": st.Redo}
	case "shots":
		return map[string]any{"shots": st.Shots}
	case "takes":
		return map[string]any{"takes": st.Takes}
	case "library":
		list := slices.Clone(st.Pieces)
		for i := range list {
			list[i].Level = 0
		}
		return map[string]any{"pieces": list, "arrivals": st.Arrivals, "standIns": st.StandIns}
	case "placements":
		return map[string]any{"placements": st.Placements}
	case "elements":
		list := slices.Clone(st.Elements)
		for i := range list {
			list[i].Distant, list[i].Safe = 0, nil
		}
		return map[string]any{"elements": list}
	case "derived":
		return map[string]any{"snags": st.Snags, "meant": st.Meant, "measured": st.Measured, "budgetNow": st.Budget, "drawn": st.Drawn,
			"levels": st.levels(), "cards": st.cards()}
	case "settling":
		return map[string]any{"settling": st.Settling}
	}
	return nil
}

// CardState is how far a card is from the camera, and from where on it passes for what it
// shows.
type CardState struct {
	Distant float64  `json:"distant"` // metres
	Safe    *float64 `json:"safe"`    // metres, for the working view's move
}

func (st *State) cards() map[string]CardState {
	out := map[string]CardState{}
	for i := range st.Elements {
		if e := &st.Elements[i]; e.Kind == "card" {
			out[e.ID] = CardState{e.Distant, e.Safe}
		}
	}
	return out
}

// levels are those in which pieces are drawn in the lens view, where it is not the finest.
func (st *State) levels() map[string]int {
	out := map[string]int{}
	for i := range st.Pieces {
		if l := st.Pieces[i].Level; l != 0 {
			out[st.Pieces[i].ID] = l
		}
	}
	return out
}

// Topics reads some topics of a set, all when none is named; what the page has already, by
// its tag, is not told again.
func (a *App) Topics(ctx context.Context, setID string, of []string, have map[string]string) (*Topics, error) {
	for _, name := range of {
		if !slices.Contains(TopicNames, name) {
			return nil, wrong("%.40q is nothing that a page knows of a set: %v", name, TopicNames)
		}
	}
	if len(of) == 0 {
		of = TopicNames
	}
	var st *State
	err := a.Store.View(ctx, func(tx pgx.Tx) (err error) {
		st, err = a.stateIn(ctx, tx, setID)
		return err
	})
	if err != nil {
		return nil, err
	}
	library, err := finite(st.topic("library"))
	if err != nil {
		return nil, err
	}
	// Placements are many: what they follow from names them. Who edits knows the next tag.
	placed := fmt.Sprintf("%d.%s", st.Revision, plain.Name(library))
	out := &Topics{Revision: st.Revision, Tags: map[string]string{}, Topics: map[string]json.RawMessage{}}
	for _, name := range of {
		if name == "placements" && have[name] == placed {
			out.Tags[name] = placed
			continue
		}
		raw := library
		if name != "library" {
			if raw, err = finite(st.topic(name)); err != nil {
				return nil, err
			}
		}
		tag := placed
		if name != "placements" {
			tag = plain.Name(raw)
		}
		if out.Tags[name] = tag; have[name] != tag {
			out.Topics[name] = raw
		}
	}
	return out, nil
}

// finite is a topic as JSON.
func finite(what any) ([]byte, error) {
	return plain.Answer(what, func(err error) { slog.Error("a figure of a set is not finite", "error", err) })
}

// tellTopics adds to an edit's answer what became of the set itself and of its shots, so
// that the page needs to ask for nothing but what follows from it.
func (e *editor) tellTopics(ctx context.Context, res *EditResult) error {
	kinds := map[string]bool{}
	for _, c := range e.changes {
		kinds[c.Kind] = true
	}
	res.Touched = []string{}
	for kind, topic := range map[string]string{"set": "set", "shot": "shots", "placement": "placements", "element": "elements", "piece": "library"} {
		if kinds[kind] {
			res.Touched = append(res.Touched, topic)
		}
	}
	slices.Sort(res.Touched)
	if !kinds["set"] && !kinds["shot"] {
		return nil
	}
	set, err := store.GetSet(ctx, e.tx, e.set.ID)
	if err != nil {
		return err
	}
	production, err := store.GetProduction(ctx, e.tx, set.ProductionID)
	if err != nil {
		return err
	}
	shots, err := store.Shots(ctx, e.tx, set.ID)
	if err != nil {
		return err
	}
	production.Revision = e.rev // it is written last
	st := &State{Undo: e.label}
	st.describe(&set, production, shots)
	res.Topics = map[string]json.RawMessage{}
	for _, topic := range []string{"set", "shots"} {
		if topic == "shots" && !kinds["shot"] {
			continue
		}
		if res.Topics[topic], err = finite(st.topic(topic)); err != nil {
			return err
		}
	}
	return nil
}

// TopicsHad is Topics of all, with what the page has as JSON: {topic: tag}.
func (a *App) TopicsHad(ctx context.Context, setID, had string) (*Topics, error) {
	have := map[string]string{}
	if len(had) > 4000 || had != "" && json.Unmarshal([]byte(had), &have) != nil {
		return nil, wrong("What the page has is told as {topic: tag}.")
	}
	return a.Topics(ctx, setID, nil, have)
}
