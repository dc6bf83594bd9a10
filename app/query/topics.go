package query

import (
	"context"
	"encoding/json"
	"log/slog"
	"maps"
	"slices"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/core/plain"
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

// JSON is what they are as JSON: put together of what is JSON already, which can be millions of bytes.
func (t *Topics) JSON() ([]byte, error) {
	head, err := json.Marshal(struct {
		Revision int64             `json:"revision"`
		Tags     map[string]string `json:"tags"`
	}{t.Revision, t.Tags})
	if err != nil {
		return nil, err
	}
	size := len(head) + 100
	for _, raw := range t.Topics {
		size += len(raw) + 40
	}
	out := append(make([]byte, 0, size), head[:len(head)-1]...)
	out = append(out, `,"topics":{`...)
	for i, name := range slices.Sorted(maps.Keys(t.Topics)) {
		if i > 0 {
			out = append(out, ',')
		}
		out = append(append(append(append(out, '"'), name...), `":`...), t.Topics[name]...)
	}
	return append(out, "}}"...), nil
}

// Topic is what of a state belongs to a topic. What the view alone decides about pieces
// and elements is derived: turning a camera tells neither again.
func (st *State) Topic(name string) map[string]any {
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
		return map[string]any{"snags": st.Snags, "meant": st.Meant, "measured": st.Measured, "budgetNow": st.Budget,
			"drawn":  st.Drawn,
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
func (a *Pages) Topics(ctx context.Context, setID string, of []string, have map[string]string) (*Topics, error) {
	for _, name := range of {
		if !slices.Contains(TopicNames, name) {
			return nil, act.Wrong("%.40q is nothing that a page knows of a set: %v", name, TopicNames)
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
	library, err := st.library()
	if err != nil {
		return nil, err
	}
	// Placements are many: what they follow from names them. Who edits knows the next tag.
	placed := st.placed + "." + library.name
	out := &Topics{Revision: st.Revision, Tags: map[string]string{}, Topics: map[string]json.RawMessage{}}
	for _, name := range of {
		if name == "placements" && have[name] == placed {
			out.Tags[name] = placed
			continue
		}
		raw := library.raw
		if name != "library" {
			if raw, err = Finite(st.Topic(name)); err != nil {
				return nil, err
			}
		}
		tag := placed
		switch name {
		case "library":
			tag = library.name
		case "placements":
		default:
			tag = plain.Name(raw)
		}
		if out.Tags[name] = tag; have[name] != tag {
			out.Topics[name] = raw
		}
	}
	return out, nil
}

// Finite is a topic as JSON.
func Finite(what any) ([]byte, error) {
	return plain.Answer(what, func(err error) { slog.Error("a figure of a set is not finite", "error", err) })
}

// TopicsHad is Topics of all, with what the page has as JSON: {topic: tag}.
func (a *Pages) TopicsHad(ctx context.Context, setID, had string) (*Topics, error) {
	have := map[string]string{}
	if len(had) > 4000 || had != "" && json.Unmarshal([]byte(had), &have) != nil {
		return nil, act.Wrong("What the page has is told as {topic: tag}.")
	}
	return a.Topics(ctx, setID, nil, have)
}
