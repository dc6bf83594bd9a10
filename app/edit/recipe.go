package edit

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"visator/app/desk"
	"visator/core/intake/maps"
	"visator/core/intake/mend"
	"visator/core/intake/recipe"
	"visator/core/subdivide"
	"visator/store"
)

// RecipeStep is one decision about a piece.
type RecipeStep struct {
	// drop, keep, name, split, whole, join, apart, unmap, turn, lamps, mend, smooth, variant, portrait
	Op      string      `json:"op"`
	Parts   []string    `json:"parts"` // keys
	Name    string      `json:"name"`
	By      string      `json:"by"` // surface or shell
	Surface string      `json:"surface"`
	Role    maps.Role   `json:"role"`
	Kinds   []mend.Kind `json:"kinds"` // all repairs that are wanted
	Crease  float64     `json:"crease"`
	On      bool        `json:"on"`
	// how its faces are divided; of no times: not at all
	Smooth subdivide.Smooth `json:"smooth"`
}

// Recipe decides something about the parts, repairs or maps of a piece.
type Recipe struct {
	ID   string     `json:"id"`
	Step RecipeStep `json:"step"`
}

func (d *Recipe) Do(ctx context.Context, e *desk.Editor) error {
	return e.Piece(ctx, d.ID, func(p *desk.PieceEdit, _ *store.Piece) error {
		return d.Step.decide(&p.Recipe, func(format string, args ...any) {
			e.Say("%s: %s", p.Name, fmt.Sprintf(format, args...))
		})
	})
}

func (s *RecipeStep) decide(r *recipe.Recipe, say func(format string, args ...any)) error {
	without := func(list []string, keys []string) []string {
		return slices.DeleteFunc(list, func(k string) bool { return slices.Contains(keys, k) })
	}
	if len(s.Parts) == 0 && slices.Contains([]string{"drop", "keep", "name", "split", "whole", "join"}, s.Op) {
		return fmt.Errorf("choose a part first")
	}
	what := fmt.Sprintf("%d parts", len(s.Parts))
	if len(s.Parts) == 1 {
		what = s.Parts[0]
	}
	switch s.Op {
	case "drop":
		r.Keep = without(r.Keep, s.Parts)
		r.Drop = append(without(r.Drop, s.Parts), s.Parts...)
		say("drop %s", what)
	case "keep":
		r.Drop = without(r.Drop, s.Parts)
		r.Keep = append(without(r.Keep, s.Parts), s.Parts...)
		say("keep %s", what)
	case "name":
		if r.Names == nil {
			r.Names = map[string]string{}
		}
		for i, k := range s.Parts {
			name := strings.TrimSpace(s.Name)
			if len(s.Parts) > 1 { // many at once are numbered
				name = strings.TrimSpace(fmt.Sprintf("%s %d", name, i+1))
			}
			r.Names[k] = name
		}
		say("name %s %s", what, s.Name)
	case "split":
		if r.Split == nil {
			r.Split = map[string]string{}
		}
		for _, k := range s.Parts {
			r.Split[k] = s.By
		}
		say("split %s by %s", what, s.By)
	case "whole":
		for _, k := range s.Parts {
			delete(r.Split, k)
		}
		say("put %s together again", what)
	case "join":
		r.Join = append(r.Join, recipe.Joint{Name: strings.TrimSpace(s.Name), Parts: s.Parts})
		say("join %s as %s", what, s.Name)
	case "apart":
		r.Join = slices.DeleteFunc(r.Join, func(j recipe.Joint) bool { return j.Name == s.Name })
		say("take %s apart again", s.Name)
	case "unmap":
		delete(r.Maps[s.Surface], s.Role)
		say("%s of %s as it came", s.Role, s.Surface)
	case "turn":
		return s.turn(r, say)
	case "lamps":
		r.Lamps = s.On
		say("its lamps %s", map[bool]string{true: "shine", false: "stay dark"}[s.On])
	case "mend":
		r.Mend, r.Crease = s.Kinds, s.Crease
		say("repairs")
	case "smooth":
		if r.Smooth = nil; s.Smooth.Times != 0 {
			smooth := s.Smooth
			r.Smooth = &smooth
		}
		near := ""
		if s.Smooth.Near > 0 {
			near = fmt.Sprintf(" within %g m of the lens", s.Smooth.Near)
		}
		say("faces divided %d times%s", s.Smooth.Times, near)
	case "portrait": // by the content of a picture; "": it is drawn
		r.Portrait = s.Name
		say("its picture in the library")
	case "variant":
		r.Variant = s.Name
		say("variant %s", cmp.Or(s.Name, "as it came"))
	default:
		return fmt.Errorf("%q is not a decision", s.Op)
	}
	return nil
}

// turn turns the green of a surface's normal map, chosen or its own.
func (s *RecipeStep) turn(r *recipe.Recipe, say func(format string, args ...any)) error {
	if c, ok := r.Maps[s.Surface][maps.Normal]; ok {
		if c.Blob == "" {
			return fmt.Errorf("%s has no normal map to turn", s.Surface)
		}
		c.Flip = !c.Flip
		r.Set(s.Surface, maps.Normal, c)
	} else if i := slices.Index(r.Turned, s.Surface); i >= 0 {
		r.Turned = slices.Delete(r.Turned, i, i+1)
	} else {
		r.Turned = append(r.Turned, s.Surface)
	}
	say("turn the green of the normal map of %s", s.Surface)
	return nil
}
