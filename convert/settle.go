package convert

import (
	"image"
	"image/color"
	"math"
	"path"
	"slices"
	"strings"

	"visator/core/geom"
	"visator/core/intake"
	"visator/core/model"
)

// Kinds of lights (the library's aiLightSourceType).
const (
	sunLight   = 1
	pointLight = 2
	spotLight  = 3
)

// settle gives a model what the converter saw in its file and did not bring along:
// cameras, lights, maps by their use; what cannot be given is said by what it means.
func (a *account) settle(m *model.Model, folder model.Folder) {
	a.settlePlaces(m)
	a.settleCameras(m)
	a.settleLights(m)
	a.settleMaps(m, folder)
	intake.FindMaps(m, folder)
	for _, i := range a.glossy { // once their pictures are there
		slot := &m.Surfaces[i].Slots[model.RoughnessMap]
		at, err := turned(m, slot.Map)
		if err != nil {
			m.Warn("%v", err)
		}
		slot.Map = at
	}
}

func (a *account) settlePlaces(m *model.Model) {
	placed := 0
	m.Walk(func(_ int, n *model.Node, _ geom.M) {
		if n.Mesh != model.None {
			placed += len(m.Meshes[n.Mesh].Parts)
		}
	})
	if placed < a.placed {
		m.Warn("%d of %d things in it were lost by the converter: compare it with its picture", a.placed-placed,
			a.placed)
	}
}

// stand puts an empty node into the model that looks along a direction of a node of
// the file.
func (a *account) stand(m *model.Model, name string, at, look, up geom.V) *model.Node {
	z := look.Mul(-1).Unit()
	if look.Len() == 0 || !look.Finite() {
		z = geom.V{Z: 1}
	}
	x := up.Cross(z)
	if !(x.Len() > 1e-6) {
		x = geom.V{X: 1}
		if math.Abs(z.X) > 0.9 {
			x = geom.V{Y: 1}
		}
		x = x.Sub(z.Mul(x.Dot(z)))
	}
	x = x.Unit()
	y := z.Cross(x)
	n := model.NewNode(name)
	world, ok := a.nodes[name]
	if !ok {
		world = geom.Identity
	}
	n.Local = world.Mul(geom.M{x.X, x.Y, x.Z, 0, y.X, y.Y, y.Z, 0, z.X, z.Y, z.Z, 0, at.X, at.Y, at.Z, 1})
	m.Nodes = append(m.Nodes, n)
	m.Roots = append(m.Roots, len(m.Nodes)-1)
	return &m.Nodes[len(m.Nodes)-1]
}

// usualAspect is taken for cameras whose file states no format of the picture.
const usualAspect = 4.0 / 3

func (a *account) settleCameras(m *model.Model) {
	if len(m.Cameras) >= len(a.cameras) {
		return
	}
	for _, c := range a.cameras {
		if !(c.fov > 0 && c.fov < math.Pi) {
			m.Warn("the camera %.100q states no angle of view; it was left out", c.name)
			continue
		}
		aspect := usualAspect
		if c.as > 0 {
			aspect = c.as
		}
		cam := model.Camera{Name: c.name, Aspect: max(c.as, 0), Near: max(c.near, 0), Far: max(c.far, 0)}
		cam.YFov = 2 * math.Atan(math.Tan(c.fov/2)/aspect)
		m.Cameras = append(m.Cameras, cam)
		a.stand(m, c.name, c.at, c.look, c.up).Camera = len(m.Cameras) - 1
	}
}

func (a *account) settleLights(m *model.Model) {
	if len(m.Lights) >= len(a.lights) {
		return
	}
	for _, l := range a.lights {
		peak := max(l.color[0], l.color[1], l.color[2])
		out := model.Light{Name: l.name, Color: [3]float64{1, 1, 1}, Outer: math.Pi / 4}
		// As of other formats whose lights have no unit: a working lamp, or a sun.
		switch l.kind {
		case sunLight:
			out.Kind, out.Intensity = model.Directional, 10_000
		case pointLight:
			out.Kind, out.Intensity = model.Point, 100
		case spotLight:
			out.Kind, out.Intensity = model.Spot, 100
			if l.outer > 0 && l.outer <= 2*math.Pi {
				out.Inner, out.Outer = min(max(l.inner, 0)/2, l.outer/2), min(l.outer/2, math.Pi/2)
			}
		default:
			m.Warn("the light %.100q is of a kind that is not known here (ambient, or an area); it was left out",
				l.name)
			continue
		}
		if peak > 0 && !math.IsInf(peak, 0) {
			out.Color = [3]float64{l.color[0] / peak, l.color[1] / peak, l.color[2] / peak}
		}
		m.Lights = append(m.Lights, out)
		a.stand(m, l.name, l.at, l.to, geom.V{Y: 1}).Light = len(m.Lights) - 1
		m.Warn("lights of this format have no unit; their strength is a guess")
	}
}

// uses are what the library's aiTextureType means here.
var uses = map[uint32]model.Role{
	1: model.BaseColorMap, 12: model.BaseColorMap, 4: model.EmissiveMap, 14: model.EmissiveMap, 5: model.HeightMap,
	9: model.HeightMap,
	6: model.NormalMap, 13: model.NormalMap, 7: model.RoughnessMap, 16: model.RoughnessMap, 8: model.OpacityMap,
	10: model.OcclusionMap, 17: model.OcclusionMap, 15: model.MetallicMap, 21: model.TransmissionMap,
}

const glossUse = 7 // bright is smooth, where roughness is dark

// unused are maps that no surface here has a place for, by what their loss means.
var unused = map[uint32]string{
	2: "where it shines more or less will not show", 3: "it changes the light of the surroundings only",
	11: "mirrored surroundings are computed here, not painted",
	19: "its cloth sheen will not show", 20: "its clear coat will not show",
}

func (a *account) settleMaps(m *model.Model, folder model.Folder) {
	seen := map[string]int{}
	for i := range a.surfaces {
		s := &a.surfaces[i]
		k := seen[s.name]
		seen[s.name]++
		at := nth(m, s.name, k)
		if at < 0 {
			continue // no face has it
		}
		for _, t := range s.maps {
			a.settleMap(m, folder, at, t)
		}
		if o, ok := s.numbers["$mat.opacity"]; ok && o > 0 && o < 1 && m.Surfaces[at].BaseColor[3] == 1 {
			m.Surfaces[at].BaseColor[3], m.Surfaces[at].Alpha = o, model.Blend
		}
	}
}

// nth is the surface of a name, the k-th that has it.
func nth(m *model.Model, name string, k int) int {
	for i := range m.Surfaces {
		if m.Surfaces[i].Name == name {
			if k == 0 {
				return i
			}
			k--
		}
	}
	return -1
}

func (a *account) settleMap(m *model.Model, folder model.Folder, at int, t mapAccount) {
	s := &m.Surfaces[at]
	if t.file == "" || strings.HasPrefix(t.file, "*") && t.use == 18 {
		return
	}
	role, ok := uses[t.use]
	if !ok {
		if why := unused[t.use]; why != "" {
			m.Warn("the map %.200q of %.100s has no place here: %s", t.file, s.Name, why)
		}
		return
	}
	if n := strings.ToLower(path.Base(strings.ReplaceAll(t.file, "\\", "/"))); role == model.HeightMap &&
		(strings.Contains(n, "nor") || strings.Contains(n, "nrm")) {
		role = model.NormalMap // files often call one a bump map
	}
	both := (role == model.RoughnessMap || role == model.MetallicMap) && s.Slots[model.MetalRoughMap].Map != model.None
	if s.Slots[role].Map != model.None || both {
		return
	}
	if strings.HasPrefix(t.file, "*") {
		m.Warn("a map that lies in the file, %s of %.100s, was lost by the converter: point at it under Maps", role,
			s.Name)
		return
	}
	slot := model.EmptySlot
	slot.Map = m.MapAt(folder, t.file, role)
	if t.use == glossUse {
		a.glossy = append(a.glossy, at)
	}
	s.Slots[role] = slot
	switch role {
	case model.OpacityMap:
		s.Alpha = model.Blend
	case model.RoughnessMap:
		s.Roughness = 1
	case model.MetallicMap:
		s.Metallic = 1
	case model.EmissiveMap:
		if s.Emissive == [3]float64{} {
			s.Emissive = [3]float64{1, 1, 1}
		}
	}
}

// turned is a map of gloss as one of roughness; one that is missing stays so.
func turned(m *model.Model, at int) (int, error) {
	src := &m.Maps[at]
	if src.Data == nil {
		return at, nil
	}
	name := src.Name + model.AsRoughness
	if k := slices.IndexFunc(m.Maps, func(x model.Map) bool { return x.Name == name }); k >= 0 {
		return k, nil
	}
	img, err := src.Picture()
	if err != nil {
		return model.None, err
	}
	out := image.NewGray(img.Rect)
	for i := range out.Pix {
		p := img.Pix[4*i:]
		out.Pix[i] = 255 - color.GrayModel.Convert(color.RGBA{p[0], p[1], p[2], 255}).(color.Gray).Y
	}
	return m.AddPicture(name, model.RoughnessMap, src.Status, out)
}
